"""Whose courses are: those of the binder that they are in."""

from __future__ import annotations

from typing import Any

from django.db.models import Q, QuerySet

from stepladder.accounts import policy
from stepladder.courses.models import Course, Path, Programme
from stepladder.library.permissions import edits_binder, in_edited_binder, in_usable_binder, uses_binder

__all__ = ["register", "to_change", "visible_courses"]


def to_change(of: Course | Path) -> str:
    """The verb by which it is changed and offered."""
    return "build paths" if isinstance(of, Path) else "change courses"


def visible_courses(account: Any) -> QuerySet[Course]:
    """The courses that the account sees on the Courses rung."""
    return policy.visible(account, "see courses", Course.objects.all())


def register() -> None:
    kinds: list[tuple[type[Course] | type[Path] | type[Programme], str]] = [
        (Course, "course"),
        (Path, "path"),
        (Programme, "programme"),
    ]
    for kind, word in kinds:
        policy.relation(
            kind,
            "edits",
            holds=lambda a, c: edits_binder(a, c.binder),
            rows=in_edited_binder,
            refusal=f"Only editors of this {word}’s binder can change or release it.",
        )
        if kind is Path:
            continue
        policy.relation(
            kind,
            "uses",
            holds=lambda a, c: uses_binder(a, c.binder),
            rows=in_usable_binder,
            refusal=f"The binder that this {word} is in is not shared.",
        )
    # What somebody built for their own people is nobody else's, though its binder is shared.
    policy.relation_by_rows(
        Path,
        "uses",
        rows=lambda a: (in_usable_binder(a) & Q(kept_by__isnull=True)) | in_edited_binder(a),
        refusal="The binder that this path is in is not shared.",
    )
