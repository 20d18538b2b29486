"""Everything that writes assignments, and what keeps reasons and enrolments true."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django.db.models import QuerySet

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.assignments import queries
from stepladder.assignments.deriving import derive_for, derive_reasons
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.models import Assignment, AssignmentRule, PathReason, Reason, Reminder, ToTell, Waiver
from stepladder.assignments.notices import Place, remind_of, tell_of
from stepladder.assignments.scoping import narrowed, own_parts
from stepladder.core.days import LATEST
from stepladder.core.reach import ReachError
from stepladder.core.requirements import COVERED, Status
from stepladder.courses.models import Course, CourseState, Path
from stepladder.courses.paths import edition_of, plan_of
from stepladder.facts import write_differences
from stepladder.journal.actions import Actor, Machine, Named, record
from stepladder.learning.actions import close_enrolments, enrol
from stepladder.learning.models import Enrolment
from stepladder.people.models import Person
from stepladder.queue.actions import AT_ONCE, in_pieces
from stepladder.reaches.stored import leave_of, load_people, load_world, parse
from stepladder.web.templatetags.web import day as written

__all__ = [
    "assign",
    "change_assignment",
    "concerned",
    "courses_of",
    "end_assignment",
    "grant_waiver",
    "in_reach",
    "keep_true",
    "refresh_reasons",
    "remind",
    "revoke_waiver",
    "spread",
    "tell_places",
    "to_tell",
]

DAILY = Machine("Daily run")
# Whoever stands so needs a place in the course; who is current does not.
NEEDS_PLACE = frozenset(Status) - COVERED - {Status.WAIVED} | {Status.RENEW}


def about(assignment: Assignment) -> Named:
    return Named("assignment", assignment.public_id, assignment.name)


def assign(
    *,
    course: Course | Path,
    name: str,
    message: str,
    rule: AssignmentRule,
    by: Actor,
    later_message: str = "",
    people: Sequence[int] | None = None,
) -> Assignment:
    """Save an assignment of a course or a path. *rule* is unsaved; *people* are in its reach, where that was looked up already.
    Who comes in after its first day reads *later_message*, where there is one.

    For few people reasons, places and notices come with it; for more they follow in the queue, and bear its day.
    Raises AssignmentError.
    """
    policy.require(by, "assign")
    if course.state != CourseState.RELEASED:
        raise AssignmentError(
            f"“{course.title}” is not released, so nobody could begin it. Release it first.", "course"
        )
    if isinstance(course, Path) and course.kept_by_id is not None and not policy.may(by, "see paths", course):
        raise AssignmentError(f"“{course.title}” is for the people of who built it. Only they assign it.", "course")
    _check_rule(rule, course, by)
    # Before the transaction, for it takes long where there are many; who comes in meanwhile is found by the queue.
    found = in_reach(rule) if people is None else people
    with transaction.atomic():
        return _save(course, name, (message, later_message), rule, found, by)


def _check_rule(rule: AssignmentRule, course: Course | Path, by: Actor) -> None:
    # Stored narrowed: who comes into the part later is meant, and who is outside it never was.
    rule.reach = narrowed(by, rule.reach)
    try:
        parse(rule.reach).check(own_courses=courses_of(course), groups=load_world().groups)
    except ReachError as refusal:
        raise AssignmentError(str(refusal), "reach") from None
    if rule.end is not None and rule.end < rule.start:
        raise AssignmentError("It would end before it starts. Choose a later end, or none.", "end")


# What of a rule can be changed while it runs.
CHANGED = {
    "reach": "whom",
    "is_mandatory": "how firmly",
    "is_one_off": "standing or one-off",
    "start": "from when",
    "end": "until when",
    "due_day": "due",
    "due_trigger": "due",
    "due_days": "due",
    "due_months": "due",
    "notice_days": "the minimum notice",
    "taken_from": "what counts",
}


def change_assignment(
    *, assignment: Assignment, name: str, message: str, rule: AssignmentRule, by: Actor, later_message: str = ""
) -> None:
    """Ask otherwise from now on: the rule as it was stays known for the days before. *rule* is unsaved. Raises AssignmentError."""
    policy.require(by, "assign", assignment)
    course = assignment.course or assignment.path
    assert course is not None, "an assignment asks for a course or a path"
    _check_rule(rule, course, by)
    # Before the transaction, for it takes long where there are many.
    people = set(in_reach(rule)) | _stored(assignment.pk)
    with transaction.atomic():
        before = AssignmentRule.objects.known_now().filter(assignment=assignment).first()
        if before is None:
            raise AssignmentError("This assignment was taken back: it asks nothing of anybody.")
        new = {column: getattr(rule, column) for column in CHANGED}
        changed = [words for column, words in CHANGED.items() if getattr(before, column) != new[column]]
        was = (assignment.name, assignment.message, assignment.later_message)
        changed += ["what it is called"] if was != (name, message, later_message) else []
        if not changed:
            return
        assignment.name, assignment.message, assignment.later_message = name, message, later_message
        assignment.begins = rule.start
        assignment.save(update_fields=["name", "message", "later_message", "begins"])
        after = before.succeeded_by(**new)
        data = {"what": ", ".join(dict.fromkeys(changed))}
        entry = record("change_assignment", by=by, about=about(assignment), data=data, rows=[before, after])
        spread(assignment, entry.act, people=people)


def _save(
    course: Course | Path, name: str, said: tuple[str, str], rule: AssignmentRule, people: Sequence[int], by: Actor
) -> Assignment:
    assignment = Assignment.objects.create(
        course=course if isinstance(course, Course) else None,
        path=course if isinstance(course, Path) else None,
        name=name,
        message=said[0],
        later_message=said[1],
        begins=rule.start,
        made_by=by.name,
        made_at=clock.now(),
        owner=by if isinstance(by, Account) else None,
    )
    assignment.parts.set(own_parts(by))
    rule.assignment = assignment
    rule.save()
    entry = record("assign", by=by, about=about(assignment), data={"course": assignment.title}, rows=[rule])
    spread(assignment, entry.act, people=people)
    return assignment


def in_reach(rule: AssignmentRule) -> list[int]:
    """Whom a rule asks something of, on any day, by what is known now."""
    # By all that is known now: when the queue comes to it, days may have passed since the act whose day it bears.
    people = load_people(reaches=[parse(rule.reach)], world=load_world(), known_on=LATEST)
    return sorted(derive_for(rule, people, leave_of(None, known_on=LATEST)))


def concerned(*, assignment: int) -> list[int]:
    """Whom an assignment asks something of, or has asked something of before."""
    rule = AssignmentRule.objects.known_now().filter(assignment=assignment).first()
    return sorted(_stored(assignment) | set(in_reach(rule) if rule else ()))


def spread(
    assignment: Assignment, act: events.Act, *, people: Collection[int] | None = None, shown_on: Named | None = None
) -> None:
    """Bring up to date what an assignment asks, of everybody whom it concerns: few at once, many in the queue.

    *people* are those found before the transaction; without them, those of whom it asked something before. The queue looks
    for everybody in any case, after it: somebody may have come in between, and looking takes long where there are many.
    *shown_on* is whose page says how far it is, where that is not the assignment's.
    """
    who = _stored(assignment.pk) if people is None else people
    # Whoever looks at the page that follows sees it done.
    if len(who) <= AT_ONCE:
        refresh_reasons(assignments=[assignment.pk], people=who, act=act)
    in_pieces("reasons", act=act, about=shown_on or about(assignment), estimate=len(who), assignment=assignment.pk)


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
    rule = AssignmentRule.objects.known_now().filter(assignment=assignment).first()
    if rule is None:
        raise AssignmentError("This assignment was taken back: it asks nothing of anybody.", "end")
    if end < rule.start:
        raise AssignmentError(f"It starts on {written(rule.start)}: it cannot end before.", "end")
    new = rule.succeeded_by(end=end)
    entry = record("end_assignment", by=by, about=about(assignment), data={"day": written(end)}, rows=[rule, new])
    spread(assignment, entry.act)


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
    entry = record(
        "grant_waiver", by=by, about=Named("person", person.public_id, person.name), data=data, rows=[waiver]
    )
    events.announce(events.WaiverChanged((person.pk,), course.pk), entry.act)
    return waiver


@transaction.atomic
def revoke_waiver(*, waiver: Waiver, by: Actor) -> None:
    """The waiver never was; the person stands as without it."""
    person = waiver.person
    policy.require(by, "waive", person)
    waiver.revoke()
    data = {"course": waiver.course.title}
    entry = record(
        "revoke_waiver", by=by, about=Named("person", person.public_id, person.name), data=data, rows=[waiver]
    )
    events.announce(events.WaiverChanged((person.pk,), waiver.course_id), entry.act)


@transaction.atomic
def remind(*, pairs: Sequence[tuple[int, int]], by: Actor) -> int:
    """Tell people (person, course) again what is before them, each in one message; of how many courses it was.

    Nobody is reminded of a course twice on a day.
    """
    policy.require(by, "remind")
    theirs = policy.visible(by, "remind", Person.objects.filter(pk__in={person for person, _ in pairs}))
    allowed = set(theirs.values_list("pk", flat=True))
    # What was ticked may have changed hands since the page was made.
    wanted = {pair for pair in pairs if pair[0] in allowed}
    people = sorted({person for person, _ in wanted})
    required = {(s.person, s.course): s for s in queries.asked_of(people, clock.today())}
    wanted -= set(Reminder.objects.filter(person__in=people, on=clock.today()).values_list("person_id", "course_id"))
    places = Enrolment.objects.filter(person__in=people, completed_at__isnull=True, closed_on__isnull=True)
    reminded = [
        (place, required[key])
        for place in places.select_related("person", "course").order_by("pk")
        if (key := (place.person_id, place.course_id)) in wanted and key in required
    ]
    if reminded:
        Reminder.objects.bulk_create(
            Reminder(person=place.person, course=place.course, on=clock.today()) for place, _ in reminded
        )
        told = remind_of(reminded, day=clock.today())
        record("remind", by=by, about=Named("organisation", "", ""), data={"count": len(told), "people": told})
    return len(reminded)


@transaction.atomic
def refresh_reasons(
    *,
    assignments: Iterable[int] | None = None,
    people: Iterable[int] | None = None,
    act: events.Act | None = None,
) -> None:
    """Bring the reasons of these assignments for these people (None: all) up to date; who then needs a place gets one."""
    keys = None if assignments is None else sorted(set(assignments))
    who = None if people is None else sorted(set(people))
    new = list(derive_reasons(assignments=keys, people=who))
    moved = write_differences(_of(Reason, keys, who), [row for row in new if isinstance(row, Reason)])
    moved |= write_differences(_of(PathReason, keys, who), [row for row in new if isinstance(row, PathReason)])
    if moved:
        events.announce(events.AssignmentsChanged(tuple(sorted(moved))), act or events.Act(clock.today(), DAILY))


def _of(
    kind: type[Reason] | type[PathReason], assignments: Sequence[int] | None, people: Sequence[int] | None
) -> QuerySet[Any]:
    rows: QuerySet[Any] = kind._default_manager.all()
    if assignments is not None:
        rows = rows.filter(assignment__in=assignments)
    return rows if people is None else rows.filter(person__in=people)


def _stored(assignment: int) -> set[int]:
    """Of whom an assignment asks something now, or has asked something before."""
    rows = (_of(kind, [assignment], None) for kind in (Reason, PathReason))
    return set().union(*(claims.values_list("person_id", flat=True) for claims in rows))


@transaction.atomic
def keep_true(*, people: Sequence[int] | None = None, act: events.Act | None = None) -> int:
    """Enrol and tell whoever needs a place today, and close the places that nothing asks for any more.

    May run as often as one likes: the second time there is nothing to do. How many were enrolled.
    """
    act = act or events.Act(clock.today(), DAILY)
    # What follows from an act that was allowed is done in the name of who did it, whatever else they may do themselves.
    by = events.Doer(act.by.public_id, act.by.name)
    # Who is to come has a place from the day they are known: seats are booked ahead, and they may begin where that is allowed.
    required = queries.asked_of(people, act.day)
    wanted: dict[int, list[int]] = {}
    for row in required:
        if row.requirement.status in NEEDS_PLACE:
            wanted.setdefault(row.course, []).append(row.person)
    open_now = queries.open_places(people)
    opened: list[Enrolment] = []
    courses = {c.pk: c for c in Course.objects.filter(pk__in=wanted, state=CourseState.RELEASED)}
    for course, who in wanted.items():
        missing = [person for person in who if (person, course) not in open_now]
        if missing and course in courses:
            persons = Person.objects.in_bulk(missing).values()
            opened += enrol(people=list(persons), course=courses[course], origin=Enrolment.Origin.ASSIGNED, by=by)
    if opened:
        events.announce(events.PlacesOpened(tuple(place.pk for place in opened)), act)
    _close_unneeded({(row.person, row.course) for row in required}, people, by)
    return len(opened)


def tell_places(enrolments: Sequence[int], act: events.Act) -> None:
    """Tell everybody who got a place what is asked of them, and until when. What the daily run finds waits for the day's message."""
    # As the queue carries it, the daily run is a name without an account.
    if (act.by.public_id, act.by.name) == (DAILY.public_id, DAILY.name):
        ToTell.objects.bulk_create([ToTell(place_id=place) for place in enrolments], ignore_conflicts=True)
    else:
        tell_of(_asked(Enrolment.objects.filter(pk__in=enrolments), act.day), day=act.day)


