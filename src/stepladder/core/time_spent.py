"""How long somebody learned, as stretches of time; by day, and nothing twice. Rule: 16."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from zoneinfo import ZoneInfo

__all__ = ["IDLE", "TimeSpan", "added", "by_day", "idle_between", "laid_back", "without_overlaps"]

# Where nothing happens for so long one is away; so much of it still counts.
IDLE = timedelta(minutes=5)
# So much before a package's first commit is its too.
BEFORE_FIRST = timedelta(seconds=60)
# What follows within so much goes on with what was.
TOUCHING = timedelta(seconds=2)


@dataclass(frozen=True)
class TimeSpan:
    """From one instant to another; what it belongs to is its *key*."""

    start: datetime
    end: datetime
    key: int = 0

    @property
    def seconds(self) -> float:
        return max(0.0, (self.end - self.start).total_seconds())


def added(last: TimeSpan | None, *, end: datetime, seconds: float) -> TimeSpan:
    """The stretch after *seconds* more that ended at *end*: *last* grown by them where they go on with it, else one of their own.

    It grows by what was lived, not by the gap: many reports in a row come to what was really played or in view.
    """
    start = end - timedelta(seconds=max(0.0, seconds))
    if last is not None and start - last.end <= TOUCHING and start >= last.start:
        return TimeSpan(last.start, last.end + timedelta(seconds=max(0.0, seconds)), last.key)
    return TimeSpan(start, end)


def idle_between(before: datetime, now: datetime) -> timedelta:
    """Of the time between two things that happened, what does not count."""
    return max(timedelta(0), now - before - IDLE)


def laid_back(*, first: datetime, last: datetime, reported: float | None, idle: timedelta = timedelta(0)) -> TimeSpan:
    """What a launch of a package took: the seconds it reports, laid back from its last commit, at most from 60 s before its first on.

    Where it reports none, the time between first and last without what was idle.
    """
    most = last - first + BEFORE_FIRST
    lived = timedelta(seconds=max(0.0, reported)) if reported is not None else last - first - idle
    return TimeSpan(last - max(timedelta(0), min(lived, most)), last)


def without_overlaps(spans: Iterable[TimeSpan]) -> list[TimeSpan]:
    """One person's stretches so that no moment counts twice: of two at once that which was begun first counts."""
    found: list[TimeSpan] = []
    reached: datetime | None = None
    for span in sorted(spans, key=lambda one: (one.start, one.key)):
        start = span.start if reached is None else max(span.start, reached)
        if span.end > start:
            found.append(TimeSpan(start, span.end, span.key))
            reached = span.end
    return found


def by_day(spans: Sequence[TimeSpan], zone: ZoneInfo) -> dict[tuple[int, date], float]:
    """(key, day of the organisation) → seconds; a stretch over midnight is divided there."""
    found: dict[tuple[int, date], float] = {}
    for span in spans:
        # In UTC: two wall times of one zone are told apart by what clocks show, which is an hour off where they were changed.
        start, last = span.start.astimezone(UTC), span.end.astimezone(UTC)
        while start < last:
            day = start.astimezone(zone).date()
            midnight = datetime.combine(day + timedelta(days=1), time(), zone).astimezone(UTC)
            end = min(last, midnight)
            found[span.key, day] = found.get((span.key, day), 0.0) + (end - start).total_seconds()
            start = end
    return found
