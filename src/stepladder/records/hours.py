"""How long one person learned, year by year. Rule: 16."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from datetime import date

from stepladder import clock
from stepladder.core.time_columns import seconds_by_day
from stepladder.people.models import Person
from stepladder.timetable.stretches import bounds, stretches_in

__all__ = ["YearOfHours", "add_minutes", "hours_of"]

# Of the hours of a person's first years: before it nobody recorded when anything began.
FIRST = date(1970, 1, 2)


@dataclass(frozen=True)
class YearOfHours:
    """A year of the organisation, by its first day: minutes learned here, and elsewhere as confirmed."""

    first: date
    here: int
    outside: int

    @property
    def label(self) -> str:
        """ "2026", or "2026/27" where the year begins in another month than January."""
        return str(self.first.year) if self.first.month == 1 else f"{self.first.year}/{(self.first.year + 1) % 100:02d}"


MinutesOf = Callable[[Person, date, date], list[tuple[date, int]]]
_elsewhere: list[MinutesOf] = []


def add_minutes(minutes: MinutesOf) -> None:
    """Hand in (day, minutes) that somebody learned elsewhere: of a person, by a day, as known on a day."""
    _elsewhere.append(minutes)


def hours_of(person: Person, *, day: date, known_on: date) -> list[YearOfHours]:
    """The years in which somebody learned anything by a day, the newest first; of what was told by the other day."""
    here: dict[date, float] = defaultdict(float)
    outside: dict[date, int] = defaultdict(int)
    calendar = clock.calendar()
    begun, before = bounds(FIRST, min(day, known_on))
    _, _, days, seconds = seconds_by_day(stretches_in(begun, before, person=person.pk).columns, clock.zone())
    for ordinal, some in zip(days.tolist(), seconds.tolist(), strict=True):
        if ordinal <= min(day, known_on).toordinal():
            here[calendar.start_of("year", date.fromordinal(ordinal))] += some
    for minutes_of in _elsewhere:
        for on, minutes in minutes_of(person, day, known_on):
            outside[calendar.start_of("year", on)] += minutes
    return [
        YearOfHours(first, round(here[first] / 60), outside[first]) for first in sorted({*here, *outside}, reverse=True)
    ]
