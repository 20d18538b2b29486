"""When rooms can be had; when somebody teaches, and what."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import time

from django.db import transaction

from stepladder.accounts import policy
from stepladder.charts.models import Site
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.timetable.availability import WEEKDAYS
from stepladder.timetable.models import Room, RoomHours, Teaching

__all__ = ["set_room_hours", "set_teaching"]


@transaction.atomic
def set_room_hours(*, room: Room, hours: Mapping[int, tuple[time, time]], site: Site | None, by: Actor) -> None:
    """From when to when a room can be had on which weekdays (none: a working week), and whose people its venue is for."""
    policy.require(by, "plan sessions")
    room.hours.all().delete()
    RoomHours.objects.bulk_create(
        [
            RoomHours(room=room, weekday=day, opens=opens, closes=closes)
            for day, (opens, closes) in sorted(hours.items())
        ]
    )
    room.venue.site = site
    room.venue.save(update_fields=["site"])
    said = [f"{WEEKDAYS[day]} {opens:%H:%M} to {closes:%H:%M}" for day, (opens, closes) in sorted(hours.items())]
    data = {"hours": ", ".join(said) or "a working week", "site": site.name if site else "any site"}
    record("set_room_hours", by=by, about=Named("room", room.public_id, str(room)), data=data)


@transaction.atomic
def set_teaching(
    *,
    person: Person,
    weekdays: Iterable[int],
    most_a_day: int,
    languages: Sequence[str],
    modules: Sequence[Module],
    by: Actor,
) -> Teaching:
    """When somebody teaches, and what; no modules: anything. No languages: any."""
    policy.require(by, "plan sessions")
    days = sorted(set(weekdays))
    row, _ = Teaching.objects.update_or_create(
        person=person, defaults={"weekdays": days, "most_a_day": most_a_day, "languages": list(languages)}
    )
    row.modules.set(modules)
    data = {
        "days": ", ".join(WEEKDAYS[day] for day in days) or "no day",
        "most": most_a_day,
        "what": ", ".join(module.title for module in modules) or "anything",
    }
    record("set_teaching", by=by, about=Named("person", person.public_id, person.name), data=data)
    return row