def to_tell(people: Sequence[int], day: date) -> list[Place]:
    """The places of these people of which they are yet to be told, with what is asked; what nobody asks for any more is left out."""
    waiting = ToTell.objects.filter(place__person__in=people).values("place")
    return _asked(Enrolment.objects.filter(pk__in=waiting, closed_on__isnull=True, completed_at__isnull=True), day)


def _asked(rows: QuerySet[Enrolment], day: date) -> list[Place]:
    places = list(rows.select_related("person", "course").order_by("pk"))
    people = sorted({place.person_id for place in places})
    required = {(row.person, row.course): row for row in queries.asked_of(people, day)}
    asked = [(place, row) for place in places if (row := required.get((place.person_id, place.course_id)))]
    # Whoever chose it has just done so, and whoever asked for it is told what was decided.
    return [(place, row) for place, row in asked if any(r.assignment_id for r in row.reasons)]


def _close_unneeded(required: set[tuple[int, int]], people: Sequence[int] | None, by: Any) -> None:
    places = Enrolment.objects.filter(
        # Begun is theirs: only a place that nobody has entered is closed.
        origin=Enrolment.Origin.ASSIGNED,  # What was chosen is closed by giving it up.
        completed_at__isnull=True,
        closed_on__isnull=True,
        begun_at__isnull=True,
    ).select_related("person", "course")
    if people is not None:
        places = places.filter(person__in=people)
    unneeded = [place for place in places if (place.person_id, place.course_id) not in required]
    if unneeded:
        close_enrolments(enrolments=unneeded, because="no assignment asks for it any more", by=by)
