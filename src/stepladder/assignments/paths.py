"""How people stand with learning paths, on any day. Rule: 4."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

from django.db.models import Q

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.assignments.deriving import core_reason
from stepladder.assignments.models import PathReason, Reason
from stepladder.assignments.queries import RequirementStatus, requirements, waivers_of
from stepladder.core.days import FOREVER, Span
from stepladder.core.paths import DONE, Awaited, Plan, path_link, stage_due, waits_for
from stepladder.core.requirements import Requirement, merge, reason_status
from stepladder.core.validity import Link, link_on
from stepladder.courses.models import Course, PathEdition
from stepladder.courses.paths import StagePlan, plan_of, stages_of
from stepladder.learning.models import ValiditySpan
from stepladder.learning.validity import link_from
from stepladder.people.models import Person
from stepladder.people.queries import first_days, reckoned_on
from stepladder.reaches.stored import leave_of

__all__ = ["Climb", "StageClimb", "climbs", "climbs_ahead", "electives_of", "first_comes"]


@dataclass(frozen=True)
class StageClimb:
    """A stage as somebody stands in it: each obligatory course with its requirement; the electives, which of them count as done,
    and how many are asked."""

    stage: StagePlan
    courses: list[tuple[int, Requirement]]
    chosen: frozenset[int] = frozenset()
    owed_electives: int = 0
    # The day by which as many electives as are asked are to be done.
    chosen_by: date | None = None

    @property
    def electives(self) -> list[tuple[int, bool]]:
        """(course, whether it counts as done)."""
        return [(course, course in self.chosen) for course in self.stage.electives]

    @property
    def to_choose(self) -> int:
        """How many electives are still to be done."""
        return max(0, self.owed_electives - len(self.chosen))

    @property
    def owed(self) -> int:
        return len(self.courses) + self.owed_electives

    @property
    def done(self) -> int:
        return sum(r.status in DONE for _, r in self.courses) + self.owed_electives - self.to_choose

    @property
    def is_done(self) -> bool:
        return self.done == self.owed

    @property
    def due(self) -> date | None:
        """The day by which what is not done in it is due first."""
        days = [r.due for _, r in self.courses if r.due and r.status not in DONE]
        if self.to_choose and self.chosen_by:
            days.append(self.chosen_by)
        return min(days, default=None)


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
        return sum(stage.owed for stage in self.stages)

    @property
    def done(self) -> int:
        return sum(stage.done for stage in self.stages)

    @property
    def now(self) -> int:
        """The number of the stage one is in, from 1; the last where all are done."""
        return next((n for n, stage in enumerate(self.stages, 1) if not stage.is_done), len(self.stages))

    @property
    def here(self) -> StageClimb:
        return self.stages[self.now - 1]

    @property
    def left(self) -> list[int]:
        """The obligatory courses that are still to be done, in order."""
        return [course for stage in self.stages for course, r in stage.courses if r.status not in DONE]


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
    asked = {key for plan in plans.values() for key in plan.obligatory}
    required = {(s.person, s.course): s for s in requirements(people=who, day=day, known_on=known, courses=asked)}
    waivers = waivers_of(who, known)
    electives = {course for plan in plans.values() for stage in plan.stages for course in stage.electives}
    links = {key: asked.link for key, asked in required.items()} | _links(who, electives, day, known)
    leave = leave_of(who, known_on=known) if electives else {}
    return [
        _climb(editions[path], plans[path], of_path, required, _Held(links, waivers, leave), day)
        for (person, path), of_path in grouped.items()
        if path in editions
    ]


def climbs_ahead(people: Sequence[int] | None, day: date) -> list[Climb]:
    """The paths of these people on a day; of people to come, those that will be asked of them on their first. Rule: 4."""
    return [climb for on, who in reckoned_on(people, day) if who != [] for climb in climbs(people=who, day=on)]


@dataclass(frozen=True)
class _Held:
    """What people hold: by (person, course) the link that speaks on the day, and waivers; by person their leave."""

    links: Mapping[tuple[int, int], Link | None]
    waivers: Mapping[tuple[int, int], list[Span]]
    leave: Mapping[int, list[Span]]


def _links(
    people: Sequence[int], courses: Collection[int], day: date, known: date
) -> dict[tuple[int, int], Link | None]:
    """(person, course) → the link that speaks on a day, of courses that nothing but a path may ask for."""
    if not courses:
        return {}
    spans = ValiditySpan.objects.filter(
        person__in=people, course__in=courses, first__lte=day, known_from__lte=known, known_to__gt=known
    )
    chains: dict[tuple[int, int], list[Link]] = {}
    for row in spans.order_by("first"):
        chains.setdefault((row.person_id, row.course_id), []).append(link_from(row))
    return {key: link_on(links, day) for key, links in chains.items()}


def _climb(
    edition: PathEdition,
    plan: Plan,
    reasons: list[PathReason],
    required: Mapping[tuple[int, int], RequirementStatus],
    held: _Held,
    day: date,
) -> Climb:
    person = reasons[0].person_id
    waived = {c for c in plan.courses if any(day in span for span in held.waivers.get((person, c), ()))}
    links = {c: held.links.get((person, c)) for c in plan.courses}
    link, soon = path_link(plan, links, waived), organisation().soon_days
    # Waived from all of it is waived from the path.
    spans = [Span(day, day)] if waived == set(plan.courses) else []
    stands = [(r.pk, reason_status(core_reason(r), link, spans, day=day, soon_days=soon)) for r in reasons]
    requirement = merge(stands)
    assert requirement is not None
    leave = held.leave.get(person, ())
    stages = []
    for stage in stages_of(edition):
        asked = [(c, s.requirement) for c in stage.courses if (s := required.get((person, c)))]
        chosen = frozenset(
            c for c in stage.electives if c not in waived and (of := links[c]) is not None and day <= of.valid_until
        )
        days = [stage_due(stage.core, core_reason(r), leave) for r in reasons] if stage.electives else []
        by = min((one for one in days if one), default=None)
        stages.append(StageClimb(stage, asked, chosen, stage.core.owed_electives(waived), by))
    return Climb(person, edition, requirement, tuple(reasons), stages)


def first_comes(person: Person, course: Course) -> list[str]:
    """What of earlier stages comes before this course, in words; nothing where something else asks for it as well. Rule: 6."""
    today = clock.today()
    day = first_days([person.pk], today).get(person.pk, today)
    open_on = Q(first__lte=day, last__gte=day, known_from__lte=today, known_to__gt=today)
    asked = Reason.objects.filter(open_on, person=person, course=course)
    paths = set(asked.values_list("assignment__path_id", "wish__path_id"))
    # An elective that one has chosen is asked for by that choice too: it waits as its stage does all the same.
    climbed = PathReason.objects.filter(open_on, person=person).values_list("path_id", flat=True)
    editions = list(PathEdition.objects.known_now().filter(path__in=set(climbed)))
    plans = {edition.path_id: plan_of(edition) for edition in editions}
    of_choice = {path for path, plan in plans.items() if any(course.pk in stage.electives for stage in plan.stages)}
    asking = {path or wished for path, wished in paths} - ({None} if of_choice else set())
    if None in asking or not (asking | of_choice):
        return []
    keys = {key for plan in plans.values() for key in plan.courses}
    covered = {s.course for s in requirements(people=[person.pk], day=day) if s.requirement.status in DONE}
    covered |= {c for (_, c), link in _links([person.pk], keys, day, today).items() if link and day <= link.valid_until}
    waiting = [waits_for(plans[path], course.pk, covered) for path in sorted(asking | of_choice) if path in plans]
    if not waiting or any(not first for first in waiting):
        return []
    titles = Course.objects.in_bulk([key for one in waiting[0] for key in one.courses])
    return [_awaited(one, {key: found.title for key, found in titles.items()}) for one in waiting[0]]


def _awaited(first: Awaited, titles: Mapping[int, str]) -> str:
    named = [titles[key] for key in first.courses]
    return named[0] if len(named) == 1 else f"{first.number} of {', '.join(named)}"


def electives_of(person: Person) -> dict[int, str]:
    """The courses that the paths which somebody climbs leave to their choice, each with the path's title. Rule: 6."""
    today = clock.today()
    climbed = PathReason.objects.filter(person=person, last__gte=today, known_to=FOREVER).values("path")
    editions = PathEdition.objects.known_now().filter(path__in=climbed).order_by("title")
    return {key: edition.title for edition in editions for stage in stages_of(edition) for key in stage.electives}
