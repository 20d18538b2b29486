"""A module replaced by another in every course that uses it, in one act, with the effect shown first."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from django.db import transaction
from django.db.models import Q

from stepladder import events
from stepladder.accounts import policy
from stepladder.courses import actions
from stepladder.courses.checks import Draft, check_release, small_is_possible
from stepladder.courses.errors import CannotRelease, CourseError
from stepladder.courses.models import Course, Edition, Step
from stepladder.journal.actions import Named, record
from stepladder.library.models import Module, ModuleState

__all__ = ["InCourse", "effect_of_replacing", "replace_module"]


@dataclass(frozen=True)
class InCourse:
    """What becomes of a course: a new edition is released (*size*), its draft alone is changed, or nothing, as *refused* says."""

    course: Course
    size: str = ""
    number: int = 0
    refused: str = ""
    lines: Sequence[events.EffectLine] = field(default_factory=tuple)


def effect_of_replacing(module: Module, by_other: Module, *, account: Any) -> list[InCourse]:
    """What `replace_module` would do in each course that uses it, worked out as if it were done and then undone."""
    found = []
    for course in _courses_with(module):
        with _as_if():
            found.append(_in_course(course, module, by_other, account, is_meant=False))
    return found


@transaction.atomic
def replace_module(*, module: Module, by_other: Module, by: Any) -> list[InCourse]:
    """Put another module in its stead, with its newest version; what was released is released anew, drafts stay drafts.

    Courses that the account may not change, or that could not be released, stay as they are and say why. Raises CourseError where it
    cannot be done at all.
    """
    policy.require(by, "use modules", by_other)
    _check(module, by_other)
    done = [_in_course(course, module, by_other, by, is_meant=True) for course in _courses_with(module)]
    changed = [one for one in done if not one.refused]
    if not changed:
        raise CourseError("There is no course that it could be replaced in.")
    data = {"other": by_other.title, "courses": ", ".join(f"“{one.course.title}”" for one in changed)}
    record("replace_module", by=by, about=Named("module", module.public_id, module.title), data=data)
    return done


def _check(module: Module, by_other: Module) -> None:
    if module == by_other:
        raise CourseError("A module cannot replace itself. Choose another one.")
    if by_other.state != ModuleState.RELEASED or not by_other.versions.exists():
        raise CourseError(f"“{by_other.title}” cannot be used in courses now. Release it first.")


def _courses_with(module: Module) -> list[Course]:
    states = [Edition.State.DRAFT, Edition.State.RELEASED]
    steps = Step.objects.filter(module=module, edition__state__in=states)
    return list(
        Course.objects.filter(Q(pk__in=steps.values("edition__course"))).select_related("binder").order_by("title")
    )


class _Undone(Exception):
    """To leave a transaction without keeping it."""


@contextmanager
def _as_if() -> Iterator[None]:
    """What is done within it is seen within it, and is as if it had never been afterwards."""
    try:
        with transaction.atomic():
            yield
            raise _Undone
    except _Undone:
        pass


def _in_course(course: Course, module: Module, by_other: Module, by: Any, *, is_meant: bool) -> InCourse:
    if not policy.may(by, "change courses", course):
        return InCourse(course, refused="You may not change this course.")
    had_draft = course.editions.filter(state=Edition.State.DRAFT).exists()
    try:
        with transaction.atomic():
            draft = actions.new_edition(course=course, by=by)
            _swap(draft, module, by_other)
            if had_draft:
                lines = [
                    events.EffectLine("somebody is changing it: its draft has the other module, and is not released")
                ]
                return InCourse(course, number=draft.number, lines=lines)
            size = _size(course, draft)
            lines = events.propose(events.EditionProposed(course.pk, draft.pk, size, None))
            if is_meant:
                actions.release_course(course=course, size=size, retake_by=None, by=by)
            else:
                # What would stand against the release is said before it; nothing that listens to releases hears of it.
                steps = list(draft.steps.select_related("module"))
                checked = check_release(Draft(course, draft, steps, list(course.prerequisites.all())))
                if missing := [finding.text for finding in checked if not finding.ok]:
                    raise CannotRelease(draft.title, missing)
            return InCourse(course, size, draft.number, lines=lines)
    except CourseError as refusal:
        return InCourse(course, refused=str(refusal))


def _size(course: Course, draft: Edition) -> Any:
    old = Edition.objects.get(course=course, state=Edition.State.RELEASED)
    steps = [list(edition.steps.select_related("module")) for edition in (old, draft)]
    return "large" if small_is_possible(old, steps[0], draft, steps[1]) else "small"


def _swap(draft: Edition, module: Module, by_other: Module) -> None:
    newest = by_other.versions.order_by("-number")[0]
    step = draft.steps.filter(module=module).first()
    if step is None:
        return
    if draft.steps.filter(module=by_other).exists():
        # It is a step already, and a module is a step once.
        step.delete()
        return
    step.module, step.version = by_other, newest
    step.save(update_fields=["module", "version"])
