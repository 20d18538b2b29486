"""What quizzes show on sheets nearer the ground."""

from __future__ import annotations

from datetime import date

from django.http import HttpRequest
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.quizzes.models import Allowed, Paper
from stepladder.web.margin import Panel, VerbLink

__all__ = ["allow_verb", "allowed_section", "items_verb"]


def allowed_section(request: HttpRequest, person: Person, day: date) -> Panel | None:
    """What somebody is allowed in quizzes beyond what all are, now."""
    rows = list(Allowed.objects.filter(person=person, ended_at=None).select_related("module"))
    return Panel("More time and attempts in quizzes", "quizzes/allowed.html", {"rows": rows}) if rows else None


def allow_verb(request: HttpRequest, person: Person) -> VerbLink | None:
    if not policy.may(request.user, "change people", person):
        return None
    return VerbLink("More time in quizzes…", reverse("quizzes:allow", args=[person.public_id]))


def items_verb(request: HttpRequest, module: Module) -> VerbLink | None:
    """From a quiz to what its answers tell of its questions."""
    if module.kind != "quiz" or not policy.may(request.user, "change modules", module):
        return None
    if not Paper.objects.filter(attempt__module=module, handed_in_at__isnull=False).exists():
        return None
    return VerbLink("What the answers tell", reverse("quizzes:items", args=[module.public_id]))
