"""Why somebody stands as they do: which rule, which facts, which days."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from stepladder.assignments.models import AssignmentRule, Reason, Waiver
from stepladder.assignments.queries import RequirementStatus, requirements
from stepladder.core import reach as core
from stepladder.core.days import FOREVER
from stepladder.core.requirements import Status
from stepladder.courses.models import Course, PathEdition
from stepladder.courses.paths import stages_of
from stepladder.learning.models import Completion
from stepladder.learning.queries import course_titles
from stepladder.learning.validity import earned_spans, held_spans
from stepladder.people.models import Leave, Person
from stepladder.reaches.histories import load_histories
from stepladder.reaches.stored import load_world, parse, sentence
from stepladder.web.templatetags.web import day as written

__all__ = ["ReasonWhy", "Why", "explain"]


@dataclass(frozen=True)
class Condition:
    """A condition of a reach with whether it held on the day the reason opened."""

    text: str
    holds: bool
    depth: int


@dataclass(frozen=True)
class ReasonWhy:
    """One reason: what asks, why the person is in its reach, and how its due day came about. *rule* None: their own wish."""

    reason: Reason
    rule: AssignmentRule | None
    conditions: list[Condition]
    days: list[str]


@dataclass(frozen=True)
class Why:
    """All that a requirement's status on a day rests on; *standing* None: nothing asks for the course that day."""

    person: Person
    course: Course
    day: date
    required: RequirementStatus | None
    description: str
    reasons: list[ReasonWhy]
    completions: list[Completion]
    waivers: list[Waiver]
    leave: list[Leave]


def explain(person: Person, course: Course, *, day: date, known_on: date) -> Why:
    """Why the person stands so with the course on *day*, by what was known on *known_on*."""
    found = requirements(people=[person.pk], courses=[course.pk], day=day, known_on=known_on)
    required = found[0] if found else None
    completions = list(
        Completion.objects.known_on(known_on)
        .filter(person=person, course=course, day__lte=day)
        .select_related("edition")
        .order_by("-day")
    )
    waivers = list(Waiver.objects.known_on(known_on).filter(person=person, course=course).order_by("-from_day"))
    leave = list(Leave.objects.known_on(known_on).filter(person=person).order_by("-from_day"))
    reasons = [_reason(person, required, n, known_on) for n in range(len(required.reasons))] if required else []
    return Why(person, course, day, required, _describe(required, day), reasons, completions, waivers, leave)


def _describe(required: RequirementStatus | None, day: date) -> str:
    if required is None:
        return "No assignment asks for it on this day."
    requirement = required.requirement
    until = written(requirement.valid_until)
    due, grace = written(requirement.due), written(requirement.grace_until)
    description = {
        Status.WAIVED: "A waiver covers this day.",
        Status.CURRENT: f"The completion counts until {until}."
        if requirement.valid_until != FOREVER
        else "The completion counts for ever.",
        Status.RENEW: f"It counts until {until}, and may be renewed now without losing a day.",
        Status.IN_GRACE: f"It counted until {until}; grace excuses until {grace}.",
        Status.LAPSED: f"It counted until {until}, with grace until {grace}; that is over.",
        Status.OVERDUE: f"It was due on {due}, and nothing valid is there.",
        Status.DUE_SOON: f"It is due on {due}, and nothing valid is there yet.",
        Status.TO_DO: f"It is due on {due}." if requirement.due else "It has no due day yet.",
    }
    return description[requirement.status]


def _reason(person: Person, required: RequirementStatus, number: int, known_on: date) -> ReasonWhy:
    reason, how = required.reasons[number], required.reason_statuses[number]
    rule = AssignmentRule.objects.known_on(known_on).filter(assignment=reason.assignment_id).first()
    days = [f"Opened on {written(reason.opened)}."]
    if reason.opened < reason.first:
        days.append(f"Back on {written(reason.first)}, within 30 days: the old opening and due day stay.")
    days += _in_path(reason, known_on)
    if reason.due:
        days.append(f"Due on {written(reason.due)}.")
    else:
        days.append("No due day: a suggestion without one, or leave whose end is not known.")
    if how.due != reason.due and how.due is not None:
        days.append(f"A waiver moved that to {written(how.due)}.")
    if reason.last != FOREVER:
        days.append(f"Asked for until {written(reason.last)}.")
    if reason.taken_from:
        days.append(f"Only what was taken on or after {written(reason.taken_from)} counts.")
    conditions = _conditions(person, rule, reason.first, known_on) if rule else []
    return ReasonWhy(reason, rule, conditions, days)


def _in_path(reason: Reason, known_on: date) -> list[str]:
    """Where the course stands in the path that is asked for, and what its stage says of the day; nothing for a course."""
    edition = PathEdition.objects.known_on(known_on).filter(path=reason.of_path).first()
    if edition is None:
        return []
    numbered = enumerate(stages_of(edition), 1)
    number, stage = next(((n, s) for n, s in numbered if reason.course_id in s.courses), (0, None))
    if stage is None:
        return []
    by = f"{stage.window_days} days after the start" if stage.window_days is not None else "with the path"
    return [f"In stage {number} of the path “{edition.title}”, “{stage.title}”, which is due {by}."]


def _conditions(person: Person, rule: AssignmentRule, on: date, known_on: date) -> list[Condition]:
    held = held_spans([person.pk], known_on).get(person.pk, {})
    facts = load_histories([person.pk])[person.pk].facts(
        known_on, held, earned_spans([person.pk], known_on).get(person.pk, {})
    )
    if facts is None:
        return []
    world, titles = load_world(), course_titles()
    found: list[Condition] = []

    def walk(finding: core.Finding, depth: int) -> None:
        condition = finding.condition
        if isinstance(condition, str):
            text = {"named in": "named in it", "named out": "named out of it", "inactive": "not with us that day"}[
                condition
            ]
            found.append(Condition(text, finding.holds, depth))
            return
        if isinstance(condition, core.AllOf | core.AnyOf | core.NoneOf):
            if len(finding.parts) == 1 and not isinstance(condition, core.NoneOf):
                walk(finding.parts[0], depth)
                return
            word = {core.AllOf: "all of", core.AnyOf: "any of", core.NoneOf: "none of"}[type(condition)]
            found.append(Condition(word if finding.parts else "everyone", finding.holds, depth))
            for part in finding.parts:
                walk(part, depth + 1)
            return
        found.append(Condition(sentence(condition, world, courses=titles), finding.holds, depth))

    walk(core.explain(parse(rule.reach), facts, world, day=on), 0)
    return found
