"""How people stand with learning paths, on any day. Rule: 4."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.assignments.deriving import core_reason
from stepladder.assignments.models import PathReason, Reason
from stepladder.assignments.queries import RequirementStatus, requirements, waivers_of
from stepladder.core.days import Span
from stepladder.core.paths import DONE, Plan, path_link, waits_for
from stepladder.core.requirements import Requirement, merge, reason_status
from stepladder.core.validity import Link
from stepladder.courses.models import Course, PathEdition
from stepladder.courses.paths import StagePlan, plan_of, stages_of
from stepladder.people.models import Person
from stepladder.people.queries import first_days, reckoned_on

__all__ = ["Climb", "StageClimb", "climbs", "climbs_ahead", "first_comes"]


@dataclass(frozen=True)
class StageClimb:
    """A stage as somebody stands in it: each course with its requirement."""

    stage: StagePlan
    courses: list[tuple[int, Requirement]]

    @property
    def is_done(self) -> bool:
        return all(requirement.status in DONE for _, requirement in self.courses)

    @property
    def due(self) -> date | None:
        """The day by which what is not done in it is due first."""
        return min((r.due for _, r in self.courses if r.due and r.status not in DONE), default=None)


@dataclass(frozen=True)
class Climb:
    """How somebody stands with a path: its status, and how far they have climbed."""

    person: int
    edition: PathEdition
    requirement: Requirement
    reasons: tuple[PathReason, ...]
    stages: list[StageClimb]

    @property
    def owed(self) -> int:
        return sum(len(stage.courses) for stage in self.stages)

    @property
    def done(self) -> int:
        return sum(r.status in DONE for stage in self.stages for _, r in stage.courses)

    @property
    def now(self) -> int:
        """The number of the stage one is in, from 1; the last where all are done."""
        return next((n for n, stage in enumerate(self.stages, 1) if not stage.is_done), len(self.stages))

    @property
    def here(self) -> StageClimb:
        return self.stages[self.now - 1]

    @property
    def courses(self) -> set[int]:
        return {course for stage in self.stages for course, _ in stage.courses}


def climbs(
    *,
    people: Sequence[int] | None = None,
    day: date,
    known_on: date | None = None,
    assignments: Iterable[int] | None = None,
) -> list[Climb]:
    """The paths that are asked of these people (None: all) on a day, one for each person and path."""
    known = known_on or clock.today()
    rows = PathReason.objects.filter(first__lte=day, last__gte=day, known_from__lte=known, known_to__gt=known)
    if people is not None:
        rows = rows.filter(person__in=people)
    if assignments is not None:
        rows = rows.filter(assignment__in=list(assignments))
    grouped: dict[tuple[int, int], list[PathReason]] = {}
    for row in rows.select_related("assignment", "wish").order_by("person_id", "path_id", "pk"):
        grouped.setdefault((row.person_id, row.path_id), []).append(row)
    if not grouped:
        return []
    editions = {e.path_id: e for e in PathEdition.objects.known_on(known).filter(path__in={p for _, p in grouped})}
    plans = {path: plan_of(edition) for path, edition in editions.items()}
    who = sorted({person for person, _ in grouped})
    asked = {key for plan in plans.values() for key in plan.courses}
    required = {(s.person, s.course): s for s in requirements(people=who, day=day, known_on=known, courses=asked)}
    waivers = waivers_of(who, known)
    return [
        _climb(person, editions[path], plans[path], of_path, required, waivers, day)
        for (person, path), of_path in grouped.items()
        if path in editions
    ]


def climbs_ahead(people: Sequence[int] | None, day: date) -> list[Climb]:
    """The paths of these people on a day; of people to come, those that will be asked of them on their first. Rule: 4."""
    return [climb for on, who in reckoned_on(people, day) if who != [] for climb in climbs(people=who, day=on)]


def _climb(
    person: int,
    edition: PathEdition,
    plan: Plan,
    reasons: list[PathReason],
    required: dict[tuple[int, int], RequirementStatus],
    waivers: dict[tuple[int, int], list[Span]],
    day: date,
) -> Climb:
    waived = {c for c in plan.courses if any(day in span for span in waivers.get((person, c), ()))}
    links: dict[int, Link | None] = {c: s.link for c in plan.courses if (s := required.get((person, c)))}
    link, soon = path_link(plan, links, waived), organisation().soon_days
    # Waived from all of it is waived from the path.
    spans = [Span(day, day)] if waived == set(plan.courses) else []
    stands = [(r.pk, reason_status(core_reason(r), link, spans, day=day, soon_days=soon)) for r in reasons]
    requirement = merge(stands)
    assert requirement is not None
    stages = [
        StageClimb(stage, [(c, s.requirement) for c in stage.courses if (s := required.get((person, c)))])
        for stage in stages_of(edition)
    ]
    return Climb(person, edition, requirement, tuple(reasons), stages)


def first_comes(person: Person, course: Course) -> list[str]:
    """The courses of earlier stages that come before this one; none where something else asks for it as well. Rule: 6."""
    today = clock.today()
    day = first_days([person.pk], today).get(person.pk, today)
    open_now = Reason.objects.filter(
        person=person, course=course, first__lte=day, last__gte=day, known_from__lte=today, known_to__gt=today
    )
    paths = {path or wished for path, wished in open_now.values_list("assignment__path_id", "wish__path_id")}
    if not paths or None in paths:
        return []
    covered = {s.course for s in requirements(people=[person.pk], day=day) if s.requirement.status in DONE}
    editions = PathEdition.objects.known_now().filter(path__in=paths)
    waiting = [waits_for(plan_of(edition), course.pk, covered) for edition in editions]
    if not waiting or any(not first for first in waiting):
        return []
    titles = Course.objects.in_bulk(waiting[0])
    return [titles[key].title for key in waiting[0]]
