"""What records add to sheets below them."""

from __future__ import annotations

from datetime import date

from django.http import HttpRequest
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.courses.models import Course
from stepladder.learning.models import Completion
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.people.permissions import people_seen
from stepladder.people.queries import first_days
from stepladder.records.queries import requirements_of, standing_counts
from stepladder.records.watched import length_of
from stepladder.web.margin import Panel, VerbLink
from stepladder.web.templatetags.web import day

__all__ = ["asked_panel", "certificate_verb", "late_verb", "record_verb", "standing_section", "watched_verb"]


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


def watched_verb(request: HttpRequest, module: Module) -> VerbLink | None:
    """From a module to what of it is seen; none for a kind of which nobody can say."""
    newest = module.versions.first()
    if newest is None or not length_of(newest) or not policy.may(request.user, "use modules", module):
        return None
    return VerbLink("What of it is seen", reverse("records:watched", args=[module.public_id]))


def standing_section(request: HttpRequest, course: Course, on: date) -> Panel | None:
    """Who stands how with a course, as a drawing that leads to the lists."""
    if not policy.may(request.user, "open records"):
        return None
    counts = standing_counts(course, on, people_seen(request.user, "open records"))
    if not counts:
        return None
    most, all_ = max(counts.values()), sum(counts.values())
    lines = [
        (status, count, round(200 * count / most, 1), round(100 * count / all_)) for status, count in counts.items()
    ]
    return Panel("Who stands how", "records/standing_section.html", {"lines": lines, "course": course, "all": all_})


def asked_panel(request: HttpRequest, person: Person) -> Panel | None:
    """What is asked of a person, on their sheet."""
    today = clock.today()
    first = first_days([person.pk], today).get(person.pk)
    rows = requirements_of(person, first or today, today)
    title = f"Asked of them from {day(first)}" if first else "Asked of them"
    return Panel(title, "records/asked_panel.html", {"rows": rows, "person": person})
