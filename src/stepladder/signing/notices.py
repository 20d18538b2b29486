"""What people are told about tasks."""

from __future__ import annotations

from django.urls import reverse

from stepladder.learning.models import Attempt
from stepladder.notices.kinds import NoticeKind

__all__ = ["ASKED", "SIGNED", "path_to_sign", "path_to_step"]

ASKED = NoticeKind(
    "sign-off asked",
    "Somebody asks for a sign-off",
    "{name} asks you to sign off “{task}”",
    "Hello {given_name},\n\n{name} has done “{task}”, or is about to, and asks you to look at it and sign it off.\n\n{words}",
    {"name": "who asks", "task": "the title of the task", "words": "what was said with it"},
    needs_sign_in=True,
)
SIGNED = NoticeKind(
    "task signed off",
    "A task is signed off",
    "“{task}”: {outcome}",
    "Hello {given_name},\n\n{signer} signed what was seen of “{task}” on {day}: {outcome}.\n\n{words}",
    {
        "task": "the title of the task",
        "signer": "who signed",
        "day": "the day on which it was seen",
        "outcome": "what it came to",
        "words": "what was said to it",
    },
    needs_sign_in=True,
)


def path_to_sign(attempt: Attempt) -> str:
    """Where whoever signs finds the check list."""
    return reverse("signing:sign", args=[attempt.enrolment.public_id, attempt.module.public_id])


def path_to_step(attempt: Attempt) -> str:
    """Where whoever learns finds what was signed."""
    return reverse("playing:step", args=[attempt.enrolment.public_id, attempt.module.public_id])
