"""Whose courses are: those of the binder that they are in."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from stepladder.accounts import policy
from stepladder.courses.models import Course
from stepladder.library.permissions import edits_binder, in_edited_binder, in_usable_binder, uses_binder

__all__ = ["hand_in", "visible_courses"]


def visible_courses(account: Any, keys: Sequence[int]) -> set[int]:
    """Of these courses, those that the account sees on the Courses rung."""
    shown = policy.visible(account, "see courses", Course.objects.filter(pk__in=keys))
    return set(shown.values_list("pk", flat=True))


def hand_in() -> None:
    policy.relation(
        Course,
        "edits",
        holds=lambda a, c: edits_binder(a, c.binder),
        rows=in_edited_binder,
        refusal="Only editors of this course’s binder can change or release it.",
    )
    policy.relation(
        Course,
        "uses",
        holds=lambda a, c: uses_binder(a, c.binder),
        rows=in_usable_binder,
        refusal="The binder that this course is in is not shared.",
    )
