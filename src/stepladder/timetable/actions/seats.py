"""Seats: booked, waited for, given back, moved up. Never more booked than there are, whatever happens at once. Rule: 9."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, datetime

from django.db import transaction

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.seats import Order, Waiting, clashes, has_room, move_up, waiting_order
from stepladder.facts import Fact, FactQuerySet
from stepladder.journal.actions import Actor, Named, record
from stepladder.people.models import Person
from stepladder.people.queries import first_days
from stepladder.timetable.errors import Clashing, HasSeat, NoSeat, NotOpen, SessionFull
from stepladder.timetable.models import Booking, Meeting, Session
from stepladder.timetable.needs import needed_by_of
from stepladder.timetable.occupancy import clash_lines, clashing_people, occupied_between, times_of, wants_of
from stepladder.web.templatetags.web import day

__all__ = [
    "Seated",
    "admit",
    "book_many",
    "book_seat",
    "cancel_seat",
    "change_seat",
    "fill_freed_seats",
    "in_order",
    "join_waiting_list",
    "locked",
    "write_seat",
]

State = Booking.State


@transaction.atomic
def book_seat(*, session: Session, person: Person, by: Actor) -> Booking:
    """A seat, at once. Raises SessionFull (with the place one would wait at), NotOpen, HasSeat, Clashing."""
    policy.require(by, "book seats", person)
    session = locked(session)
    _check_open(session)
    _check_new(session, person)
    _check_free(session, person)
    waiting = _waiting(session)
    busy = clashing_people(session, [w.person for w in waiting])
    # A free seat is not free for who comes now while somebody waits who could take it.
    if not has_room(waiting, free=_free(session), clashing=busy):
        raise SessionFull(_place(session, waiting, person))
    return _change(session, person, None, State.BOOKED, by)


@transaction.atomic
def join_waiting_list(*, session: Session, person: Person, by: Actor) -> Booking:
    """A place on the waiting list. Raises NotOpen, HasSeat."""
    policy.require(by, "book seats", person)
    session = locked(session)
    _check_open(session)
    _check_new(session, person)
    booking = _change(session, person, None, State.WAITING, by)
    fill_freed_seats(session=session, by=by)
    return booking


@transaction.atomic
def admit(*, session: Session, person: Person, by: Actor) -> Booking:
    """A seat for somebody who came without one, once the session has begun; never more than there are.

    Raises NotOpen, HasSeat, Clashing, SessionFull.
    """
    policy.require(by, "take attendance", session)
    session = locked(session)
    if session.state == Session.State.CANCELLED:
        raise NotOpen("The session is cancelled.")
    _check_new(session, person)
    _check_free(session, person)
    # All who had a seat are counted, also who is marked absent: it was theirs.
    if session.capacity <= _known(session).exclude(state__in=[State.WAITING, State.CANCELLED]).count():
        raise SessionFull(_place(session, _waiting(session), person))
    return _change(session, person, None, State.BOOKED, by)


@transaction.atomic
def change_seat(*, booking: Booking, to: Session, by: Actor) -> Booking:
    """Give one seat back and take another, both or neither. Raises what booking and giving back raise."""
    # Given back first: the other session may be at the same time.
    cancel_seat(booking=booking, by=by)
    return book_seat(session=to, person=booking.person, by=by)


@dataclass(frozen=True)
class Seated:
    """What booking many came to: who has a seat, who waits for one, and who has neither, with the reason."""

    booked: list[Person]
    waiting: list[Person]
    passed_over: list[str]


@transaction.atomic
def book_many(
    *, session: Session, people: Sequence[Person], by: Actor, may_wait: bool = True, series: int | None = None
) -> Seated:
    """Seats for several at once, in the order given; when they are gone the others wait, unless *may_wait* is false. *series* is the
    act of which it is one.

    Who is in already, teaches here or has a clash is passed over, with the reason. Raises NotOpen.
    """
    for person in people:
        policy.require(by, "book seats", person)
    session = locked(session)
    _check_open(session)
    waiting = _waiting(session)
    busy = clashing_people(session, [w.person for w in waiting] + [p.pk for p in people])
    free = _free(session) - sum(w.person not in busy for w in waiting)
    states = dict(_known(session).filter(state__in=[State.BOOKED, State.WAITING]).values_list("person_id", "state"))
    teaches = set(session.instructors.values_list("pk", flat=True))
    coming = _starting_later(session, people)
    found, rows = Seated([], [], []), list[Fact]()
    for person in people:
        reason = _passed_over(person, states, teaches, busy, coming)
        if reason or (free <= 0 and not may_wait):
            found.passed_over.append(reason or f"{person.name}: no seat is free")
            continue
        state = State.BOOKED if free > 0 else State.WAITING
        free -= 1
        rows += write_seat(session, person, state, None)[1]
        states[person.pk] = state
        (found.booked if state == State.BOOKED else found.waiting).append(person)
    if rows:
        data = {"booked": len(found.booked), "waiting": len(found.waiting)} | ({"series": series} if series else {})
        entry = record(
            "book_many", by=by, about=Named("session", session.public_id, session.module.title), data=data, rows=rows
        )
        events.announce(events.SeatsChanged(session.pk, tuple(p.pk for p in found.booked + found.waiting)), entry.act)
    return found


def _passed_over(
    person: Person, here: Mapping[int, str], teaches: set[int], busy: set[int], coming: Mapping[int, date]
) -> str:
    """Why somebody gets no seat; empty where nothing stands against it."""
    if person.pk in here:
        return f"{person.name}: {here[person.pk]} here already"
    if person.pk in teaches:
        return f"{person.name}: teaches this session"
    if person.pk in coming:
        return f"{person.name}: starts on {day(coming[person.pk])}"
    return f"{person.name}: is elsewhere at that time" if person.pk in busy else ""


@transaction.atomic
def cancel_seat(*, booking: Booking, by: Actor) -> None:
    """Give a seat, or a place on the waiting list, back; a freed seat goes to the first who can take it. Raises NoSeat, NotOpen."""
    policy.require(by, "book seats", booking.person)
    session = locked(booking.session)
    seat = (
        Booking.objects.known_now().filter(session=session, person=booking.person_id).select_related("person").first()
    )
    if seat is None or seat.state not in (State.BOOKED, State.WAITING):
        raise NoSeat(f"{booking.person.name} has no seat here, and does not wait for one.")
    if Meeting.objects.filter(session=session, starts_at__lte=clock.now()).exists():
        raise NotOpen("The session has begun. Whoever is not there is marked absent when it is signed off.")
    _change(session, seat.person, seat, State.CANCELLED, by)
    fill_freed_seats(session=session, by=by)


@transaction.atomic
def fill_freed_seats(*, session: Session, by: Actor) -> list[Person]:
    """Give the free seats to those who wait, in their order; whoever has a clash waits on in place. Who moved up."""
    session = locked(session)
    waiting = _waiting(session)
    free = _free(session)
    is_over = not Meeting.objects.filter(session=session, ends_at__gt=clock.now()).exists()
    if free <= 0 or not waiting or session.state != Session.State.PLANNED or is_over:
        return []
    busy = clashing_people(session, [w.person for w in waiting])
    keys = move_up(waiting, _order_of(session), free=free, clashing=busy)
    bookings = {b.person_id: b for b in _known(session).filter(person__in=keys).select_related("person")}
    moved = [bookings[key] for key in keys]
    for booking in moved:
        # With the instant they asked: should the seat be taken back, they wait where they waited.
        rows = write_seat(session, booking.person, State.BOOKED, booking.asked_at)[1]
        data = {"session": session.module.title, "state": State.BOOKED}
        person = booking.person
        entry = record("book_seat", by=by, about=Named("person", person.public_id, person.name), data=data, rows=rows)
    if moved:
        events.announce(events.SeatsMovedUp(session.pk, tuple(keys)), entry.act)
    return [booking.person for booking in moved]


def locked(session: Session) -> Session:
    """The session as it is now, for nobody else to change until this transaction ends (on SQLite it has the only pen)."""
    return Session.objects.select_for_update().select_related("module", "room").get(pk=session.pk)


def _known(session: Session) -> FactQuerySet:
    return Booking.objects.known_now().filter(session=session)


def _order_of(session: Session) -> Order:
    return "asking" if session.order == Session.Order.ASKING else "need"


def _free(session: Session) -> int:
    return session.capacity - _known(session).filter(state=State.BOOKED).count()


def _waiting(session: Session) -> list[Waiting]:
    rows = list(_known(session).filter(state=State.WAITING).order_by("asked_at", "pk"))
    needed = needed_by_of(session.module, [row.person_id for row in rows]) if rows else {}
    return [Waiting(row.person_id, row.asked_at, row.pk, needed.get(row.person_id)) for row in rows]


def in_order(session: Session, bookings: Sequence[Booking]) -> tuple[list[int], int]:
    """People who come with bookings of another session, in the order this one serves them; and how many seats are free for them."""
    needed = needed_by_of(session.module, [booking.person_id for booking in bookings]) if bookings else {}
    coming = [Waiting(b.person_id, b.asked_at, b.pk, needed.get(b.person_id)) for b in bookings]
    waiting = _waiting(session)
    busy = clashing_people(session, [w.person for w in waiting])
    free = _free(session) - sum(w.person not in busy for w in waiting)
    return [w.person for w in waiting_order(coming, _order_of(session))], free


def _place(session: Session, waiting: Sequence[Waiting], person: Person) -> int:
    """Where somebody who asks now would wait."""
    needed = needed_by_of(session.module, [person.pk])
    mine = Waiting(person.pk, clock.now(), 2**62, needed.get(person.pk))
    return waiting_order([*waiting, mine], _order_of(session)).index(mine) + 1


def _check_open(session: Session) -> None:
    if session.state != Session.State.PLANNED:
        raise NotOpen(f"The session is {session.get_state_display()}, so nobody can book it any more.")
    first = Meeting.objects.filter(session=session).order_by("starts_at").values_list("starts_at", flat=True).first()
    if first is not None and first <= clock.now():
        raise NotOpen("The session has begun, so nobody can book it any more.")
    if session.last_booking_day is not None and clock.today() > session.last_booking_day:
        raise NotOpen(f"The last day to book was {day(session.last_booking_day)}.")


def _check_new(session: Session, person: Person) -> None:
    booking = _known(session).filter(person=person, state__in=[State.BOOKED, State.WAITING]).first()
    if booking is not None:
        has = "has a seat" if booking.state == State.BOOKED else "waits for a seat"
        raise HasSeat(f"{person.name} {has} here already.")
    if session.instructors.filter(pk=person.pk).exists():
        raise HasSeat(f"{person.name} teaches this session, and cannot learn in it too.")
    first = _starting_later(session, [person]).get(person.pk)
    if first is not None:
        raise NotOpen(f"{person.name} starts on {day(first)}, after this session. Choose one from that day on.")


def _starting_later(session: Session, people: Sequence[Person]) -> dict[int, date]:
    """Those whose first day is after the session's: they have nothing to do with the organisation on it."""
    return first_days([person.pk for person in people], times_of(session)[0].start.astimezone(clock.zone()).date())


def _check_free(session: Session, person: Person) -> None:
    times = times_of(session)
    mine = wants_of(session, times, room=None, people=[person.pk], teaching=False)
    found = clashes(mine, occupied_between(times, people=[person.pk]))
    if found:
        raise Clashing(clash_lines(found))


def write_seat(session: Session, person: Person, state: str, asked_at: datetime | None) -> tuple[Booking, list[Fact]]:
    """The booking that holds from now on, with all rows that were touched. Facts do not change: what was is revoked."""
    rows: list[Fact] = []
    for before in _known(session).filter(person=person):
        before.revoke()
        rows.append(before)
    booking = Booking.objects.create(session=session, person=person, state=state, asked_at=asked_at or clock.now())
    return booking, [*rows, booking]


def _change(session: Session, person: Person, old: Booking | None, state: str, by: Actor) -> Booking:
    """One person's seat, recorded and announced. Who cancelled once asks anew."""
    booking, rows = write_seat(session, person, state, old.asked_at if old else None)
    data = {"session": session.module.title, "state": state}
    entry = record("book_seat", by=by, about=Named("person", person.public_id, person.name), data=data, rows=rows)
    events.announce(events.SeatsChanged(session.pk, (person.pk,)), entry.act)
    return booking
