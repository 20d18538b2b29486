"""Who is late, and how one person stands."""

from __future__ import annotations

from datetime import date

import numpy as np
from numpy.typing import NDArray

from stepladder.assignments.queries import requirements
from stepladder.core.columns import is_one_of
from stepladder.core.days import FOREVER
from stepladder.core.requirements import LATE, WORST_FIRST, Status
from stepladder.courses.models import Course
from stepladder.people.models import Person
from stepladder.records.attending import requirement_columns
from stepladder.records.list_columns import ListRow

__all__ = ["late_count", "late_summary", "requirements_of", "standing_counts"]


def _late(day: date, known_on: date, scope: frozenset[int] | None) -> tuple[NDArray[np.int32], NDArray[np.int32]]:
    """Person and course of everything mandatory that is late, in order of people."""
    columns = requirement_columns(day=day, known_on=known_on)
    late = columns.mandatory & columns.stands(LATE)
    if scope is not None:
        late &= is_one_of(columns.person, scope)
    return columns.person[late], columns.course[late]


def _different(ordered: NDArray[np.int32]) -> int:
    return int((ordered[1:] != ordered[:-1]).sum()) + min(len(ordered), 1)


def standing_counts(course: Course, day: date, scope: frozenset[int] | None = None) -> dict[Status, int]:
    """How many of those seen stand how with what is asked of them in a course on a day, the best first; none left at nought."""
    columns = requirement_columns(day=day, known_on=day)
    keep = columns.mandatory & (columns.course == course.pk)
    if scope is not None:
        keep &= is_one_of(columns.person, scope)
    counts = np.bincount(columns.rank[keep], minlength=len(WORST_FIRST)).tolist()
    best_first = zip(reversed(WORST_FIRST), reversed(counts), strict=True)
    return {status: count for status, count in best_first if count}


def late_count(day: date, scope: frozenset[int] | None = None, *, known_on: date | None = None) -> int:
    """How many of those seen are late with something mandatory on a day, as known on a day (None: then)."""
    return _different(_late(day, known_on or day, scope)[0])


def late_summary(day: date, scope: frozenset[int] | None = None) -> tuple[int, list[tuple[str, int]]]:
    """How many of those seen are late with something mandatory on a day; and per course, the most first."""
    people, courses = _late(day, day, scope)
    counts = np.bincount(courses)
    titles = Course.objects.filter(pk__in=np.flatnonzero(counts).tolist()).values_list("pk", "title")
    per_course = [(title, int(counts[key])) for key, title in titles]
    return _different(people), sorted(per_course, key=lambda row: (-row[1], row[0]))


def requirements_of(person: Person, day: date, known_on: date) -> list[ListRow]:
    """One person's requirements, mandatory and suggested, the worst first."""
    found = requirements(people=[person.pk], day=day, known_on=known_on)
    courses = Course.objects.in_bulk([row.course for row in found])
    rows = [
        ListRow(
            person,
            courses[row.course],
            row.requirement.status,
            row.requirement.due,
            row.requirement.valid_until if row.requirement.valid_until != FOREVER else None,
            "",
            None,
            row.requirement.mandatory,
        )
        for row in found
    ]
    return sorted(rows, key=lambda row: (WORST_FIRST.index(row.status), row.due or FOREVER))
