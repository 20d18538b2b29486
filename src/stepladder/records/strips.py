"""A person's validity over time, drawn."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from stepladder.core.days import FOREVER
from stepladder.core.validity import valid_spans
from stepladder.courses.models import Course
from stepladder.learning.models import ValiditySpan
from stepladder.learning.validity import link_from
from stepladder.people.models import Person

__all__ = ["Strip", "Strips", "strips_of"]

WIDTH = 620
YEARS_BACK, YEARS_ON = 2, 1


@dataclass(frozen=True)
class Strip:
    """One course: its bars as (x, width) and what they say in words."""

    course: Course
    bars: list[tuple[float, float]]
    description: str


@dataclass(frozen=True)
class Strips:
    """All strips on one scale of days."""

    strips: list[Strip]
    today_x: float
    ticks: list[tuple[float, str]]
    height: int


def strips_of(person: Person, *, day: date, known_on: date) -> Strips:
    """The days on which a person held each course, from two years back to a year on."""
    first, last = day - timedelta(days=365 * YEARS_BACK), day + timedelta(days=365 * YEARS_ON)
    # By what was completed up to the day: a past view shows nothing later.
    rows = ValiditySpan.objects.filter(
        person=person, first__lte=day, known_from__lte=known_on, known_to__gt=known_on
    ).order_by("first")
    chains: dict[int, list[ValiditySpan]] = {}
    for row in rows:
        chains.setdefault(row.course_id, []).append(row)
    courses = Course.objects.in_bulk(chains)
    scale = WIDTH / (last - first).days

    def x(on: date) -> float:
        return round((min(max(on, first), last) - first).days * scale, 1)

    strips = []
    for key, chain in sorted(chains.items(), key=lambda item: courses[item[0]].title):
        spans = valid_spans([link_from(row) for row in chain])
        bars = [(x(s.first), max(1.5, round(x(s.last) - x(s.first), 1))) for s in spans if s.last >= first]
        description = "; ".join(f"{s.first} to {'no end' if s.last == FOREVER else s.last}" for s in spans)
        strips.append(Strip(courses[key], bars, description))
    ticks = [(x(date(year, 1, 1)), str(year)) for year in range(first.year + 1, last.year + 1)]
    return Strips(strips, x(day), ticks, 22 * len(strips) + 26)
