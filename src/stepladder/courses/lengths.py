"""How long courses are: what is owed in them. Rules: 6, 14."""

from __future__ import annotations

from collections.abc import Collection

from django.db.models import Sum

from stepladder.core.catalogue import path_minutes
from stepladder.core.sequence import Part
from stepladder.courses.models import CourseState, Edition, Step

__all__ = ["course_minutes"]


def course_minutes(courses: Collection[int] | None = None) -> dict[int, int]:
    """How long each released course is (of these; None: of all): what is owed in it. Rule: 14."""
    steps = Step.objects.filter(edition__state=Edition.State.RELEASED, edition__course__state=CourseState.RELEASED)
    steps = steps.exclude(part=Part.ENTRY)
    if courses is not None:
        steps = steps.filter(edition__course__in=list(courses))
    owed = dict(
        steps.filter(is_obligatory=True).values_list("edition__course").annotate(n=Sum("module__minutes")).order_by()
    )
    choices: dict[int, tuple[list[int], int]] = {}
    optional = steps.filter(is_obligatory=False, edition__optional_owed__gt=0)
    for course, minutes, owed_of_them in optional.values_list(
        "edition__course", "module__minutes", "edition__optional_owed"
    ):
        choices.setdefault(course, ([], owed_of_them))[0].append(minutes)
    for course, choice in choices.items():
        owed[course] = path_minutes([owed.get(course, 0)], [choice])
    return owed
