"""A path as its sheet draws it: stages over days, their courses, and who stands where."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

from django.db.models import Q

from stepladder.core.catalogue import path_minutes
from stepladder.core.lengths import LENGTHS
from stepladder.core.path_columns import StageCount
from stepladder.courses.forms import StageForm
from stepladder.courses.keeping import choosable
from stepladder.courses.lengths import course_minutes
from stepladder.courses.models import Course, Path, PathEdition
from stepladder.courses.paths import StagePlan, edition_of, stages_of
from stepladder.courses.picking import MOST_CHOICES
from stepladder.courses.standing import PathStanding, standing_of
from stepladder.search.words import words_of
from stepladder.topics.models import Topic

__all__ = ["Choice", "ChoiceFilters", "PathSheet", "StageView", "choices", "path_sheet"]


@dataclass(frozen=True)
class StageView:
    """A stage as drawn: its courses and electives with their minutes, the day of its landing for who starts on the day asked for, and
    who stands in it (None: it is not told, or the stage is not as released)."""

    number: int
    plan: StagePlan
    form: StageForm
    courses: list[tuple[Course, int]]
    electives: list[tuple[Course, int]]
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
    def electives(self) -> int:
        return sum(len(stage.electives) for stage in self.stages)

    @property
    def choose(self) -> int:
        """How many of the electives one chooses."""
        return sum(stage.plan.choose for stage in self.stages if stage.electives)

    @property
    def minutes(self) -> int:
        """Of all that is asked; of electives the shortest."""
        return path_minutes(
            (minutes for stage in self.stages for _, minutes in stage.courses),
            [([minutes for _, minutes in stage.electives], stage.plan.choose) for stage in self.stages],
        )

    @property
    def is_changed(self) -> bool:
        """Whether the draft says anything that no edition says yet."""
        if self.edition is None or stages_of(self.path) != stages_of(self.edition):
            return True
        return any(getattr(self.path, n) != getattr(self.edition, n) for n in ("title", "summary", "is_in_order"))


def path_sheet(account: Any, path: Path, starts: date) -> PathSheet:
    """What an account sees of a path, drawn for somebody who starts on a day."""
    plans, edition, standing = stages_of(path), edition_of(path), standing_of(account, path)
    keys = [key for plan in plans for key in plan.every]
    courses, minutes = Course.objects.select_related("alone").in_bulk(keys), course_minutes(keys)
    released = stages_of(edition) if edition else []

    def count(number: int, plan: StagePlan) -> StageCount | None:
        is_as_released = number < len(released) and released[number].core == plan.core
        return standing.stages[number] if standing and is_as_released else None

    stages = [
        StageView(
            number,
            plan,
            StageForm(initial=plan.stored(), prefix=f"s{plan.key}"),
            [(courses[key], minutes.get(key, 0)) for key in plan.courses if key in courses],
            [(courses[key], minutes.get(key, 0)) for key in plan.electives if key in courses],
            starts + timedelta(days=plan.window_days) if plan.window_days is not None else None,
            count(number, plan),
        )
        for number, plan in enumerate(plans)
    ]
    return PathSheet(path, edition, stages, standing)


@dataclass(frozen=True)
class Choice:
    """A course, or a module by itself, that can be put into a path, or the number of the stage (from 1) in which it is."""

    course: Course
    kind: str
    minutes: int
    stage: int | None


@dataclass(frozen=True)
class ChoiceFilters:
    """What the picker is narrowed to; what is empty is not asked. *kind*: "course", or a kind of module by itself."""

    text: str = ""
    kind: str = ""
    topic: str = ""
    length: str = ""
    level: str = ""
    binder: str = ""

    @classmethod
    def of(cls, said: Mapping[str, str]) -> ChoiceFilters:
        """As the picker sends it."""
        length = said.get("length", "")
        return cls(
            said.get("q", ""),
            said.get("kind", ""),
            said.get("topic", ""),
            length if length in LENGTHS else "",
            said.get("level", ""),
            said.get("binder", ""),
        )


def choices(account: Any, path: Path, filters: ChoiceFilters, *, start: int = 0) -> list[Choice]:
    """What is released, for the picker, narrowed as one types; MOST_CHOICES of them from *start* on, by title."""
    places = {key: number for number, plan in enumerate(stages_of(path), 1) for key in plan.every}
    found = choosable(account)
    for word in words_of(filters.text):
        found = found.filter(title__icontains=word)
    if filters.kind:
        found = found.filter(alone__isnull=True) if filters.kind == "course" else found.filter(alone__kind=filters.kind)
    if filters.topic:
        about = Topic.objects.filter(Q(public_id=filters.topic) | Q(parent__public_id=filters.topic))
        found = found.filter(pk__in=Course.topics.through.objects.filter(topic__in=about).values("course"))
    if filters.binder:
        found = found.filter(binder__public_id=filters.binder)
    if filters.level:
        found = found.filter(offer__level=filters.level)
    if filters.length:
        least, most = LENGTHS[filters.length].bounds
        minutes = course_minutes()
        fitting = [key for key, n in minutes.items() if least < n and (most is None or n <= most)]
        found = found.filter(pk__in=fitting)
    rows: Sequence[Course] = list(found.select_related("alone").order_by("title", "pk")[start : start + MOST_CHOICES])
    minutes = course_minutes([course.pk for course in rows])
    return [
        Choice(
            course, course.alone.kind if course.alone else "course", minutes.get(course.pk, 0), places.get(course.pk)
        )
        for course in rows
    ]
