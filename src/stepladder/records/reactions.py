"""What records add to sheets below them."""

from __future__ import annotations

from django.http import HttpRequest
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.courses.models import Course
from stepladder.learning.models import Completion
from stepladder.people.models import Person
from stepladder.records.queries import requirements_of
from stepladder.web.margin import Panel, VerbLink

__all__ = ["asked_panel", "certificate_verb", "late_verb", "record_verb"]


def record_verb(request: HttpRequest, person: Person) -> VerbLink | None:
    """From a person to their training record."""
    return VerbLink("Training record", reverse("records:record", args=[person.public_id]))


def certificate_verb(request: HttpRequest, completion: Completion) -> VerbLink | None:
    """From a completion to its certificate."""
    if completion.is_revoked:
        return None
    return VerbLink("Get the certificate", reverse("records:certificate", args=[completion.public_id]))


def late_verb(request: HttpRequest, course: Course) -> VerbLink | None:
    """From a course to who stands how with it."""
    if not policy.may(request.user, "open records"):
        return None
    return VerbLink("Who stands how", reverse("records:standing") + f"?course={course.public_id}")


def asked_panel(request: HttpRequest, person: Person) -> Panel | None:
    """What is asked of a person, on their sheet."""
    today = clock.today()
    rows = requirements_of(person, today, today)
    return Panel("Asked of them", "records/asked_panel.html", {"rows": rows, "person": person})
