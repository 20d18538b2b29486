"""When rooms can be had, and when and what instructors teach: here for planning by hand, and for the planner."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, datetime, time, timedelta

from stepladder import clock
from stepladder.core.seats import Times
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.timetable.models import Room, RoomHours, Session, Teaching

__all__ = ["WEEKDAYS", "WORKING_HOURS", "hours_of", "outside_lines"]

WEEKDAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
# Of a room for which nobody has said any.
WORKING_HOURS = {weekday: (time(8), time(17)) for weekday in range(5)}


def hours_of(rooms: Iterable[Room]) -> dict[int, dict[int, tuple[time, time]]]:
    """Room → weekday → from when to when it can be had."""
    found: dict[int, dict[int, tuple[time, time]]] = {}
    keys = [room.pk for room in rooms]
    for row in RoomHours.objects.filter(room__in=keys):
        found.setdefault(row.room_id, {})[row.weekday] = (row.opens, row.closes)
    return {key: found.get(key, WORKING_HOURS) for key in keys}


def outside_lines(
    module: Module,
    times: Sequence[Times],
    *,
    room: Room | None,
    instructors: Iterable[Person],
    session: Session | None = None,
) -> list[str]:
    """What stands against these times though nothing clashes: a room that is shut, somebody who does not teach then, or not this."""
    zone = clock.zone()
    local = [(one.start.astimezone(zone), one.end.astimezone(zone)) for one in times]
    lines = []
    # Of a room for which nobody has said any hours nothing is known that would stand against them.
    if room is not None and RoomHours.objects.filter(room=room).exists():
        hours = hours_of([room])[room.pk]
        for start, end in local:
            opens, closes = hours.get(start.weekday(), (None, None))
            if opens is None or closes is None:
                lines.append(f"{room} can’t be had on a {WEEKDAYS[start.weekday()]}.")
            elif start.time() < opens or end.time() > closes or end.date() != start.date():
                lines.append(
                    f"{room} can be had from {opens:%H:%M} to {closes:%H:%M} on a {WEEKDAYS[start.weekday()]}."
                )
    rows = Teaching.objects.filter(person__in=list(instructors)).select_related("person").prefetch_related("modules")
    for row in rows:
        lines += _against(row, module, [start.date() for start, _ in local], session)
    return list(dict.fromkeys(lines))


def _against(row: Teaching, module: Module, days: Iterable[date], session: Session | None) -> list[str]:
    lines = []
    teaches = list(row.modules.all())
    if teaches and module not in teaches:
        lines.append(f"{row.person.name} is not down to teach “{module.title}”.")
    others = Session.objects.filter(instructors=row.person, state=Session.State.PLANNED)
    if session is not None:
        others = others.exclude(pk=session.pk)
    for day in sorted(set(days)):
        if day.weekday() not in row.weekdays:
            lines.append(f"{row.person.name} does not teach on a {WEEKDAYS[day.weekday()]}.")
        # From midnight to midnight of the organisation's zone.
        begins, ends = (datetime.combine(one, time(), clock.zone()) for one in (day, day + timedelta(days=1)))
        held = others.filter(meetings__starts_at__gte=begins, meetings__starts_at__lt=ends).distinct()
        if held.count() >= row.most_a_day:
            count = "one session" if row.most_a_day == 1 else f"{row.most_a_day} sessions"
            lines.append(f"{row.person.name} teaches {count} a day at most.")
    return lines
