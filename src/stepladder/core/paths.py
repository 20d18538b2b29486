"""Learning paths: what a path asks of each of its courses, how far it holds, and which courses wait for others. Rule: 4, 6."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import date, timedelta

from stepladder.core.days import Span
from stepladder.core.requirements import COVERED, Reason, Status, pushed_by_leave
from stepladder.core.validity import Link

__all__ = ["DONE", "Awaited", "Plan", "Stage", "path_link", "stage_due", "stage_reasons", "waits_for"]

# What nothing is to be done for: it holds nobody up on a path.
DONE = COVERED | {Status.WAIVED}


@dataclass(frozen=True)
class Stage:
    """Courses that belong together. *window_days* after the opening it is to be done; None: by the path's due day.

    *courses* are obligatory; of the *electives* one does *choose*.
    """

    courses: tuple[int, ...]
    window_days: int | None = None
    electives: tuple[int, ...] = ()
    choose: int = 0

    @property
    def every(self) -> tuple[int, ...]:
        """Its obligatory courses, then its electives."""
        return self.courses + self.electives

    def owed_electives(self, waived: Collection[int]) -> int:
        """How many electives are asked: at most as many as are not waived."""
        return min(self.choose, sum(course not in waived for course in self.electives))


@dataclass(frozen=True)
class Plan:
    """The stages of a path, and whether a stage opens only when those before it are covered."""

    stages: tuple[Stage, ...]
    in_order: bool = True

    @property
    def courses(self) -> tuple[int, ...]:
        """Every course, in order, the electives among them."""
        return tuple(course for stage in self.stages for course in stage.every)

    @property
    def obligatory(self) -> tuple[int, ...]:
        """Every course that everybody on the path is asked for, in order."""
        return tuple(course for stage in self.stages for course in stage.courses)


@dataclass(frozen=True)
class Awaited:
    """What comes first: so many of these courses."""

    courses: tuple[int, ...]
    number: int = 1


def stage_due(stage: Stage, reason: Reason, leave: Sequence[Span]) -> date | None:
    """The day by which a stage is to be done: the end of its window, never after the path. Rule: 4."""
    if stage.window_days is None:
        return reason.due
    end = pushed_by_leave(reason.opened + timedelta(days=stage.window_days), reason.opened, leave)
    # Leave without an end leaves the stage without a day; the path's own day stands all the same.
    return min((day for day in (end, reason.due) if day is not None), default=None)


def stage_reasons(plan: Plan, reason: Reason, leave: Sequence[Span]) -> list[tuple[int, Reason]]:
    """What a path's reason asks of each of its obligatory courses: due with their stage. Electives are asked by the path alone.
    Rule: 4."""
    return [
        (course, replace(reason, due=stage_due(stage, reason, leave)))
        for stage in plan.stages
        for course in stage.courses
    ]


def path_link(plan: Plan, links: Mapping[int, Link | None], waived: Collection[int]) -> Link | None:
    """How long a path holds: as that one of its obligatory courses and of the electives that last longest (as many as are asked)
    which expires first, with that course's window and grace; None while one was never completed. Waived courses are left out.
    Rule: 4."""
    asked: list[Link | None] = []
    for stage in plan.stages:
        asked += [links.get(course) for course in stage.courses if course not in waived]
        owed = stage.owed_electives(waived)
        done = [link for course in stage.electives if course not in waived and (link := links.get(course))]
        done.sort(key=_lasts, reverse=True)
        asked += [*done[:owed], *[None] * (owed - len(done))]
    held = [link for link in asked if link is not None]
    if not held or len(held) < len(asked):
        return None
    return min(held, key=_lasts)


def _lasts(link: Link) -> tuple[date, int]:
    """How long a link lasts; of two that end on a day, the one that can be renewed sooner lasts less."""
    return link.valid_until, -link.terms.window_days


def waits_for(plan: Plan, course: int, covered: Collection[int]) -> list[Awaited]:
    """What of earlier stages comes first and is not covered; nothing where the stages have no order."""
    if not plan.in_order:
        return []
    first: list[Awaited] = []
    for stage in plan.stages:
        if course in stage.every:
            return first
        first += [Awaited((key,)) for key in stage.courses if key not in covered]
        open_ones = tuple(key for key in stage.electives if key not in covered)
        if (owed := stage.choose - (len(stage.electives) - len(open_ones))) > 0:
            first.append(Awaited(open_ones, min(owed, len(open_ones))))
    return []
