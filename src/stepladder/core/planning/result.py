"""What a plan comes to: its sessions with who is in each, who is left out and why, and how far from the best it may be."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import date
from typing import Literal

from stepladder.core.planning.problem import Learner, Problem, Slot

__all__ = ["LeftOut", "PlanResult", "Planned", "Reason", "becomes_late", "late_days", "lateness"]

Reason = Literal["no day", "no seat", "away", "their unit", "no instructor"]


@dataclass(frozen=True)
class Planned:
    """A session of the plan, or one that was open before (*open_key*) whose free seats are filled."""

    slot: Slot
    room: int | None
    instructor: int | None
    language: str
    people: tuple[int, ...]
    open_key: int | None = None


@dataclass(frozen=True)
class LeftOut:
    """Somebody who has no seat in time, with the first reason that holds. Who needs it after the span can wait, and is not left out."""

    person: int
    reason: Reason


@dataclass(frozen=True)
class PlanResult:
    """A plan. *least_late*, *least_sessions*: no plan has fewer late, and, with as few, no plan has fewer sessions than that."""

    sessions: tuple[Planned, ...]
    left_out: tuple[LeftOut, ...]
    late: int
    days_late: int
    least_late: int
    least_sessions: int
    # No plan has fewer late, shorter waits or fewer sessions.
    is_best: bool = True
    seconds: float = 0.0
    seated: Mapping[int, Planned] = field(default_factory=dict)

    @property
    def new(self) -> list[Planned]:
        """The sessions that are to be planned."""
        return [one for one in self.sessions if one.open_key is None]


def late_days(problem: Problem, learner: Learner, day: date | None) -> int:
    """For how many days somebody waits too long: seated on a day, or not at all. 0 for who is in time."""
    if learner.needed_by is None:
        return 0
    seated = day or problem.after
    return max((seated - learner.needed_by).days, 0)


def lateness(problem: Problem, days: Mapping[int, date]) -> tuple[int, int]:
    """(how many are late, for how many days in all) if everybody sits on these days; who is not among them gets no seat. Rule: 19."""
    waits = [late_days(problem, learner, days.get(learner.key)) for learner in problem.learners]
    return sum(wait > 0 for wait in waits), sum(waits)


def becomes_late(needed_by: date | None, *, seated: date, last: date) -> bool:
    """Whether somebody who sits on a day is late without that seat, in a span that ends on *last*; nobody else is moved. Rule: 19."""
    return needed_by is not None and seated <= needed_by <= last


def days_of(sessions: Iterable[Planned]) -> dict[int, date]:
    """Person → the day on which they sit."""
    return {person: one.slot.day for one in sessions for person in one.people}
