"""Of which requirements each rule speaks: the narrowest level that has a rule for a moment speaks instead of the wider ones."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from stepladder.assignments.columns import asked_columns, open_reasons
from stepladder.assignments.models import Assignment
from stepladder.core.columns import ReasonColumns, RequirementColumns, is_one_of
from stepladder.core.requirements import LATE
from stepladder.courses.models import PathEdition
from stepladder.courses.paths import plan_of
from stepladder.telling.models import NoticeRule

__all__ = ["Asked", "Level", "asked_on"]

Mask = NDArray[np.bool_]


@dataclass(frozen=True)
class Asked:
    """What is asked of people (None: of everybody) on a day, of courses or of paths."""

    is_path: bool
    rows: RequirementColumns
    day: date
    people: Sequence[int] | None

    @cached_property
    def reasons(self) -> ReasonColumns:
        """The open reasons it came from: read only where a rule asks for them, as they are millions in a large firm."""
        return open_reasons(day=self.day, is_path=self.is_path, people=self.people)


@dataclass(frozen=True)
class AskedOn:
    """Everything asked on a day: of courses, and of paths."""

    courses: Asked
    paths: Asked

    @cached_property
    def only_by_paths(self) -> Mask:
        """Of the courses' rows: those that paths alone ask for. A path's own notice names them, and they send none before they are
        late. Rule: 13."""
        path_assignments = list(Assignment.objects.filter(path__isnull=False).values_list("pk", flat=True))
        if not path_assignments:
            return np.zeros(len(self.courses.rows), dtype=bool)
        reasons = self.courses.reasons
        # 0 is a wish: chosen for itself.
        others = reasons.where(~is_one_of(reasons.assignment, path_assignments))
        return ~np.isin(self.courses.rows.keys, others.keys)

    @cached_property
    def late_by_a_course(self) -> Mask:
        """Of the paths' rows: those of whoever is late with one of the path's courses, which then speaks for itself."""
        rows, late = self.courses.rows, self.courses.rows.stands(LATE)
        found = np.zeros(len(self.paths.rows), dtype=bool)
        paths = np.unique(self.paths.rows.course).tolist()
        for edition in PathEdition.objects.known_now().filter(path__in=paths):
            of_courses = late & is_one_of(rows.course, plan_of(edition).obligatory)
            found |= (self.paths.rows.course == edition.path_id) & np.isin(
                self.paths.rows.person, rows.person[of_courses]
            )
        return found


def asked_on(day: date, *, people: Sequence[int] | None = None) -> AskedOn:
    """What is asked of these people (None: everybody) on a day, as known on it."""
    return AskedOn(
        *(
            Asked(is_path, asked_columns(day=day, is_path=is_path, people=people), day, people)
            for is_path in (False, True)
        )
    )


class Level:
    """The rules of one moment, each with the rows it speaks of."""

    def __init__(self, rules: Sequence[NoticeRule], asked: AskedOn) -> None:
        self.asked = asked
        self._of_courses = {rule.course_id for rule in rules if rule.course_id}
        self._of_paths = {rule.path_id for rule in rules if rule.path_id}
        self._assignments = {rule.assignment_id for rule in rules if rule.assignment_id}

    def rows_of(self, rule: NoticeRule) -> list[tuple[bool, RequirementColumns]]:
        """What a rule speaks of, whatever the day: (whether it is paths, rows), of courses and of paths."""
        found = []
        for asked in (self.asked.courses, self.asked.paths):
            keep = self._own(rule, asked)
            if rule.offset <= 0 and not asked.is_path:
                keep &= ~self.asked.only_by_paths
            elif rule.offset > 0 and asked.is_path and len(asked.rows):
                keep &= ~self.asked.late_by_a_course
            found.append((asked.is_path, asked.rows.where(keep)))
        return found

    def _own(self, rule: NoticeRule, asked: Asked) -> Mask:
        if rule.assignment_id:
            return self._by(asked, {rule.assignment_id})
        # What another assignment asks for as well is that one's too: the wider rules speak of it all the same.
        narrower = self._by(asked, self._assignments) & ~self._by(asked, self._assignments, others=True)
        if rule.course_id or rule.path_id:
            if asked.is_path != bool(rule.path_id):
                return np.zeros(len(asked.rows), dtype=bool)
            its_own: Mask = asked.rows.course == (rule.course_id or rule.path_id)
            return its_own & ~narrower
        own = self._of_paths if asked.is_path else self._of_courses
        return ~narrower & ~is_one_of(asked.rows.course, own)

    def _by(self, asked: Asked, assignments: set[int], *, others: bool = False) -> Mask:
        """Which rows one of these assignments asks for; with *others*, which one that is none of them does."""
        if not assignments:
            return np.zeros(len(asked.rows), dtype=bool)
        reasons = asked.reasons
        of = reasons.where(is_one_of(reasons.assignment, assignments) != others)
        return np.isin(asked.rows.keys, of.keys)
