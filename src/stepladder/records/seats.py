"""The flag beside a status: booked, or booked late. Rule: 5."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from stepladder.assignments.queries import requirements
from stepladder.core.days import FOREVER
from stepladder.records.list_columns import ListRow
from stepladder.timetable.queries import Seat, booked_flag, seats_for

__all__ = ["SeatFlag", "seat_flags"]


@dataclass(frozen=True)
class SeatFlag:
    """That somebody has a seat for what is asked of them: in time, or late."""

    description: str
    seat: Seat

    def __str__(self) -> str:
        return self.description


def seat_flags(rows: Iterable[ListRow], day: date, known_on: date) -> dict[str, SeatFlag]:
    """`ListRow.key` → the flag, for rows whose person has a seat in a session on *day* or later; of a past
    day, or as known on one, the seats that were booked by then."""
    shown = list(rows)
    seats = seats_for((row.person.pk for row in shown), min(day, known_on))
    booked = [row for row in shown if (seat := seats.get(row.pair)) and seat.ends_on >= day]
    if not booked:
        return {}
    people, courses = {row.person.pk for row in booked}, {row.course.pk for row in booked}
    needed: dict[tuple[int, int], date | None] = {}
    for found in requirements(people=sorted(people), courses=sorted(courses), day=day, known_on=known_on):
        needed[found.person, found.course] = found.requirement.needed_by
    flags = {}
    for row in booked:
        by = needed.get(row.pair)
        flags[row.key] = SeatFlag(booked_flag(seats[row.pair], None if by == FOREVER else by), seats[row.pair])
    return flags
