"""What people are told about quizzes."""

from __future__ import annotations

from django.urls import reverse

from stepladder.notices.kinds import NoticeKind
from stepladder.quizzes.models import Paper

__all__ = ["MARKED", "path_to"]

MARKED = NoticeKind(
    "quiz marked",
    "A quiz is marked",
    "“{quiz}” is marked",
    "Hello {given_name},\n\nwhat you handed in for “{quiz}” in “{course}” is marked. Your result, and what was said to it, is there now.",
    {"quiz": "the title of the quiz", "course": "the title of the course"},
)


def path_to(paper: Paper) -> str:
    """Where whoever handed it in finds what it came to."""
    attempt = paper.attempt
    return reverse("playing:step", args=[attempt.enrolment.public_id, attempt.module.public_id])
