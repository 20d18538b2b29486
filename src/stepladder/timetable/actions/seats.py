"""Seats: booked, waited for, given back, moved up. Never more booked than there are, whatever happens at once. Rule: 9."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.seats import Order, Waiting, clashes, has_room, move_up, waiting_order
from stepladder.facts import Fact, FactQuerySet
from stepladder.journal.actions import Actor, Named, record
from stepladder.people.models import Person
from stepladder.timetable.errors import Clashing, HasSeat, NoSeat, NotOpen, SessionFull
from stepladder.timetable.models import Booking, Meeting, Session
from stepladder.timetable.needs import needed_by_of
from stepladder.timetable.taken import clash_lines, clashing_people, taken_between, times_of, wants_of
from stepladder.web.templatetags.web import day

__all__ = ["book_seat", "cancel_seat", "fill_freed_seats", "join_waiting_list"]

State = Booking.State


@transaction.atomic
def book_seat(*, session: Session, person: Person, by: Actor) -> Booking:
    """A seat, at once. Raises SessionFull (with the place one would wait at), NotOpen, HasSeat, Clashing."""
    policy.require(by, "book seats", person)
    session = _locked(session)
    _check_open(session)
    _check_new(session, person)
    _check_free(session, person)
    waiting = _waiting(session)
    busy = clashing_people(session, [w.person for w in waiting])
    if not has_room(waiting, free=_free(session), clashing=busy):
        raise SessionFull(_place(session, waiting, person))
    return _change(session, person, None, State.BOOKED, by)


@transaction.atomic
def join_waiting_list(*, session: Session, person: Person, by: Actor) -> Booking:
    """A place on the waiting list. Raises NotOpen, HasSeat."""
    policy.require(by, "book seats", person)
    session = _locked(session)
    _check_open(session)
    _check_new(session, person)
    booking = _change(session, person, None, State.WAITING, by)
    fill_freed_seats(session=session, by=by)
    return booking


@transaction.atomic
def cancel_seat(*, booking: Booking, by: Actor) -> None:
    """Give a seat, or a place on the waiting list, back; a freed seat goes to the first who can take it. Raises NoSeat, NotOpen."""
    policy.require(by, "book seats", booking.person)
    session = _locked(booking.session)
    here = (
        Booking.objects.known_now().filter(session=session, person=booking.person_id).select_related("person").first()
    )
    if here is None or here.state not in (State.BOOKED, State.WAITING):
        raise NoSeat(f"{booking.person.name} has no seat here, and does not wait for one.")
    if Meeting.objects.filter(session=session, starts_at__lte=clock.now()).exists():
        raise NotOpen("The session has begun. Whoever is not there is marked absent when it is signed off.")
    _change(session, here.person, here, State.CANCELLED, by)
    fill_freed_seats(session=session, by=by)


@transaction.atomic
def fill_freed_seats(*, session: Session, by: Actor) -> list[Person]:
    """Give the free seats to those who wait, in their order; whoever has a clash waits on in place. Who moved up."""
    session = _locked(session)
    waiting = _waiting(session)
    free = _free(session)
    if free <= 0 or not waiting or session.state != Session.State.PLANNED:
        return []
    busy = clashing_people(session, [w.person for w in waiting])
    keys = move_up(waiting, _order_of(session), free=free, clashing=busy)
    here = {b.person_id: b for b in _known(session).filter(person__in=keys).select_related("person")}
    moved = [here[key] for key in keys]
    for booking in moved:
        _change(session, booking.person, booking, State.BOOKED, by)
    if moved:
        events.announce(events.SeatsMovedUp(session.pk, tuple(keys)))
    return [booking.person for booking in moved]


def _locked(session: Session) -> Session:
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
    here = _known(session).filter(person=person, state__in=[State.BOOKED, State.WAITING]).first()
    if here is not None:
        has = "has a seat" if here.state == State.BOOKED else "waits for a seat"
        raise HasSeat(f"{person.name} {has} here already.")
    if session.instructors.filter(pk=person.pk).exists():
        raise HasSeat(f"{person.name} teaches this session, and cannot learn in it too.")


def _check_free(session: Session, person: Person) -> None:
    times = times_of(session)
    mine = wants_of(session, times, room=None, people=[person.pk], teaching=False)
    found = clashes(mine, taken_between(times, people=[person.pk]))
    if found:
        raise Clashing(clash_lines(found))


def _change(session: Session, person: Person, old: Booking | None, state: str, by: Actor) -> Booking:
    """Facts do not change: what was is revoked, and what is recorded. Who cancelled once asks anew."""
    rows: list[Fact] = []
    asked_at = old.asked_at if old else clock.now()
    for before in _known(session).filter(person=person):
        before.revoke()
        rows.append(before)
    booking = Booking.objects.create(session=session, person=person, state=state, asked_at=asked_at)
    data = {"session": session.module.title, "state": state}
    about = Named("person", person.public_id, person.name)
    record("book_seat", by=by, about=about, data=data, rows=[*rows, booking])
    events.announce(events.SeatsChanged(session.pk, (person.pk,)))
    return booking
