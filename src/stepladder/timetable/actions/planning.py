"""Planning sessions: where, when, who teaches, and how many seats. Rule: 9."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from datetime import UTC, date, time, timedelta
from itertools import pairwise
from typing import Any

from django.db import transaction

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.days import day_of, wall_instant
from stepladder.core.seats import Times, clashes, overlap
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.timetable.actions.seats import fill_freed_seats
from stepladder.timetable.availability import outside_lines
from stepladder.timetable.errors import (
    BelowTheBooked,
    Clashing,
    InThePast,
    LastDayTooLate,
    Learns,
    NoMeeting,
    RoomThere,
    RoomTooSmall,
)
from stepladder.timetable.live import open_room
from stepladder.timetable.models import Booking, Meeting, Room, Session, Venue
from stepladder.timetable.occupancy import clash_lines, occupied_between, times_of, wants_of
from stepladder.timetable.snapshots import NOT_PLANNED, changing, snapshot

__all__ = [
    "MeetingPlan",
    "about",
    "add_room",
    "change_details",
    "check_last_day",
    "checked_times",
    "plan_series",
    "plan_session",
    "set_capacity",
    "when",
]


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
    """A room, and its venue where there is none of that name. Raises RoomThere."""
    policy.require(by, "plan sessions")
    place, _ = Venue.objects.get_or_create(name=venue)
    if Room.objects.filter(venue=place, name=name).exists():
        raise RoomThere(str(place), name)
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
    note: str = "",
    despite_clashes: bool = False,
    series: int | None = None,
) -> Session:
    """A session to come; *series* is the act of which it is one. Clashes are refused unless somebody plans it
    *despite_clashes*, which the journal keeps.

    Raises NoMeeting, InThePast, RoomTooSmall, Clashing, and DayError for a wall time that the clocks skip.
    """
    policy.require(by, "plan sessions")
    times = checked_times(meetings)
    check_last_day(last_booking_day, times)
    if room is not None and capacity > room.seats:
        raise RoomTooSmall(str(room), room.seats)
    session = Session(
        module=module,
        capacity=capacity,
        room=room,
        language=language,
        last_booking_day=last_booking_day,
        order=order,
        note=note,
        most_meetings=len(times),
    )
    # Before it is saved: a meeting room that cannot be opened leaves no session without a place.
    if room is None:
        session.live_address = live_address or open_room(session)
    wanted = wants_of(None, times, room=room, people=[p.pk for p in instructors], teaching=True)
    found = clash_lines(clashes(wanted, occupied_between(times, people=[p.pk for p in instructors])))
    found += outside_lines(module, times, room=room, instructors=instructors)
    if found and not despite_clashes:
        raise Clashing(found, may_be_accepted=True)
    session.save()
    session.instructors.set(instructors)
    Meeting.objects.bulk_create([Meeting(session=session, starts_at=t.start, ends_at=t.end) for t in times])
    snapshots = {"was": NOT_PLANNED, "became": snapshot(session)}
    data = {"when": when(times), "clashes": found, **snapshots} | ({"series": series} if series else {})
    entry = record("plan_session", by=by, about=about(session), data=data)
    events.announce(events.SessionPlanned(session.pk), entry.act)
    if instructors:
        teach = tuple(person.pk for person in instructors)
        events.announce(events.InstructorsChanged(session.pk, teach), entry.act)
    return session


@transaction.atomic
def plan_series(
    *,
    module: Module,
    meetings: Sequence[MeetingPlan],
    every: int,
    times: int,
    by: Actor,
    last_booking_day: date | None = None,
    **more: Any,
) -> list[Session]:
    """The same session *times* times, *every* so many weeks apart on the wall clock: all of them or none. One act, taken back whole.

    The last day to book moves along. Raises what plan_session raises; Clashing with the clashes of all of them.
    """
    policy.require(by, "plan sessions")
    # Before its sessions are recorded: the way back that is offered is the one from all of them.
    named = Named("module", module.public_id, module.title)
    series = record("plan_series", by=by, about=named, data={"count": times, "every": every})
    planned, clashing = [], []
    for number in range(times):
        on = timedelta(weeks=every * number)
        shifted = [replace(meeting, day=meeting.day + on) for meeting in meetings]
        last = last_booking_day + on if last_booking_day else None
        try:
            planned.append(
                plan_session(
                    module=module, meetings=shifted, last_booking_day=last, by=by, series=series.number, **more
                )
            )
        except Clashing as refusal:
            clashing += refusal.lines
    if clashing:
        raise Clashing(clashing, may_be_accepted=True)
    return planned


def when(times: Sequence[Times]) -> str:
    """When the first of some meetings begins, as one reads it."""
    return f"{times[0].start.astimezone(clock.zone()):%-d %b %Y, %H:%M}"


def check_last_day(last: date | None, times: Sequence[Times]) -> None:
    """Raises LastDayTooLate where one could still book after the session has begun."""
    first = day_of(times[0].start, clock.zone())
    if last is not None and last > first:
        raise LastDayTooLate(first)


def checked_times(meetings: Sequence[MeetingPlan]) -> list[Times]:
    """The times of meetings in order. Raises NoMeeting, InThePast, and DayError for a wall time that the clocks skip."""
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
    policy.require(by, "plan sessions", session)
    session = Session.objects.select_for_update().select_related("room", "module").get(pk=session.pk)
    booked = Booking.objects.known_now().filter(session=session, state=Booking.State.BOOKED).count()
    if capacity < booked:
        raise BelowTheBooked(capacity, booked)
    if session.room is not None and capacity > session.room.seats:
        raise RoomTooSmall(str(session.room), session.room.seats)
    with changing(session) as snapshots:
        before, session.capacity = session.capacity, capacity
        session.save(update_fields=["capacity"])
    record("set_capacity", by=by, about=about(session), data={"before": before, "after": capacity, **snapshots})
    # Seats that came free go to who waits at once, or somebody quicker would have them.
    fill_freed_seats(session=session, by=by)


@transaction.atomic
def change_details(
    *,
    session: Session,
    instructors: Sequence[Person],
    language: str,
    last_booking_day: date | None,
    order: str,
    note: str,
    by: Actor,
    despite_clashes: bool = False,
) -> None:
    """Who teaches, in which language, until when one books, and who comes first when a seat is freed.

    Raises Clashing, LastDayTooLate, and Learns where an instructor has a seat in it.
    """
    policy.require(by, "plan sessions", session)
    session = Session.objects.select_for_update().select_related("room", "module").get(pk=session.pk)
    times = times_of(session)
    check_last_day(last_booking_day, times)
    learns = Booking.objects.known_now().filter(
        session=session, person__in=instructors, state__in=[Booking.State.BOOKED, Booking.State.WAITING]
    )
    if first := learns.select_related("person").first():
        raise Learns(first.person.name)
    wanted = wants_of(session, times, room=None, people=[p.pk for p in instructors], teaching=True)
    found = clashes(wanted, occupied_between(times, people=[p.pk for p in instructors]))
    if found and not despite_clashes:
        raise Clashing(clash_lines(found), may_be_accepted=True)
    before, after = set(session.instructors.values_list("pk", flat=True)), {person.pk for person in instructors}
    with changing(session) as snapshots:
        session.language, session.last_booking_day = language, last_booking_day
        session.order, session.note = order, note
        session.save(update_fields=["language", "last_booking_day", "order", "note"])
        session.instructors.set(instructors)
    names = ", ".join(person.name for person in instructors) or "nobody yet"
    data = {"instructors": names, "clashes": clash_lines(found), **snapshots}
    entry = record("change_session", by=by, about=about(session), data=data)
    if before != after:
        change = events.InstructorsChanged(session.pk, tuple(sorted(after - before)), tuple(sorted(before - after)))
        events.announce(change, entry.act)
