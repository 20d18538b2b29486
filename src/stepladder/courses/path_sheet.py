"""A path as its sheet draws it: stages over days, their courses, and who stands where."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.db.models import Prefetch

from stepladder.accounts import policy
from stepladder.core.path_columns import StageCount
from stepladder.core.sequence import progress
from stepladder.courses.forms import StageForm
from stepladder.courses.models import Course, CourseState, Edition, Path, PathEdition, Step
from stepladder.courses.outline import outline_of
from stepladder.courses.paths import StagePlan, edition_of, stages_of
from stepladder.courses.standing import PathStanding, standing_of
from stepladder.search.words import words_of

__all__ = ["Choice", "PathSheet", "StageView", "choices", "minutes_of", "path_sheet"]

# So many choices are shown at once: more are found by typing.
MOST_CHOICES = 60


@dataclass(frozen=True)
class StageView:
    """A stage as drawn: its courses with their minutes, the day of its landing for who starts on the day asked for, and who stands
    in it (None: it is not told, or the stage is not as released)."""

    number: int
    plan: StagePlan
    form: StageForm
    courses: list[tuple[Course, int]]
    day: date | None
    count: StageCount | None


@dataclass(frozen=True)
class PathSheet:
    """The draft of a path, and beside it what is released."""

    path: Path
    edition: PathEdition | None
    stages: list[StageView]
    standing: PathStanding | None

    @property
    def courses(self) -> int:
        return sum(len(stage.courses) for stage in self.stages)

    @property
    def minutes(self) -> int:
        return sum(minutes for stage in self.stages for _, minutes in stage.courses)

    @property
    def is_changed(self) -> bool:
        """Whether the draft says anything that no edition says yet."""
        names = ("title", "summary", "is_in_order", "stages")
        return self.edition is None or any(getattr(self.path, n) != getattr(self.edition, n) for n in names)


def path_sheet(account: Any, path: Path, starts: date) -> PathSheet:
    """What an account sees of a path, drawn for somebody who starts on a day."""
    plans, edition, standing = stages_of(path), edition_of(path), standing_of(account, path)
    keys = [key for plan in plans for key in plan.courses]
    courses, minutes = Course.objects.in_bulk(keys), minutes_of(keys)
    released = stages_of(edition) if edition else []

    def count(number: int, plan: StagePlan) -> StageCount | None:
        is_as_released = number < len(released) and released[number].courses == plan.courses
        return standing.stages[number] if standing and is_as_released else None

    stages = [
        StageView(
            number,
            plan,
            StageForm(initial=plan.stored(), prefix=f"s{number}"),
            [(courses[key], minutes.get(key, 0)) for key in plan.courses if key in courses],
            starts + timedelta(days=plan.window_days) if plan.window_days is not None else None,
            count(number, plan),
        )
        for number, plan in enumerate(plans)
    ]
    return PathSheet(path, edition, stages, standing)


def minutes_of(courses: Collection[int]) -> dict[int, int]:
    """How long each of these courses takes as released: what is owed in it. Rule: 6."""
    steps = Prefetch("steps", Step.objects.select_related("module"))
    editions = Edition.objects.filter(course__in=courses, state=Edition.State.RELEASED).prefetch_related(steps)
    return {e.course_id: progress(outline_of(e, e.steps.all()), {}).minutes_left for e in editions}


@dataclass(frozen=True)
class Choice:
    """A course that can be put into a path, or the number of the stage (from 1) in which it is."""

    course: Course
    minutes: int
    stage: int | None


def choices(account: Any, path: Path, *, text: str) -> list[Choice]:
    """Released courses for the picker, narrowed as one types; the first sixty by title."""
    places = {key: number for number, plan in enumerate(stages_of(path), 1) for key in plan.courses}
    found = policy.visible(account, "see courses", Course.objects.filter(state=CourseState.RELEASED))
    for word in words_of(text):
        found = found.filter(title__icontains=word)
    rows: Sequence[Course] = list(found.order_by("title")[:MOST_CHOICES])
    minutes = minutes_of([course.pk for course in rows])
    return [Choice(course, minutes.get(course.pk, 0), places.get(course.pk)) for course in rows]
