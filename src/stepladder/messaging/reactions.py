"""From people, a course or a session to a message for them."""

from __future__ import annotations

from django.http import HttpRequest
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.accounts.switches import is_on
from stepladder.courses.models import Course
from stepladder.messaging.switching import MESSAGES
from stepladder.people.models import Person
from stepladder.timetable.models import Session
from stepladder.web.margin import VerbLink

__all__ = ["to_course", "to_people", "to_person", "to_session"]


def _verb(request: HttpRequest, query: str, obj: Person | None = None) -> VerbLink | None:
    if not is_on(MESSAGES.name) or not policy.may(request.user, "write to", *([obj] if obj else [])):
        return None
    return VerbLink("Write to them…", reverse("messaging:write") + query)


def to_people(request: HttpRequest, _: None) -> VerbLink | None:
    return _verb(request, "")


def to_person(request: HttpRequest, person: Person) -> VerbLink | None:
    return _verb(request, f"?person={person.public_id}", person)


def to_course(request: HttpRequest, course: Course) -> VerbLink | None:
    return _verb(request, f"?course={course.public_id}") if course.state == "released" else None


def to_session(request: HttpRequest, session: Session) -> VerbLink | None:
    return _verb(request, f"?session={session.public_id}")
