"""Who was covered, as a pack states it: everybody of its reach and each of its courses, asked for or not."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any

import numpy as np

from stepladder.assignments.queries import RequirementStatus, requirements
from stepladder.core.columns import is_one_of
from stepladder.core.days import FOREVER
from stepladder.core.requirements import COVERED, WORST_FIRST, Status
from stepladder.core.validity import Link, link_on
from stepladder.courses.models import Course
from stepladder.evidence.gathering import in_pieces_of
from stepladder.learning.models import Completion, ValiditySpan
from stepladder.learning.validity import link_from
from stepladder.people.models import Person
from stepladder.people.queries import places_of
from stepladder.records.attending import requirement_columns

__all__ = ["COVERED_HEADS", "covered_lines", "standing_counts"]

COVERED_HEADS = (
    "number",
    "name",
    "where",
    "course",
    "asked",
    "status",
    "covered",
    "valid until",
    "completed on",
    "certificate",
    "due",
    "counts from",
    "person",
    "course key",
)
# So many people at once: their requirements and links are read together.
TOGETHER = 250


def standing_counts(people: Sequence[int], courses: Sequence[int], *, day: date, known_on: date) -> dict[Status, int]:
    """How many of what is asked of these people in these courses stand how: mandatory and suggested."""
    columns = requirement_columns(day=day, known_on=known_on)
    keep = is_one_of(columns.person, people) & is_one_of(columns.course, courses)
    counts = np.bincount(columns.rank[keep], minlength=len(WORST_FIRST)).tolist()
    return {status: count for status, count in zip(WORST_FIRST, counts, strict=True) if count}


def covered_lines(
    people: Sequence[int], courses: Sequence[Course], *, day: date, known_on: date
) -> Iterator[list[tuple[Any, ...]]]:
    """The lines of so many people at a time, by COVERED_HEADS; of those, people by name."""
    keys = [course.pk for course in courses]
    ordered = Person.objects.filter(pk__in=people).order_by("family_name", "given_name", "pk")
    for some in in_pieces_of(list(ordered.values_list("pk", flat=True)), TOGETHER):
        found = Person.objects.in_bulk(some)
        asked = {
            (row.person, row.course): row for row in requirements(people=some, courses=keys, day=day, known_on=known_on)
        }
        links = _links(some, keys, day, known_on)
        completions = Completion.objects.in_bulk([link.key for link in links.values()])
        places = places_of(some, day, known_on=known_on)
        yield [
            _line(
                found[key],
                places.get(key, ""),
                course,
                asked.get((key, course.pk)),
                links.get((key, course.pk)),
                completions,
                day,
            )
            for key in some
            for course in courses
        ]


def _links(people: list[int], courses: list[int], day: date, known_on: date) -> dict[tuple[int, int], Link]:
    spans = ValiditySpan.objects.filter(
        person__in=people, course__in=courses, first__lte=day, known_from__lte=known_on, known_to__gt=known_on
    )
    chains: dict[tuple[int, int], list[Link]] = {}
    for row in spans.order_by("first"):
        chains.setdefault((row.person_id, row.course_id), []).append(link_from(row))
    speaking = ((pair, link_on(chain, day)) for pair, chain in chains.items())
    return {pair: link for pair, link in speaking if link is not None}


def _line(
    person: Person,
    where: str,
    course: Course,
    asked: RequirementStatus | None,
    link: Link | None,
    completions: dict[int, Completion],
    day: date,
) -> tuple[Any, ...]:
    # Who is asked for nothing is covered by what they hold.
    is_held = link is not None and day <= link.valid_until
    status = asked.requirement.status if asked else None
    is_covered = status in COVERED if asked else is_held
    completion = completions.get(link.key) if link else None
    how = "" if not asked else "mandatory" if asked.requirement.mandatory else "suggested"
    return (
        person.employee_number,
        person.name,
        where,
        course.title,
        how or "not asked for",
        str(status) if status else "not asked for",
        "yes" if is_covered else "no",
        _until(link),
        link.taken if link else None,
        completion.number if completion else "",
        asked.requirement.due if asked and status is not Status.CURRENT else None,
        _counts_from(asked) if asked and is_held and not is_covered else None,
        person.pk,
        course.pk,
    )


def _until(link: Link | None) -> str:
    if link is None:
        return ""
    return "no end" if link.valid_until == FOREVER else link.valid_until.isoformat()


def _counts_from(asked: RequirementStatus) -> date | None:
    """From which day on something had to be taken to count, where a reason that holds asks for that."""
    days = [r.taken_from for r in asked.reasons if r.taken_from and r.is_mandatory == asked.requirement.mandatory]
    return max(days, default=None)
