"""What the learner's side adds to sheets below it."""

from __future__ import annotations

from django.http import HttpRequest
from django.urls import reverse

from stepladder.courses.models import Course
from stepladder.web.margin import VerbLink

__all__ = ["try_verb"]


def try_verb(request: HttpRequest, course: Course) -> VerbLink:
    """See a course, or its draft, as a learner would."""
    return VerbLink("See it as a learner", reverse("desk:try_course", args=[course.public_id]))
