"""Learning paths: what a path asks of each of its courses, how far it holds, and which courses wait for others. Rule: 4, 6."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import timedelta

from stepladder.core.days import Span
from stepladder.core.requirements import COVERED, Reason, Status, pushed_by_leave
from stepladder.core.validity import Link

__all__ = ["DONE", "Plan", "Stage", "path_link", "stage_reasons", "waits_for"]

# What nothing is to be done for: it holds nobody up on a path.
DONE = COVERED | {Status.WAIVED}


@dataclass(frozen=True)
class Stage:
    """Courses that belong together. *window_days* after the opening it is to be done; None: by the path's due day."""

    courses: tuple[int, ...]
    window_days: int | None = None


@dataclass(frozen=True)
class Plan:
    """The stages of a path, and whether a stage opens only when those before it are covered."""

    stages: tuple[Stage, ...]
    in_order: bool = True

    @property
    def courses(self) -> tuple[int, ...]:
        """Every course, in order."""
        return tuple(course for stage in self.stages for course in stage.courses)


def stage_reasons(plan: Plan, reason: Reason, leave: Sequence[Span]) -> list[tuple[int, Reason]]:
    """What a path's reason asks of each of its courses: due at the end of the stage's window, never after the path. Rule: 4."""
    found = []
    for stage in plan.stages:
        due = reason.due
        if stage.window_days is not None:
            end = pushed_by_leave(reason.opened + timedelta(days=stage.window_days), reason.opened, leave)
            # Leave without an end leaves the stage without a day; the path's own day stands all the same.
            due = min((day for day in (end, reason.due) if day is not None), default=None)
        found += [(course, replace(reason, due=due)) for course in stage.courses]
    return found


def path_link(plan: Plan, links: Mapping[int, Link | None], waived: Collection[int]) -> Link | None:
    """How long a path holds: as the course of it that expires first, with that course's window and grace; None while one was
    never completed. Waived courses are left out. Rule: 4."""
    asked = [links.get(course) for course in plan.courses if course not in waived]
    held = [link for link in asked if link is not None]
    if not held or len(held) < len(asked):
        return None
    return min(held, key=lambda link: (link.valid_until, -link.terms.window_days))


def waits_for(plan: Plan, course: int, covered: Collection[int]) -> list[int]:
    """The courses of earlier stages that come first and are not covered; none where the stages have no order."""
    if not plan.in_order:
        return []
    first: list[int] = []
    for stage in plan.stages:
        if course in stage.courses:
            return [c for c in first if c not in covered]
        first += stage.courses
    return []
