"""A course as somebody real has it before them: what is done, what opens, what comes first, and until when it holds."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.assignments.queries import RequirementStatus, asked_of
from stepladder.courses.models import Course
from stepladder.journal.actions import Actor, Named, record
from stepladder.learning.actions import missing_prerequisites
from stepladder.learning.models import Enrolment
from stepladder.learning.queries import CourseView, course_view
from stepladder.people.models import Person

__all__ = ["AsSomebody", "look_as"]


@dataclass(frozen=True)
class AsSomebody:
    """How a course stands before a person: their place in it (None: they have none), what is asked, and what comes first."""

    person: Person
    view: CourseView | None
    asked: RequirementStatus | None
    missing: list[str]


@transaction.atomic
def look_as(*, course: Course, person: Person, by: Actor) -> AsSomebody:
    """Look at a course as somebody has it. It is written to the journal: it tells of their record."""
    policy.require(by, "see courses", course)
    policy.require(by, "read records", person)
    record("look_as", by=by, about=Named("person", person.public_id, person.name), data={"course": course.title})
    place = Enrolment.objects.filter(person=person, course=course).select_related("edition", "course", "person")
    last = place.order_by("closed_on", "-pk").filter(closed_on__isnull=True).first() or place.order_by("-pk").first()
    view = course_view(last) if last else None
    asked = next(iter(asked_of([person.pk], clock.today(), courses=[course.pk])), None)
    return AsSomebody(person, view, asked, view.missing if view else missing_prerequisites(person, course))
