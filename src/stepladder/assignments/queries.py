"""Reading requirements: by the core's rules, one person at a time or everybody at once."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import date

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.assignments.deriving import core_reason
from stepladder.assignments.models import Assignment, AssignmentRule, Reason, Waiver
from stepladder.core.days import FOREVER, Span
from stepladder.core.requirements import ReasonStatus, Requirement, merge, reason_status
from stepladder.core.validity import Link, link_on
from stepladder.learning.models import Enrolment, ValiditySpan
from stepladder.learning.validity import link_from
from stepladder.people.models import Person
from stepladder.people.queries import reckoned_on
from stepladder.reaches.stored import load_world, parse, sentence

__all__ = [
    "RequirementStatus",
    "asked_of",
    "open_places",
    "reach_sentence",
    "requirements",
    "rule_of",
    "waivers_of",
]


@dataclass(frozen=True)
class RequirementStatus:
    """A person's requirement for a course on a day, with the reasons it came from and how each stands."""

    person: int
    course: int
    requirement: Requirement
    reasons: tuple[Reason, ...]
    reason_statuses: tuple[ReasonStatus, ...]
    link: Link | None


def waivers_of(people: Sequence[int] | None, known_on: date) -> dict[tuple[int, int], list[Span]]:
    """(person, course) → waivers, as known on a day."""
    rows = Waiver.objects.known_on(known_on)
    if people is not None:
        rows = rows.filter(person__in=people)
    found: dict[tuple[int, int], list[Span]] = {}
    for person, course, first, last in rows.values_list("person_id", "course_id", "from_day", "to_day"):
        found.setdefault((person, course), []).append(Span(first, last or FOREVER))
    return found


def requirements(
    *,
    people: Sequence[int] | None = None,
    day: date,
    known_on: date | None = None,
    courses: Iterable[int] | None = None,
) -> list[RequirementStatus]:
    """The open requirements of these people on a day, by the facts known on a day (None: today), one by one."""
    known = known_on or clock.today()
    reasons = Reason.objects.filter(first__lte=day, last__gte=day, known_from__lte=known, known_to__gt=known)
    spans = ValiditySpan.objects.filter(first__lte=day, known_from__lte=known, known_to__gt=known)
    if people is not None:
        reasons, spans = reasons.filter(person__in=people), spans.filter(person__in=people)
    if courses is not None:
        wanted = list(courses)
        reasons, spans = reasons.filter(course__in=wanted), spans.filter(course__in=wanted)
    links: dict[tuple[int, int], list[Link]] = {}
    for row in spans.order_by("first"):
        links.setdefault((row.person_id, row.course_id), []).append(link_from(row))
    waivers = waivers_of(people, known)
    grouped: dict[tuple[int, int], list[Reason]] = {}
    for reason in reasons.select_related("assignment__course", "assignment__path", "wish").order_by(
        "person_id", "course_id", "pk"
    ):
        grouped.setdefault((reason.person_id, reason.course_id), []).append(reason)
    soon = organisation().soon_days
    found = []
    for (person, course), of_pair in grouped.items():
        link = link_on(links.get((person, course), []), day)
        reason_statuses = [
            reason_status(core_reason(r), link, waivers.get((person, course), []), day=day, soon_days=soon)
            for r in of_pair
        ]
        merged = merge([(r.pk, s) for r, s in zip(of_pair, reason_statuses, strict=True)])
        assert merged is not None
        found.append(RequirementStatus(person, course, merged, tuple(of_pair), tuple(reason_statuses), link))
    return found


def asked_of(
    people: Sequence[int] | None, day: date, *, courses: Collection[int] | None = None
) -> list[RequirementStatus]:
    """What is asked of these people (None: all) on a day; of people to come, what will be asked of them on their first. Rule: 4."""
    return [
        row
        for on, who in reckoned_on(people, day)
        if who != []
        for row in requirements(people=who, day=on, courses=courses)
    ]


def open_places(people: Sequence[int] | None) -> set[tuple[int, int]]:
    """(person, course) of open enrolments."""
    rows = Enrolment.objects.filter(completed_at__isnull=True, closed_on__isnull=True)
    if people is not None:
        rows = rows.filter(person__in=people)
    return set(rows.values_list("person_id", "course_id"))


def rule_of(assignment: Assignment) -> AssignmentRule:
    """What the assignment asks, as known now."""
    rule: AssignmentRule = AssignmentRule.objects.known_now().get(assignment=assignment)
    return rule


def reach_sentence(rule: AssignmentRule, courses: dict[int, str]) -> str:
    """Whom a rule means, as one reads it."""
    reach = parse(rule.reach)
    parts = [sentence(reach.condition, load_world(), courses=courses)] if reach.condition else []
    names = dict(Person.objects.filter(pk__in=reach.named_in | reach.named_out).values_list("pk", "family_name"))
    if reach.named_in:
        parts.append("also " + ", ".join(sorted(names.get(k, "?") for k in reach.named_in)))
    if reach.named_out:
        parts.append("never " + ", ".join(sorted(names.get(k, "?") for k in reach.named_out)))
    return "; ".join(parts)
