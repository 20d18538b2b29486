"""The list of assignments, and whom one of them asks."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np
from django.db.models import QuerySet
from numpy.typing import NDArray

from stepladder import clock
from stepladder.assignments.columns import asked_by, assignment_counts
from stepladder.assignments.models import Assignment, AssignmentRule
from stepladder.assignments.paths import Climb, climbs
from stepladder.assignments.queries import RequirementStatus, requirements
from stepladder.core.columns import RANK, is_one_of
from stepladder.core.requirements import LATE
from stepladder.learning.queries import course_titles
from stepladder.people.models import Person
from stepladder.people.name_order import names
from stepladder.reaches.stored import load_world, parse, sentence
from stepladder.web.tables import LazyRows

__all__ = ["AskedPerson", "AskedPersons", "AssignmentRow", "assignment_rows", "ruled"]


def ruled(assignments: QuerySet[Assignment], *, show: str) -> list[AssignmentRule]:
    """What these assignments ask, in order of their names; *show*: "" what has not ended, "ended" what does not run today, or "all"."""
    today = clock.today()
    rules = AssignmentRule.objects.known_now().filter(assignment__in=assignments)
    rows = rules.select_related("assignment__course", "assignment__path").order_by("assignment__name", "assignment__pk")
    if show == "ended":
        return [rule for rule in rows if not is_running(rule, today)]
    return [rule for rule in rows if show or rule.end is None or rule.end >= today]


def is_running(rule: AssignmentRule, day: date) -> bool:
    """Whether it asks anything of anybody on a day."""
    return rule.start <= day and (rule.end is None or rule.end >= day)


@dataclass(frozen=True)
class AssignmentRow:
    """An assignment in a list, with how many people it asks today, and how many of these are late by it."""

    assignment: Assignment
    rule: AssignmentRule
    reach: str
    people: int
    late: int


def assignment_rows(rules: Sequence[AssignmentRule]) -> list[AssignmentRow]:
    """A row for each rule. Of a path its people are counted, not the courses that each of them has by it."""
    today, world, titles = clock.today(), load_world(), course_titles()
    late = [RANK[status] for status in LATE]
    rows = []
    for rule in rules:
        reach = parse(rule.reach)
        text = sentence(reach.condition, world, courses=titles) if reach.condition else "named people"
        counts = assignment_counts(rule.assignment, day=today, known_on=today)
        rows.append(
            AssignmentRow(
                rule.assignment, rule, text, int(counts.sum()), int(counts[late].sum()) if rule.is_mandatory else 0
            )
        )
    return rows


@dataclass(frozen=True)
class AskedPerson:
    """Somebody whom an assignment asks, and how they stand; None where the reader may not know."""

    person: Person
    asked: RequirementStatus | Climb | None


class AskedPersons(LazyRows[AskedPerson]):
    """Whom an assignment asks on a day, the worst first; a slice makes its rows, with a few queries for any number of them.

    *shown* are those whom the reader may see, *readable* those whose record they may read (None: everybody). Who may not be read
    stands among the rest by name: the order tells nothing either.
    """

    def __init__(
        self,
        assignment: Assignment,
        day: date,
        *,
        shown: Collection[int] | None = None,
        readable: Collection[int] | None = None,
    ) -> None:
        self.assignment, self.day = assignment, day
        asked = asked_by(assignment, day=day, known_on=day)
        if shown is not None:
            asked = asked.where(is_one_of(asked.person, shown))
        self._readable = np.ones(len(asked), dtype=bool) if readable is None else is_one_of(asked.person, readable)
        rank = np.where(self._readable, asked.rank, len(RANK))
        order = np.lexsort((names().order[asked.person], rank))
        self._people: NDArray[np.int32] = asked.person[order]
        self._readable = self._readable[order]

    def __len__(self) -> int:
        return len(self._people)

    def made(self, start: int, stop: int) -> list[AskedPerson]:
        keys = self._people[start:stop].tolist()
        readable = [key for key, may_read in zip(keys, self._readable[start:stop].tolist(), strict=True) if may_read]
        people, asked = Person.objects.in_bulk(keys), self._asked(readable)
        return [AskedPerson(people[key], asked.get(key)) for key in keys]

    def _asked(self, people: list[int]) -> dict[int, RequirementStatus | Climb]:
        if self.assignment.course_id is None:
            climbing = climbs(people=people, day=self.day)
            return {row.person: row for row in climbing if row.edition.path_id == self.assignment.path_id}
        return {
            row.person: row for row in requirements(people=people, day=self.day, courses=[self.assignment.course_id])
        }
