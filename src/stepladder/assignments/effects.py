"""What a change to people would do to what is asked of them."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date, timedelta
from typing import Any

import numpy as np
from django.utils.translation import ngettext

from stepladder import clock, events
from stepladder.assignments.columns import requirement_columns
from stepladder.assignments.deriving import claims_of, derive_for
from stepladder.assignments.models import Assignment, AssignmentRule, PathReason, Reason
from stepladder.core.columns import is_one_of
from stepladder.core.days import FOREVER
from stepladder.core.paths import DONE
from stepladder.courses.models import PathEdition
from stepladder.courses.paths import plan_of
from stepladder.learning.queries import course_titles
from stepladder.people.models import Person
from stepladder.people_import.arrivals import Asked
from stepladder.reaches.stored import leave_of, load_people, load_world, parse

__all__ = ["asked_of_arrivals", "change_effect", "path_effect", "people_effect"]

SHOWN = 4
# (person, course) → the earliest due day, of what is open today or later.
DueDays = dict[tuple[int, int], date]


def people_effect(event: events.PeopleProposed) -> list[events.EffectLine]:
    """Who comes to need which course, who no longer does, and who gets another due day. Rule: 4."""
    old, new = _stored(event.people), _foretold(event.people)
    titles = course_titles()
    texts = (
        (new.keys() - old.keys(), "person comes to need “%s”", "people come to need “%s”"),
        (old.keys() - new.keys(), "person no longer needs “%s”", "people no longer need “%s”"),
        (
            {pair for pair in old.keys() & new.keys() if old[pair] != new[pair]},
            "person gets another day for “%s”",
            "people get another day for “%s”",
        ),
    )
    lines = []
    for pairs, one, many in texts:
        by_course: dict[int, set[int]] = {}
        for person, course in pairs:
            by_course.setdefault(course, set()).add(person)
        for course, people in sorted(by_course.items(), key=lambda item: -len(item[1])):
            text = ngettext(one, many, len(people)) % titles.get(course, "a course")
            lines.append(events.EffectLine(text, len(people), details=_names(people)))
    return lines


def asked_of_arrivals(people: Sequence[int]) -> dict[int, list[Asked]]:
    """What will be asked of people who are new, the first due first; late is what would be due before today."""
    today, titles = clock.today(), course_titles()
    found: dict[int, list[Asked]] = {}
    for (person, course), due in sorted(_foretold(people).items(), key=lambda item: item[1]):
        day = None if due == FOREVER else due
        found.setdefault(person, []).append(Asked(titles.get(course, "a course"), day, due < today))
    return found


def change_effect(assignment: Assignment, rule: AssignmentRule) -> list[events.EffectLine]:
    """Who comes to need what an assignment asks, who no longer does, and who gets another day, by another rule (unsaved)."""
    today = clock.today()
    rows: Any = (Reason if assignment.course_id else PathReason).objects.filter(assignment=assignment)
    old = {
        person: due or FOREVER
        for person, due in rows.filter(known_to=FOREVER, last__gte=today).values_list("person_id", "due")
    }
    people = load_people(reaches=[parse(rule.reach)], world=load_world(), known_on=today)
    found = derive_for(rule, people, leave_of(None, known_on=today))
    new = {
        person: min(reason.due or FOREVER for reason in running)
        for person, reasons in found.items()
        if (running := [reason for reason in reasons if reason.days.last >= today])
    }
    if rule.is_one_off and rule.start <= today:
        # Its people were taken on its start.
        new = {person: due for person, due in new.items() if person in old}
    texts = (
        (new.keys() - old.keys(), "person comes to need it", "people come to need it"),
        (old.keys() - new.keys(), "person no longer needs it", "people no longer need it"),
        ({p for p in old.keys() & new.keys() if old[p] != new[p]}, "person gets another day", "people get another day"),
    )
    return [
        events.EffectLine(ngettext(one, many, len(keys)), len(keys), details=_names(keys))
        for keys, one, many in texts
        if keys
    ]


def path_effect(event: events.PathProposed) -> list[events.EffectLine]:
    """How many climb a path, and which courses they would come to need, or no longer need, by it."""
    today = clock.today()
    rows = PathReason.objects.filter(path=event.path, last__gte=today, known_to=FOREVER)
    people = rows.values_list("person_id", flat=True).distinct().count()
    before = PathEdition.objects.known_now().filter(path=event.path).first()
    if not people or before is None:
        return []
    old, new, titles = set(plan_of(before).obligatory), set(event.courses), course_titles()
    lines = [events.EffectLine(ngettext("person climbs it", "people climb it", people), people)]
    for keys, one, many in (
        (new - old, "person comes to need “%s”", "people come to need “%s”"),
        (old - new, "person no longer needs “%s” for it", "people no longer need “%s” for it"),
    ):
        lines += [events.EffectLine(ngettext(one, many, people) % titles[key], people) for key in sorted(keys)]
    for stage, (courses, days) in zip(plan_of(before).stages, event.windows, strict=False):
        if (
            days is not None
            and stage.window_days is not None
            and days != stage.window_days
            and courses == stage.courses
        ):
            lines += _another_day(event.path, courses, stage.window_days, days, today)
    return lines


def _another_day(path: int, courses: tuple[int, ...], old: int, new: int, today: date) -> list[events.EffectLine]:
    """How many of those who have something to do in a stage would be late at once if its day were another, and who would be next."""
    asked = requirement_columns(day=today, known_on=today)
    to_do = asked.where(is_one_of(asked.course, courses) & ~asked.stands(DONE))
    opened: dict[int, date] = {}
    rows = PathReason.objects.filter(path=path, last__gte=today, first__lte=today, known_to=FOREVER)
    for person, day, due in rows.filter(person__in=np.unique(to_do.person).tolist()).values_list(
        "person_id", "opened", "due"
    ):
        end = day + timedelta(days=new)
        opened[person] = min(opened.get(person, FOREVER), end if due is None else min(end, due))
    friday = today + timedelta(days=(4 - today.weekday()) % 7)
    late = [person for person, end in opened.items() if end < today]
    soon = [person for person, end in opened.items() if today <= end <= friday]
    said = f"if day {old} became day {new}"
    found = [
        (late, ngettext("person would be late at once, %s", "people would be late at once, %s", len(late))),
        (soon, ngettext("person more by Friday, %s", "people more by Friday, %s", len(soon))),
    ]
    rest = len(opened) - len(late) - len(soon)
    lines = [events.EffectLine(text % said, len(keys), details=_names(keys)) for keys, text in found if keys]
    if rest:
        lines.append(
            events.EffectLine(ngettext("person has the time, %s", "people have the time, %s", rest) % said, rest)
        )
    return lines


def _stored(people: Iterable[int]) -> DueDays:
    rows = Reason.objects.filter(person__in=list(people), known_to=FOREVER, last__gte=clock.today())
    found: DueDays = {}
    for person, course, due in rows.values_list("person_id", "course_id", "due"):
        found[person, course] = min(found.get((person, course), FOREVER), due or FOREVER)
    return found


def _foretold(people: Iterable[int]) -> DueDays:
    today = clock.today()
    keys = list(people)
    rules = list(AssignmentRule.objects.known_now().select_related("assignment"))
    facts = load_people(reaches=[parse(rule.reach) for rule in rules], world=load_world(), people=keys, known_on=today)
    leave = leave_of(keys, known_on=today)
    left = {person.key: person.left for person in facts}
    found: DueDays = {}
    plans = {e.path_id: plan_of(e) for e in PathEdition.objects.known_now()}
    for rule in rules:
        course, path = rule.assignment.course_id, rule.assignment.path_id
        if rule.is_one_off and rule.start <= today:
            # Its people were taken on its start: only leaving leaves it.
            rows = Reason.objects.filter(assignment=rule.assignment, person__in=keys, known_to=FOREVER)
            claims = [
                (person, asked, due)
                for person, asked, last, due in rows.values_list("person_id", "course_id", "last", "due")
                if last >= today and (left.get(person) or FOREVER) >= today
            ]
        else:
            claims = [
                (person, asked, claim.due)
                for person, reasons in derive_for(rule, facts, leave).items()
                for reason in reasons
                for asked, claim in (
                    claims_of(plans.get(path), reason, leave.get(person, ())) if path else [(course, reason)]
                )
                if asked is not None and claim.days.last >= today
            ]
        for person, key, due in claims:
            found[person, key] = min(found.get((person, key), FOREVER), due or FOREVER)
    return found


def _names(keys: Iterable[int]) -> tuple[str, ...]:
    shown = Person.objects.filter(pk__in=list(keys)).order_by("family_name", "given_name")[:SHOWN]
    return tuple(person.name for person in shown)
