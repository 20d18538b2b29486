"""The time of an attempt, on the server's clock, and when the next one may begin. Rule: 7."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime, timedelta

from stepladder.core.quizzes.plan import Conditions

__all__ = ["GRACE", "Allowance", "Next", "ends_at", "is_over", "next_attempt"]

# What was answered in time may arrive so much later: the line is slow, not the person.
GRACE = timedelta(seconds=30)


@dataclass(frozen=True)
class Allowance:
    """What somebody is allowed beyond what all are: so many per cent more time, so many more attempts."""

    extra_time: int = 0
    extra_attempts: int = 0


def ends_at(begun: datetime, conditions: Conditions, allowance: Allowance) -> datetime | None:
    """When the time of an attempt is up; None where there is no limit."""
    if conditions.minutes is None:
        return None
    return begun + timedelta(minutes=conditions.minutes) * (100 + allowance.extra_time) / 100


def is_over(ends: datetime | None, now: datetime) -> bool:
    """Whether nothing is taken any more: the time is up, and the grace for the line too."""
    return ends is not None and now > ends + GRACE


@dataclass(frozen=True)
class Next:
    """Whether one may begin again: how many attempts are left (None: any number), and from when."""

    left: int | None
    opens: datetime | None = None

    def may_begin(self, now: datetime) -> bool:
        return self.left != 0 and (self.opens is None or now >= self.opens)


def next_attempt(conditions: Conditions, allowance: Allowance, handed_in: int, last: datetime | None) -> Next:
    """What comes after *handed_in* attempts, of which the last was handed in at *last*."""
    left = None if conditions.attempts is None else max(conditions.attempts + allowance.extra_attempts - handed_in, 0)
    opens = last + timedelta(hours=conditions.pause_hours) if last and conditions.pause_hours else None
    return Next(left, opens)
