"""What needs the administrator now: each app hands in its lines; here are those of the apps below."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from django.urls import reverse

from stepladder.accounts import policy
from stepladder.courses.models import Course, CourseState, Edition
from stepladder.library.models import Module, Upload

__all__ = ["DeskLine", "desk_lines", "first_steps"]


@dataclass(frozen=True)
class DeskLine:
    """One thing that waits: how many, what, and where it is done."""

    count: int
    text: str
    url: str
    is_urgent: bool = False


def desk_lines(account: Any) -> list[DeskLine]:
    """What needs somebody now, the urgent first; nothing that waits for nobody."""
    lines = [_refused_uploads(account), _drafts(account)]
    return sorted((line for line in lines if line.count), key=lambda line: not line.is_urgent)


def _refused_uploads(account: Any) -> DeskLine:
    refused = Upload.objects.filter(state=Upload.State.REFUSED, is_dismissed=False).select_related("binder")
    first = refused.first()
    count = refused.count()
    url = reverse("library:binder", args=[first.binder.public_id]) if first else ""
    return DeskLine(count, f"upload{'s' if count != 1 else ''} could not be used, and say why", url, True)


def _drafts(account: Any) -> DeskLine:
    drafts = policy.visible(account, "see courses", Course.objects.all())
    count = drafts.filter(editions__state=Edition.State.DRAFT).count()
    text = f"course draft{'s' if count != 1 else ''} not released yet"
    return DeskLine(count, text, reverse("courses:list") + "?state=draft")


@dataclass(frozen=True)
class FirstStep:
    """A line of the first ten minutes: what to do, where, and whether it has been done here."""

    text: str
    url: str
    done: bool


def first_steps() -> list[FirstStep]:
    """The first ten minutes of a new installation."""
    own = Module.objects.exclude(changed_by="Demo loader").exists()
    released = Course.objects.filter(state=CourseState.RELEASED).exclude(editions__changed_by="Demo loader").exists()
    return [
        FirstStep("Drop a package, a film or a PDF onto a binder", reverse("library:home"), own),
        FirstStep("Make a course of it and release it", reverse("courses:new"), released),
        FirstStep("See who is there, and where", reverse("people:list"), False),
    ]
