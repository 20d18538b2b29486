"""What people choose for themselves: a wish is a reason of its own, that suggests. Rule: 12."""

from __future__ import annotations

from datetime import timedelta

from django.db import transaction
from django.db.models import Q

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.assignments.actions import refresh_reasons
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.models import Reason, Wish
from stepladder.core.days import FOREVER
from stepladder.courses.models import Course, CourseState, Path
from stepladder.journal.actions import Actor, Named, record
from stepladder.learning.actions import close_enrolments, enrol, reopen
from stepladder.learning.models import Enrolment
from stepladder.people.models import Person

__all__ = ["GIVEN_UP", "give_up", "running_wish", "wish"]

GIVEN_UP = "given up by oneself"


def running_wish(person: Person, wanted: Course | Path) -> Wish | None:
    """Somebody's wish for a course or path that still runs."""
    rows = Wish.objects.known_now().filter(_for(wanted), person=person, to_day__isnull=True)
    found: Wish | None = rows.first()
    return found


def _for(wanted: Course | Path) -> Q:
    return Q(course=wanted) if isinstance(wanted, Course) else Q(path=wanted)


@transaction.atomic
def wish(
    *, person: Person, wanted: Course | Path, by: Actor, how: str = Wish.How.SELF, due_days: int | None = None
) -> Wish:
    """Somebody takes up a course or path from today on; who gave it up goes on where they were. Raises AssignmentError."""
    policy.require(by, "learn", person)
    if wanted.state != CourseState.RELEASED:
        raise AssignmentError(f"“{wanted.title}” is not released, so nobody could begin it.")
    if (running := running_wish(person, wanted)) is not None:
        return running
    made: Wish = Wish.objects.create(
        person=person,
        course=wanted if isinstance(wanted, Course) else None,
        path=wanted if isinstance(wanted, Path) else None,
        how=how,
        from_day=clock.today(),
        due_days=due_days,
    )
    named = Named("person", person.public_id, person.name)
    entry = record("wish", by=by, about=named, data={"course": wanted.title}, rows=[made])
    if isinstance(wanted, Course):
        # What follows from an act that was allowed is done in the name of who did it.
        _take_place(person, wanted, how, events.Doer(by.public_id, by.name))
    refresh_reasons(people=[person.pk], act=entry.act)
    return made


def _take_place(person: Person, course: Course, how: str, by: Actor) -> None:
    """The place in a course: the one that was given up last, with all that was done in it, or a new one."""
    places = Enrolment.objects.filter(person=person, course=course)
    if places.filter(completed_at__isnull=True, closed_on__isnull=True).exists():
        return
    last = places.order_by("pk").last()
    if last is not None and last.completed_at is None:
        reopen(enrolment=last, by=by)
    else:
        origin = Enrolment.Origin.SELF if how == Wish.How.SELF else Enrolment.Origin.APPROVED
        enrol(people=[person], course=course, origin=origin, by=by)


@transaction.atomic
def give_up(*, wish: Wish, by: Actor) -> None:
    """Somebody no longer wants it: that reason alone closes. Attempts stay, and count again after enrolling anew."""
    person = wish.person
    policy.require(by, "learn", person)
    today = clock.today()
    if wish.from_day >= today:
        # Chosen and given up on one day: it never was.
        wish.revoke()
        rows = [wish]
    else:
        rows = [wish, wish.succeeded_by(to_day=today - timedelta(days=1))]
    wanted = wish.course or wish.path
    assert wanted is not None, "a wish is for a course or a path"
    named = Named("person", person.public_id, person.name)
    entry = record("give_up", by=by, about=named, data={"course": wanted.title}, rows=rows)
    places = Enrolment.objects.filter(person=person, completed_at__isnull=True, closed_on__isnull=True)
    before = set(places.values_list("course_id", flat=True))
    refresh_reasons(people=[person.pk], act=entry.act)
    asked = Reason.objects.filter(person=person, known_to=FOREVER, last__gte=today).values("course")
    wished = Q(course=wanted) if isinstance(wanted, Course) else Q(course__in=before)
    unneeded = places.filter(wished).exclude(course__in=asked).exclude(origin=Enrolment.Origin.ASSIGNED)
    if rest := list(unneeded.select_related("person", "course")):
        close_enrolments(enrolments=rest, because=GIVEN_UP, by=events.Doer(by.public_id, by.name))
