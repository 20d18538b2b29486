"""What is taken when: rooms, and people who teach or learn, as the core compares them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta

from stepladder import clock
from stepladder.core.seats import Clash, Occupancy, Times, clashes
from stepladder.people.models import Person
from stepladder.timetable.models import Booking, Meeting, Room, Session

__all__ = ["EARLY", "clash_lines", "clashing_people", "occupied_between", "on_now", "times_of", "wants_of"]


def times_of(session: Session, meetings: Iterable[Meeting] | None = None) -> list[Times]:
    """The times of a session's meetings, in order; of these, where they were read already."""
    if meetings is not None:
        return [Times(meeting.starts_at, meeting.ends_at) for meeting in meetings]
    rows = Meeting.objects.filter(session=session).order_by("starts_at")
    return [Times(start, end) for start, end in rows.values_list("starts_at", "ends_at")]


# How long before a meeting one may come in.
EARLY = timedelta(minutes=45)


def on_now(times: Iterable[Times], now: datetime) -> Times | None:
    """The meeting that is on, or about to begin."""
    return next((one for one in times if one.start - EARLY <= now < one.end), None)


def wants_of(
    session: Session | None, times: Sequence[Times], *, room: Room | None, people: Iterable[int], teaching: bool
) -> list[Occupancy]:
    """What a session would take at these times."""
    key = session.pk if session else 0
    wanted = [Occupancy("room", room.pk, one, key) for one in times] if room else []
    return wanted + [Occupancy("person", person, one, key, teaching) for person in people for one in times]


def occupied_between(times: Sequence[Times], *, people: Iterable[int]) -> list[Occupancy]:
    """What planned sessions take at times that reach into these: all rooms, and of people those asked for."""
    if not times:
        return []
    near = Meeting.objects.filter(
        starts_at__lt=max(t.end for t in times),
        ends_at__gt=min(t.start for t in times),
        session__state=Session.State.PLANNED,
    )
    meetings: dict[int, list[Times]] = {}
    rooms: dict[int, int | None] = {}
    for key, room, start, end in near.values_list("session_id", "session__room_id", "starts_at", "ends_at"):
        meetings.setdefault(key, []).append(Times(start, end))
        rooms[key] = room
    found = [Occupancy("room", room, one, key) for key, room in rooms.items() if room for one in meetings[key]]
    wanted = list(people)
    teaching = Session.instructors.through.objects.filter(session__in=meetings, person__in=wanted)
    booked = Booking.objects.known_now().filter(session__in=meetings, person__in=wanted, state=Booking.State.BOOKED)
    for rows, as_instructor in ((teaching, True), (booked, False)):
        for key, person in rows.values_list("session_id", "person_id"):
            found += [Occupancy("person", person, one, key, as_instructor) for one in meetings[key]]
    return found


def clashing_people(session: Session, people: Iterable[int]) -> set[int]:
    """Of these people, those who teach or learn elsewhere while the session meets."""
    wanted = list(people)
    times = times_of(session)
    occupied = occupied_between(times, people=wanted)
    mine = wants_of(session, times, room=None, people=wanted, teaching=False)
    return {clash.mine.key for clash in clashes(mine, occupied)}


def clash_lines(found: Sequence[Clash]) -> list[str]:
    """Clashes as sentences, one for each thing and session."""
    sessions = Session.objects.select_related("module").in_bulk({c.other.session for c in found})
    people = Person.objects.in_bulk({c.mine.key for c in found if c.mine.what == "person"})
    rooms = Room.objects.select_related("venue").in_bulk({c.mine.key for c in found if c.mine.what == "room"})
    lines = []
    for clash in found:
        when = clash.other.times.start.astimezone(clock.zone())
        title = sessions[clash.other.session].module.title
        if clash.mine.what == "room":
            who = f"{rooms[clash.mine.key]} is taken"
        else:
            does = "teaches" if clash.other.as_instructor else "learns"
            who = f"{people[clash.mine.key].name} {does} elsewhere"
        lines.append(f"{who} on {when:%-d %b %Y} from {when:%H:%M}: “{title}”.")
    return list(dict.fromkeys(lines))
