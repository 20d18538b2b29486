"""A session that gets another time or place, or does not take place. Rule: 9."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction

from stepladder import events
from stepladder.accounts import policy
from stepladder.core.seats import clashes
from stepladder.facts import Fact
from stepladder.journal.actions import Actor, record
from stepladder.people.models import Person
from stepladder.timetable.actions.planning import MeetingPlan, about, check_last_day, checked_times, when
from stepladder.timetable.actions.seats import fill_freed_seats, in_order, locked, write_seat
from stepladder.timetable.availability import outside_lines
from stepladder.timetable.errors import Clashing, NotOpen, RoomTooSmall
from stepladder.timetable.live import open_room
from stepladder.timetable.models import Booking, Meeting, Room, Session
from stepladder.timetable.occupancy import clash_lines, clashing_people, occupied_between, times_of, wants_of
from stepladder.timetable.snapshots import changing

__all__ = ["Moved", "cancel_session", "reschedule"]

State = Booking.State


@dataclass(frozen=True)
class Moved:
    """What became of those who had a seat in a cancelled session, or waited: who has one elsewhere, waits there, or has none."""

    seated: list[Person]
    waiting: list[Person]
    left: list[Person]


@transaction.atomic
def reschedule(
    *,
    session: Session,
    meetings: Sequence[MeetingPlan],
    by: Actor,
    room: Room | None = None,
    live_address: str = "",
    despite_clashes: bool = False,
) -> list[str]:
    """Another time or place. Bookings stay, everybody is told, calendars are; the clashes that those booked now have, as sentences.

    Raises NotOpen, Clashing (room and instructors), RoomTooSmall, InThePast, NoMeeting, LastDayTooLate, and DayError for a wall
    time that the clocks skip.
    """
    policy.require(by, "plan sessions", session)
    session = locked(session)
    if session.state != Session.State.PLANNED:
        raise NotOpen(f"The session is {session.get_state_display()}, so it keeps its time.")
    before, times = times_of(session), checked_times(meetings)
    check_last_day(session.last_booking_day, times)
    if room is not None and session.capacity > room.seats:
        raise RoomTooSmall(str(room), room.seats)
    teachers = list(session.instructors.values_list("pk", flat=True))
    wanted = wants_of(session, times, room=room, people=teachers, teaching=True)
    found = clash_lines(clashes(wanted, occupied_between(times, people=teachers)))
    found += outside_lines(session.module, times, room=room, instructors=session.instructors.all(), session=session)
    if found and not despite_clashes:
        raise Clashing(found, may_be_accepted=True)
    with changing(session) as snapshots:
        session.room = room
        session.live_address = "" if room else live_address or session.live_address or open_room(session)
        session.sequence += 1
        # Calendars know each meeting by its number: those that are gone are cancelled by theirs.
        session.most_meetings = max(session.most_meetings, len(times))
        session.save(update_fields=["room", "live_address", "sequence", "most_meetings"])
        session.meetings.all().delete()
        Meeting.objects.bulk_create([Meeting(session=session, starts_at=t.start, ends_at=t.end) for t in times])
    people = _with_seats(session)
    learners = wants_of(session, times, room=None, people=people, teaching=False)
    lines = clash_lines(clashes(learners, occupied_between(times, people=people)))
    data = {"before": when(before), "after": when(times), "place": session.place, "clashes": found + lines}
    entry = record("reschedule", by=by, about=about(session), data=data | snapshots)
    events.announce(events.SessionRescheduled(session.pk, tuple(people)), entry.act)
    # Who waited with a clash may have none at the new time.
    fill_freed_seats(session=session, by=by)
    return lines


def _with_seats(session: Session) -> list[int]:
    rows = Booking.objects.known_now().filter(session=session, state__in=[State.BOOKED, State.WAITING])
    return list(rows.values_list("person_id", flat=True))


@transaction.atomic
def cancel_session(*, session: Session, because: str, by: Actor, move_to: Session | None = None) -> Moved:
    """It does not take place. Who had a seat, or waited, is told, and gets one in *move_to* as far as it has room; others wait there.

    They go in the order of need, or of asking, as the session they go to says; who has a clash there is left out.
    Raises NotOpen.
    """
    policy.require(by, "plan sessions", session)
    session = locked(session)
    if session.state != Session.State.PLANNED:
        raise NotOpen(f"The session is {session.get_state_display()} already.")
    with changing(session) as snapshots:
        session.state, session.cancelled_because = Session.State.CANCELLED, because
        session.sequence += 1
        session.save(update_fields=["state", "cancelled_because", "sequence"])
    known = Booking.objects.known_now().filter(session=session, state__in=[State.BOOKED, State.WAITING])
    people = {booking.person_id: booking for booking in known.select_related("person").order_by("asked_at", "pk")}
    rows: list[Fact] = []
    for booking in people.values():
        rows += write_seat(session, booking.person, State.CANCELLED, booking.asked_at)[1]
    found = Moved([], [], [b.person for b in people.values()])
    if move_to is not None:
        found, more = _move(list(people.values()), locked(move_to))
        rows += more
    data = {
        "because": because,
        "people": len(people),
        "moved": len(found.seated) + len(found.waiting),
        "to": move_to.public_id if move_to else "",
    }
    entry = record("cancel_session", by=by, about=about(session), data=data | snapshots, rows=rows)
    events.announce(events.SessionCancelled(session.pk, tuple(people)), entry.act)
    if move_to is not None and (found.seated or found.waiting):
        moved = tuple(p.pk for p in found.seated + found.waiting)
        events.announce(events.SeatsChanged(move_to.pk, moved), entry.act)
    return found


def _move(bookings: Sequence[Booking], to: Session) -> tuple[Moved, list[Fact]]:
    """Seats in another session for those whose own is cancelled; nobody who waits there already is passed."""
    if to.state != Session.State.PLANNED:
        raise NotOpen(f"The session to move them to is {to.get_state_display()}. Choose another.")
    by_person = {booking.person_id: booking for booking in bookings}
    of_people = Booking.objects.known_now().filter(session=to, person__in=by_person)
    has = set(of_people.filter(state__in=[State.BOOKED, State.WAITING]).values_list("person_id", flat=True))
    busy = clashing_people(to, by_person) | set(to.instructors.values_list("pk", flat=True))
    # Who waits there already keeps that place: they asked there before.
    queue, free = in_order(to, [b for b in bookings if b.person_id not in has])
    found, rows = Moved([], [], []), list[Fact]()
    for key in queue:
        booking = by_person[key]
        if key in busy:
            found.left.append(booking.person)
            continue
        state = State.BOOKED if free > 0 else State.WAITING
        # Goes below none on purpose: from there on everybody waits, in the same order.
        free -= 1
        rows += write_seat(to, booking.person, state, booking.asked_at)[1]
        (found.seated if state == State.BOOKED else found.waiting).append(booking.person)
    return found, rows
