"""What people skip, see again, and where they leave: over the length of a film, or the pages of a document. Rule: 8.

A document is a medium as long as it has pages: page p is what lies between p - 1 and p.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from math import ceil

import numpy as np

from stepladder.core.coverage import DEFAULT_DONE_SHARE, Interval, heat, share, slices_of, union

__all__ = ["Run", "Slice", "Watched", "what_is_watched"]

# A stretch is spoken of where so many people, and such a share of those who came past, did it.
FEWEST, SKIPPED_SHARE, LEFT_SHARE = 3, 0.2, 0.1
# Seen so many times a head it is seen again.
AGAIN = 1.2
# Who stopped in so many seconds (or on the first page) has not begun.
EARLY = 5.0
# So many stretches of a kind are spoken of, the largest first.
MOST_RUNS = 4


@dataclass(frozen=True)
class Slice:
    """An equal part of the medium: how many people saw it, how many times; who saw something after it but not it; who left in it."""

    people: int
    times: int
    skipped: int
    left: int


@dataclass(frozen=True)
class Run:
    """A stretch of the medium, from and to in its own measure, and how many people did it of how many; times a head where seen again."""

    start: float
    end: float
    count: int
    of: int
    a_head: float = 0.0


@dataclass(frozen=True)
class Watched:
    """What all people together saw. *middle* is the median of what each saw, in the medium's measure; None where nobody did."""

    slices: Sequence[Slice]
    width: float
    people: int
    finished: int
    middle: float | None
    stopped_early: int
    skipped: Sequence[Run]
    again: Sequence[Run]
    left: Sequence[Run]


def what_is_watched(plays: Mapping[int, Sequence[Interval]], duration: float, *, early: float = EARLY) -> Watched:
    """*plays* is person → stretches in the order they were seen; those who saw nothing of it are not counted."""
    count = slices_of(duration)
    width = duration / count
    counted = np.array(heat(plays, duration), dtype=np.int64)
    saw, shown = counted[:, 0], counted[:, 1]
    ends, seen = np.zeros(count, np.int64), list[float]()
    finished = stopped_early = 0
    for intervals in plays.values():
        cut = union(intervals, duration)
        if not cut:
            continue
        ends[min(count, ceil(cut[-1][1] / width)) - 1] += 1
        seen.append(sum(end - start for start, end in cut))
        finished += share(cut, duration) >= DEFAULT_DONE_SHARE
        stopped_early += cut[-1][1] <= early
    # Who came past a slice: all who saw it or anything after it.
    past = np.cumsum(ends[::-1])[::-1]
    skipped, total = past - saw, len(seen)
    slices = [Slice(*map(int, row)) for row in zip(saw, shown, skipped, ends, strict=True)]
    return Watched(
        slices,
        width,
        total,
        int(finished),
        float(np.median(seen)) if seen else None,
        int(stopped_early),
        _skipped(skipped, past, width),
        _again(saw, shown, width),
        _left(ends, past, width),
    )


def _runs(wanted: np.ndarray) -> list[tuple[int, int]]:
    """First and one past the last of each run of true."""
    edges = np.flatnonzero(np.diff(np.concatenate([[0], wanted.astype(np.int8), [0]])))
    return list(zip(map(int, edges[::2]), map(int, edges[1::2]), strict=True))


def _skipped(skipped: np.ndarray, past: np.ndarray, width: float) -> list[Run]:
    wanted = (skipped >= FEWEST) & (skipped >= SKIPPED_SHARE * past)
    found = []
    for first, stop in _runs(wanted):
        at = first + int(np.argmax(skipped[first:stop]))
        found.append(Run(first * width, stop * width, int(skipped[at]), int(past[at])))
    return sorted(found, key=lambda run: -run.count)[:MOST_RUNS]


def _again(saw: np.ndarray, shown: np.ndarray, width: float) -> list[Run]:
    wanted = (saw >= FEWEST) & (shown >= AGAIN * saw)
    found = []
    for first, stop in _runs(wanted):
        heads, counted = int(saw[first:stop].sum()), int(shown[first:stop].sum())
        found.append(Run(first * width, stop * width, counted, heads, counted / heads))
    return sorted(found, key=lambda run: -run.a_head)[:MOST_RUNS]


def _left(ends: np.ndarray, past: np.ndarray, width: float) -> list[Run]:
    # Whoever is in the last slice has seen it to the end.
    wanted = (ends[:-1] >= FEWEST) & (ends[:-1] >= LEFT_SHARE * past[:-1])
    found = [Run(n * width, (n + 1) * width, int(ends[n]), int(past[n])) for n in map(int, np.flatnonzero(wanted))]
    return sorted(found, key=lambda run: -run.count)[:MOST_RUNS]
