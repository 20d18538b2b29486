"""Planning sessions: where, when, who teaches, and how many seats. Rule: 9."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, time, timedelta
from itertools import pairwise

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.days import wall_instant
from stepladder.core.seats import Times, clashes, overlap
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.timetable.actions.seats import fill_freed_seats
from stepladder.timetable.errors import BelowTheBooked, Clashing, InThePast, NoMeeting, RoomTooSmall
from stepladder.timetable.models import Booking, Meeting, Room, Session, Venue
from stepladder.timetable.taken import clash_lines, taken_between, wants_of

__all__ = ["MeetingPlan", "about", "add_room", "plan_session", "set_capacity"]


@dataclass(frozen=True)
class MeetingPlan:
    """A meeting as one plans it: a day, a wall time of the organisation's zone, and how long it lasts."""

    day: date
    start: time
    minutes: int

    def times(self) -> Times:
        """From which instant to which; elapsed time, whatever the clocks do. Raises DayError for a time that is skipped."""
        starts = wall_instant(self.day, self.start, clock.zone()).astimezone(UTC)
        return Times(starts, starts + timedelta(minutes=self.minutes))


def about(session: Session) -> Named:
    """The session as the journal names it."""
    return Named("session", session.public_id, session.module.title)


@transaction.atomic
def add_room(*, venue: str, name: str, seats: int, by: Actor) -> Room:
    """A room, and its venue where there is none of that name."""
    policy.require(by, "plan sessions")
    place, _ = Venue.objects.get_or_create(name=venue)
    room = Room.objects.create(venue=place, name=name, seats=seats)
    record("add_room", by=by, about=Named("room", room.public_id, str(room)), data={"seats": seats})
    return room


@transaction.atomic
def plan_session(
    *,
    module: Module,
    meetings: Sequence[MeetingPlan],
    capacity: int,
    by: Actor,
    room: Room | None = None,
    live_address: str = "",
    instructors: Sequence[Person] = (),
    language: str = "",
    last_booking_day: date | None = None,
    order: str = Session.Order.NEED,
    despite_clashes: bool = False,
) -> Session:
    """A session to come. Clashes are refused unless somebody plans it *despite_clashes*, which the journal keeps.

    Raises NoMeeting, InThePast, RoomTooSmall, Clashing, and DayError for a wall time that the clocks skip.
    """
    policy.require(by, "plan sessions")
    times = _checked_times(meetings)
    if room is not None and capacity > room.seats:
        raise RoomTooSmall(str(room), room.seats)
    session = Session(
        module=module,
        capacity=capacity,
        room=room,
        live_address=live_address,
        language=language,
        last_booking_day=last_booking_day,
        order=order,
    )
    wanted = wants_of(None, times, room=room, people=[p.pk for p in instructors], teaching=True)
    found = clashes(wanted, taken_between(times))
    if found and not despite_clashes:
        raise Clashing(clash_lines(found))
    session.save()
    session.instructors.set(instructors)
    Meeting.objects.bulk_create([Meeting(session=session, starts_at=t.start, ends_at=t.end) for t in times])
    first = times[0].start.astimezone(clock.zone())
    data = {"when": f"{first:%-d %b %Y, %H:%M}", "clashes": clash_lines(found)}
    record("plan_session", by=by, about=about(session), data=data)
    return session


def _checked_times(meetings: Sequence[MeetingPlan]) -> list[Times]:
    if not meetings:
        raise NoMeeting("A session needs at least one meeting. Say when it begins.")
    times = sorted(meeting.times() for meeting in meetings)
    if any(overlap(one, other) for one, other in pairwise(times)):
        raise NoMeeting("Two meetings of this session overlap. Move one of them.")
    if times[0].start < clock.now():
        raise InThePast(times[0].start)
    return times


@transaction.atomic
def set_capacity(*, session: Session, capacity: int, by: Actor) -> None:
    """How many seats there are. More seats go to who waits; never fewer than are booked. Raises BelowTheBooked, RoomTooSmall."""
    policy.require(by, "plan sessions")
    session = Session.objects.select_for_update().select_related("room", "module").get(pk=session.pk)
    booked = Booking.objects.known_now().filter(session=session, state=Booking.State.BOOKED).count()
    if capacity < booked:
        raise BelowTheBooked(capacity, booked)
    if session.room is not None and capacity > session.room.seats:
        raise RoomTooSmall(str(session.room), session.room.seats)
    before, session.capacity = session.capacity, capacity
    session.save(update_fields=["capacity"])
    record("set_capacity", by=by, about=about(session), data={"before": before, "after": capacity})
    fill_freed_seats(session=session, by=by)
