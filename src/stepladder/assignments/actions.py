"""Everything that writes assignments, and what keeps reasons and enrolments true."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.assignments import queries
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.models import Assignment, AssignmentRule, PathReason, Reason, Waiver
from stepladder.assignments.reckoning import reckon
from stepladder.assignments.scoping import narrowed, own_parts
from stepladder.core.reach import ReachError
from stepladder.core.requirements import COVERED, Status
from stepladder.courses.models import Course, CourseState, Path
from stepladder.courses.paths import edition_of, plan_of
from stepladder.journal.actions import Actor, Machine, Named, record
from stepladder.learning.actions import close_enrolments, enrol
from stepladder.learning.models import Enrolment
from stepladder.notices.actions import tell
from stepladder.people.models import Person
from stepladder.people.reaches import load_world, parse
from stepladder.web.templatetags.web import day as written

__all__ = [
    "assign",
    "courses_of",
    "end_assignment",
    "grant_waiver",
    "keep_true",
    "refresh_reasons",
    "remind",
    "revoke_waiver",
]

DAILY = Machine("Daily run")
# Whoever stands so needs a place in the course; who is current does not.
NEEDS_PLACE = frozenset(Status) - COVERED - {Status.WAIVED} | {Status.RENEW}


def about(assignment: Assignment) -> Named:
    return Named("assignment", assignment.public_id, assignment.name)


@transaction.atomic
def assign(*, course: Course | Path, name: str, message: str, rule: AssignmentRule, by: Actor) -> Assignment:
    """Save an assignment of a course or a path: its reasons, enrolments and notices come with it. *rule* is unsaved.

    Raises AssignmentError.
    """
    policy.require(by, "assign")
    if course.state != CourseState.RELEASED:
        raise AssignmentError(
            f"“{course.title}” is not released, so nobody could begin it. Release it first.", "course"
        )
    rule.reach = narrowed(by, rule.reach)
    try:
        parse(rule.reach).check(own_courses=courses_of(course), groups=load_world().groups)
    except ReachError as refusal:
        raise AssignmentError(str(refusal), "reach") from None
    if rule.end is not None and rule.end < rule.start:
        raise AssignmentError("It would end before it starts. Choose a later end, or none.", "end")
    assignment = Assignment.objects.create(
        course=course if isinstance(course, Course) else None,
        path=course if isinstance(course, Path) else None,
        name=name,
        message=message,
        made_by=by.name,
        made_at=clock.now(),
        owner=by if isinstance(by, Account) else None,
    )
    assignment.parts.set(own_parts(by))
    rule.assignment = assignment
    rule.save()
    record("assign", by=by, about=about(assignment), data={"course": assignment.title}, rows=[rule])
    refresh_reasons(assignments=[assignment.pk], by=by)
    return assignment


def courses_of(asked: Course | Path | None) -> frozenset[int]:
    """The courses that an assignment of this would ask for."""
    if isinstance(asked, Path):
        edition = edition_of(asked)
        return frozenset(plan_of(edition).courses) if edition else frozenset()
    return frozenset({asked.pk}) if asked else frozenset()


@transaction.atomic
def end_assignment(*, assignment: Assignment, end: date, by: Actor) -> None:
    """The last day it runs. What was completed stays; what was only required closes then."""
    policy.require(by, "assign", assignment)
    rule = AssignmentRule.objects.known_now().get(assignment=assignment)
    if end < rule.start:
        raise AssignmentError(f"It starts on {written(rule.start)}: it cannot end before.", "end")
    rule.revoke()
    new = AssignmentRule.objects.get(pk=rule.pk)
    new.pk, new.revoked_on, new.end, new.recorded_on = None, None, end, clock.today()
    new.public_id = queries.fresh_id()
    new.save(force_insert=True)
    record("end_assignment", by=by, about=about(assignment), data={"day": written(end)}, rows=[rule, new])
    refresh_reasons(assignments=[assignment.pk], by=by)


@transaction.atomic
def grant_waiver(
    *, person: Person, course: Course, from_day: date, to_day: date | None, reason: str, by: Actor
) -> Waiver:
    """Waive somebody from a course between two days. Raises AssignmentError."""
    policy.require(by, "waive", person)
    if to_day is not None and to_day < from_day:
        raise AssignmentError("The waiver would end before it begins. Choose a later last day.", "to_day")
    waiver = Waiver.objects.create(
        person=person, course=course, from_day=from_day, to_day=to_day, reason=reason, granted_by=by.name
    )
    data = {"course": course.title, "day": written(from_day), "until": written(to_day), "reason": reason}
    record("grant_waiver", by=by, about=Named("person", person.public_id, person.name), data=data, rows=[waiver])
    events.announce(events.WaiverChanged((person.pk,), course.pk))
    return waiver


@transaction.atomic
def revoke_waiver(*, waiver: Waiver, by: Actor) -> None:
    """The waiver never was; the person stands as without it."""
    person = waiver.person
    policy.require(by, "waive", person)
    waiver.revoke()
    data = {"course": waiver.course.title}
    record("revoke_waiver", by=by, about=Named("person", person.public_id, person.name), data=data, rows=[waiver])
    events.announce(events.WaiverChanged((person.pk,), waiver.course_id))
    keep_true(people=[person.pk], by=by)


@transaction.atomic
def remind(*, pairs: Sequence[tuple[int, int]], by: Actor) -> int:
    """Tell people (person, course) again what is before them, with the direct link; how many were told."""
    policy.require(by, "remind")
    theirs = policy.visible(by, "remind", Person.objects.filter(pk__in={person for person, _ in pairs}))
    allowed = set(theirs.values_list("pk", flat=True))
    wanted = {pair for pair in pairs if pair[0] in allowed}
    people = sorted({person for person, _ in wanted})
    standing = {(s.person, s.course): s for s in queries.requirements(people=people, day=clock.today())}
    places = Enrolment.objects.filter(person__in=people, completed_at__isnull=True, closed_on__isnull=True)
    messages = []
    for place in places.select_related("person", "course").order_by("pk"):
        key = (place.person_id, place.course_id)
        if key in wanted and key in standing:
            person, subject, text, path = queries.notice_of(place, standing[key])
            messages.append((person, f"Reminder: {subject}", text, path))
    if messages:
        tell(messages=messages, kind="reminder")
        told = [person.public_id for person, *_ in messages]
        record("remind", by=by, about=Named("organisation", "", ""), data={"count": len(messages), "people": told})
    return len(messages)


@transaction.atomic
def refresh_reasons(
    *, assignments: Iterable[int] | None = None, people: Iterable[int] | None = None, by: Any = DAILY
) -> None:
    """Write the reasons of these assignments for these people (None: all) anew, then enrol, close and tell."""
    keys = None if assignments is None else sorted(set(assignments))
    who = None if people is None else sorted(set(people))
    touched = _stored_people(Reason, keys, who) | _stored_people(PathReason, keys, who)
    new = list(reckon(assignments=keys, people=who))
    if touched:
        _of(Reason, keys, who).delete()
        _of(PathReason, keys, who).delete()
    Reason.objects.bulk_create([row for row in new if isinstance(row, Reason)], batch_size=500)
    PathReason.objects.bulk_create([row for row in new if isinstance(row, PathReason)], batch_size=500)
    touched |= {row.person_id for row in new}
    if touched:
        keep_true(people=sorted(touched), by=by)
        events.announce(events.AssignmentsChanged(tuple(sorted(touched))))


def _of(
    kind: type[Reason] | type[PathReason], assignments: Sequence[int] | None, people: Sequence[int] | None
) -> QuerySet[Any]:
    rows: QuerySet[Any] = kind._default_manager.all()
    if assignments is not None:
        rows = rows.filter(assignment__in=assignments)
    return rows if people is None else rows.filter(person__in=people)


def _stored_people(
    kind: type[Reason] | type[PathReason], assignments: Sequence[int] | None, people: Sequence[int] | None
) -> set[int]:
    return set(_of(kind, assignments, people).values_list("person_id", flat=True))


@transaction.atomic
def keep_true(*, people: Sequence[int] | None = None, by: Any = DAILY) -> int:
    """Enrol and tell whoever needs a place today, and close the places that nothing asks for any more.

    May run as often as one likes: the second time there is nothing to do. How many were enrolled.
    """
    today = clock.today()
    standing = queries.requirements(people=people, day=today)
    wanted: dict[int, list[queries.Standing]] = {}
    for row in standing:
        if row.requirement.status in NEEDS_PLACE:
            wanted.setdefault(row.course, []).append(row)
    open_now = queries.open_places(people)
    opened: list[tuple[Enrolment, queries.Standing]] = []
    courses = {c.pk: c for c in Course.objects.filter(pk__in=wanted, state=CourseState.RELEASED)}
    for course, rows in wanted.items():
        missing = [row for row in rows if (row.person, course) not in open_now]
        if missing and course in courses:
            opened += _enrol(courses[course], missing, by)
    if opened:
        tell(messages=queries.notices_of(opened), kind="assigned")
    _close_unneeded({(row.person, row.course) for row in standing}, people, by)
    return len(opened)


def _enrol(course: Course, rows: Sequence[queries.Standing], by: Any) -> list[tuple[Enrolment, queries.Standing]]:
    persons = Person.objects.in_bulk([row.person for row in rows])
    opened = enrol(people=list(persons.values()), course=course, origin=Enrolment.Origin.ASSIGNED, by=by)
    standing = {row.person: row for row in rows}
    return [(enrolment, standing[enrolment.person_id]) for enrolment in opened]


def _close_unneeded(required: set[tuple[int, int]], people: Sequence[int] | None, by: Any) -> None:
    places = Enrolment.objects.filter(
        origin=Enrolment.Origin.ASSIGNED, completed_at__isnull=True, closed_on__isnull=True, begun_at__isnull=True
    ).select_related("person", "course")
    if people is not None:
        places = places.filter(person__in=people)
    unneeded = [place for place in places if (place.person_id, place.course_id) not in required]
    if unneeded:
        close_enrolments(enrolments=unneeded, because="no assignment asks for it any more", by=by)
