"""Paths: who stands where, and how long it takes to the top. Rules: 4, 16."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from stepladder.assignments.columns import path_standings
from stepladder.assignments.models import PathReason
from stepladder.core.days import FOREVER
from stepladder.core.reports import Cells, Facts, Middle, Value
from stepladder.courses.models import Path, PathEdition
from stepladder.courses.paths import plan_of, stages_of
from stepladder.courses.standing import PathStanding
from stepladder.learning.models import Completion

__all__ = ["DAYS", "PathLine", "path_lines"]

DAYS = Middle("days_taken", "days to the top", value="days_taken")


@dataclass(frozen=True)
class PathLine:
    """A path: how its people stand today, stage by stage, and the days that those at the top took."""

    path: Path
    title: str
    standing: PathStanding | None
    stages: Sequence[str]
    days: Value

    @property
    def climb(self) -> list[tuple[str, int, int]]:
        """(stage, how many are in it, how many of them late)."""
        if self.standing is None:
            return []
        return [(name, stage.here, stage.late) for name, stage in zip(self.stages, self.standing.stages, strict=False)]


def path_lines(day: date, seen: Collection[int] | None) -> list[PathLine]:
    """Every released path, by title; of these people (None: of all)."""
    known = PathEdition.objects.known_now().filter(path__state="released").select_related("path")
    editions = list(known.order_by("title", "pk"))
    standings = path_standings(editions, day=day, seen=seen)
    taken = _days_taken(editions, seen)
    return [
        PathLine(
            edition.path,
            edition.title,
            standings.get(edition.path_id),
            [stage.title or f"Stage {n}" for n, stage in enumerate(stages_of(edition), 1)],
            _middle(taken.get(edition.path_id, [])),
        )
        for edition in editions
    ]


def _days_taken(editions: Sequence[PathEdition], seen: Collection[int] | None) -> dict[int, list[int]]:
    """Path → for everybody who has all its obligatory courses the days from the opening of the path to the last of them."""
    asked = {edition.path_id: set(plan_of(edition).obligatory) for edition in editions}
    opened: dict[tuple[int, int], date] = {}
    rows = PathReason.objects.filter(path__in=asked, known_to=FOREVER).order_by("opened")
    for person, path, on in rows.values_list("person_id", "path_id", "opened"):
        if seen is None or person in seen:
            opened.setdefault((person, path), on)
    courses = {course for of_path in asked.values() for course in of_path}
    completed: dict[tuple[int, int], list[date]] = defaultdict(list)
    done = Completion.objects.known_now().filter(course__in=courses).order_by("day")
    for person, course, on in done.values_list("person_id", "course_id", "day").iterator():
        completed[person, course].append(on)
    found: dict[int, list[int]] = defaultdict(list)
    for (person, path), on in opened.items():
        # What was done before the opening counts from it: 0 days.
        days = [completed.get((person, course), [None])[0] for course in asked[path]]
        if days and None not in days:
            found[path].append(max(0, max((day - on).days for day in days if day is not None)))
    return found


def _middle(days: Sequence[int]) -> Value:
    values = np.array(days, dtype=float)
    none = np.zeros(len(values), dtype=np.int64)
    return DAYS.values(Cells(Facts(none, none, none, {"days_taken": values}), np.arange(len(values)), none, 1))[0]
