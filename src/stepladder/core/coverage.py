"""What was really watched, and which pages were really shown. Rule: 8."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from itertools import accumulate
from math import ceil

__all__ = [
    "DEFAULT_DONE_SHARE",
    "HEAT_SLICES",
    "SHOWN_SECONDS",
    "Allowance",
    "Interval",
    "add_plays",
    "gaps",
    "heat",
    "pages_shown",
    "rungs",
    "share",
    "slices_of",
    "touching_joined",
    "union",
]

DEFAULT_DONE_SHARE = Fraction(9, 10)
HEAT_SLICES = 200
# Kept of one person and medium: so many stretches, between jumps and replays.
MOST_PLAYS = 1000
# Browsers play at double speed by themselves, and at four times with some help; what one tells late is told within the slack.
MOST_SPEED = 4
SLACK_SECONDS = 30
# What a page tells on its way out may come after the next one opened: of a line that was gone, so much is told late.
CARRIED_SECONDS = 600
# A page counts once it was shown so long at a stretch.
SHOWN_SECONDS = 2

# From and to in seconds of media time, whatever the speed.
Interval = tuple[float, float]


def union(played: Iterable[Interval], duration: float) -> list[Interval]:
    """What was played, cut to the medium, in order and without overlaps; touching intervals join."""
    joined: list[Interval] = []
    for start, end in sorted((max(0.0, a), min(duration, b)) for a, b in played):
        if start >= end:
            continue
        if joined and start <= joined[-1][1]:
            joined[-1] = (joined[-1][0], max(joined[-1][1], end))
        else:
            joined.append((start, end))
    return joined


def share(played: Iterable[Interval], duration: float) -> Fraction:
    """The watched part of the whole, exactly, between 0 and 1; 0 for a medium without length.

    Seconds count as they are written ("0.1" is a tenth): sums of binary fractions fall short of a share that is included.
    """
    if duration <= 0:
        return Fraction(0)
    watched = sum((_written(end) - _written(start) for start, end in union(played, duration)), Fraction(0))
    return min(Fraction(1), watched / _written(duration))


def gaps(played: Iterable[Interval], duration: float, *, at_least: float = 0.5) -> list[Interval]:
    """What was not played, in order; shorter than *at_least* seconds is no gap that anybody could fill."""
    found, reached = [], 0.0
    for start, end in [*union(played, duration), (duration, duration)]:
        if start - reached >= at_least:
            found.append((reached, start))
        reached = max(reached, end)
    return found


def rungs(played: Iterable[Interval], duration: float, count: int) -> list[bool]:
    """For each of *count* equal slices of the medium, whether at least half of it was played."""
    if duration <= 0:
        return [False] * count
    joined, width = union(played, duration), duration / count
    found = []
    for number in range(count):
        start, end = number * width, (number + 1) * width
        found.append(sum(max(0.0, min(end, b) - max(start, a)) for a, b in joined) * 2 >= width)
    return found


def _written(seconds: float) -> Fraction:
    return Fraction(repr(seconds))


def heat(reports: Mapping[int, Sequence[Interval]], duration: float) -> list[tuple[int, int]]:
    """For each equal slice of the medium (at most 200, each a second or more): how many people, how many times.

    *reports* is person → intervals in the order reported; successive ones that touch are one time, overlapping ones are two.
    """
    count = slices_of(duration)
    width = duration / count
    # Where a slice begins to be seen and where it ends to be: summed up they are how many see each.
    people, times = [0] * (count + 1), [0] * (count + 1)
    for intervals in reports.values():
        for start, end in touching_joined(intervals):
            _count(times, max(0, int(start / width)), min(count, ceil(end / width)))
        reached = 0
        for start, end in union(intervals, duration):
            # One stretch may end and the next begin in the same slice, which is seen by one person once.
            stop = min(count, ceil(end / width))
            _count(people, max(int(start / width), reached), stop)
            reached = max(reached, stop)
    return list(zip(accumulate(people[:count]), accumulate(times[:count]), strict=True))


def slices_of(duration: float) -> int:
    """Into how many equal slices a medium is cut: at most 200, each a second (or a page) or more."""
    return max(1, min(HEAT_SLICES, int(duration)))


def _count(edges: list[int], first: int, stop: int) -> None:
    if stop > first:
        edges[first] += 1
        edges[stop] -= 1


def touching_joined(intervals: Sequence[Interval]) -> list[Interval]:
    """Successive stretches of which each goes on where the one before ended are one."""
    joined: list[Interval] = []
    for start, end in intervals:
        if start >= end:
            continue
        if joined and start == joined[-1][1]:
            joined[-1] = (joined[-1][0], end)
        else:
            joined.append((start, end))
    return joined


def add_plays(before: Sequence[Interval], played: Iterable[Interval], duration: float) -> list[Interval]:
    """What was played, in the order reported and cut to the medium: one that goes on where the last one ended is the same time.

    Only the newest are kept of more than anybody plays (MOST_PLAYS).
    """
    cut = [(max(0.0, start), min(duration, end)) for start, end in played]
    return touching_joined([*before, *cut])[-MOST_PLAYS:]


@dataclass(frozen=True)
class Allowance:
    """How many seconds of a medium may be reported at an instant: as many as the time that passed has room for."""

    seconds: float
    at: datetime

    @classmethod
    def begin(cls, at: datetime) -> Allowance:
        """What a first page begins with."""
        return cls(SLACK_SECONDS, at)

    def grown(self, now: datetime) -> Allowance:
        """With what the time until *now* has room for."""
        return Allowance(self.seconds + MOST_SPEED * max(0.0, (now - self.at).total_seconds()), now)

    def carried(self, now: datetime) -> Allowance:
        """As another page opens: of the time before, in which there may have been none, only a little is left."""
        return Allowance(min(self.grown(now).seconds, CARRIED_SECONDS), now)

    def less(self, reported: float, now: datetime) -> Allowance | None:
        """With so many seconds reported at *now*; None where there is no room for them."""
        left = self.grown(now).seconds - reported
        return Allowance(round(left, 2), now) if left >= 0 else None


def pages_shown(seconds_at_a_stretch: Iterable[tuple[int, float]], pages: int) -> frozenset[int]:
    """The pages (from 1) that were shown at least two seconds at a stretch."""
    return frozenset(page for page, seconds in seconds_at_a_stretch if seconds >= SHOWN_SECONDS and 1 <= page <= pages)
