"""Planning sessions: who sits when, in the fewest of them. Rule: 19."""

from __future__ import annotations

from stepladder.core.planning.problem import (
    Busy,
    Instructor,
    Learner,
    Limit,
    OpenSession,
    Problem,
    Room,
    Slot,
)
from stepladder.core.planning.result import LeftOut, Planned, PlanResult, becomes_late, lateness
from stepladder.core.planning.solving import solve
from stepladder.core.planning.wishes import Unmet, Wish, unmet, wishes_of, without

__all__ = [
    "Busy",
    "Instructor",
    "Learner",
    "LeftOut",
    "Limit",
    "OpenSession",
    "PlanResult",
    "Planned",
    "Problem",
    "Room",
    "Slot",
    "Unmet",
    "Wish",
    "becomes_late",
    "lateness",
    "solve",
    "unmet",
    "wishes_of",
    "without",
]
