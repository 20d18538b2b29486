"""What a draft needs before release. Every check is asked; adding one is adding its name to RELEASE_CHECKS."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from stepladder.core.sequence import Part, obligatory_added
from stepladder.courses.models import Course, CourseState, Edition, Step
from stepladder.courses.outline import outline_of
from stepladder.library.models import ModuleState

__all__ = ["LONGEST_SUMMARY", "RELEASE_CHECKS", "Draft", "Finding", "check_release", "small_is_possible"]


# As the catalogue has room for it.
LONGEST_SUMMARY = 160


@dataclass(frozen=True)
class Draft:
    """A draft with all that the checks look at."""

    course: Course
    edition: Edition
    steps: list[Step]
    prerequisites: list[Course]


@dataclass(frozen=True)
class Finding:
    """One check: whether it is met, and its sentence either way."""

    ok: bool
    text: str


def owes_a_step(draft: Draft) -> Finding:
    owed = outline_of(draft.edition, draft.steps).owed
    if owed:
        return Finding(True, f"{owed} step{'s' if owed != 1 else ''} to do")
    return Finding(False, "Nothing in it has to be done: add a step that is obligatory.")


def steps_are_released(draft: Draft) -> Finding:
    waiting = [s.module.title for s in draft.steps if s.module.state != ModuleState.RELEASED]
    if not waiting:
        return Finding(True, "every module can be used")
    return Finding(False, f"“{waiting[0]}” is withdrawn: take it out, or release it again.")


def optional_steps_suffice(draft: Draft) -> Finding:
    optional = sum(not s.is_obligatory and s.part != Part.ENTRY for s in draft.steps)
    if draft.edition.optional_owed <= optional:
        return Finding(True, "enough optional steps to choose from")
    return Finding(False, f"{draft.edition.optional_owed} optional steps are asked for, but there are {optional}.")


def says_what_it_is(draft: Draft) -> Finding:
    if len(draft.edition.summary) > LONGEST_SUMMARY:
        return Finding(
            False, f"The summary is longer than {LONGEST_SUMMARY} letters: the description has room for more."
        )
    if draft.edition.summary.strip():
        return Finding(True, "says what it is about")
    return Finding(False, "No summary yet: say in a sentence or two what it is about.")


def minutes_are_known(draft: Draft) -> Finding:
    without = [s.module.title for s in draft.steps if not s.module.minutes]
    if not without:
        return Finding(True, "every step says how long it takes")
    return Finding(False, f"“{without[0]}” does not say how many minutes it takes.")


def prerequisites_are_released(draft: Draft) -> Finding:
    waiting = [c.title for c in draft.prerequisites if c.state != CourseState.RELEASED]
    if not waiting:
        return Finding(True, "what must come first can be done")
    return Finding(False, f"“{waiting[0]}” must come first, but is not released.")


RELEASE_CHECKS: list[Callable[[Draft], Finding]] = [
    owes_a_step,
    says_what_it_is,
    steps_are_released,
    minutes_are_known,
    optional_steps_suffice,
    prerequisites_are_released,
]


def check_release(draft: Draft) -> list[Finding]:
    """All findings, met and missing."""
    return [check(draft) for check in RELEASE_CHECKS]


def small_is_possible(old: Edition | None, old_steps: list[Step], new: Edition, new_steps: list[Step]) -> list[str]:
    """The titles of obligatory steps that the new edition adds: with any, the release must be large. Rule: 6."""
    if old is None:
        return []
    added = obligatory_added(outline_of(old, old_steps).steps, outline_of(new, new_steps).steps)
    return [step.title for step in new_steps if step.module_id in added]
