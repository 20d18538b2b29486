"""Item analysis: what the answers of many tell of the questions. On each person's first marked attempt. Rule: 7."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

__all__ = ["LEAST_ATTEMPTS", "Item", "Verdict", "alpha", "analyse", "verdict"]

# Fewer attempts than these show their figures as provisional.
LEAST_ATTEMPTS = 10
# Worth a look: told apart this little, or chosen by this few.
LITTLE = 0.2
EASY, HARD = Fraction(95, 100), Fraction(30, 100)


@dataclass(frozen=True)
class Item:
    """A question's figures. *facility* is the mean share of marks; *discrimination* the correlation with the rest of the test,
    None where either does not vary."""

    key: int
    count: int
    facility: Fraction
    discrimination: float | None

    @property
    def is_provisional(self) -> bool:
        return self.count < LEAST_ATTEMPTS


class Verdict(StrEnum):
    """What figures say of a question, by name."""

    MISLEADS = "misleads"
    TELLS_NOTHING = "tells nothing apart"
    EASY = "everybody knows it"
    HARD = "hardly anybody knows it"


def analyse(attempts: Sequence[Mapping[int, Fraction]], weights: Mapping[int, int] | None = None) -> list[Item]:
    """The figures of every question in the attempts (question → share of its marks), by key.

    The rest of the test is the share of the other questions of that attempt, by their points (*weights*; 1 unless said).
    """
    points = weights or {}
    sums: dict[int, _Sums] = {}
    # A share is the same few objects over and over: each is turned into a float once.
    floats: dict[int, float] = {}
    for attempt in attempts:
        for share in attempt.values():
            if id(share) not in floats:
                floats[id(share)] = float(share)
        total = sum([points.get(key, 1) for key in attempt])
        got = sum([points.get(key, 1) * floats[id(share)] for key, share in attempt.items()])
        for key, share in attempt.items():
            if key not in sums:
                sums[key] = _Sums()
            own = points.get(key, 1)
            sums[key].add(share, floats[id(share)], own, got, total)
    return [Item(key, found.count, found.mean, found.correlation) for key, found in sorted(sums.items())]


class _Sums:
    """What is added up of a question: its shares, exactly, and what the correlation with the rest needs."""

    def __init__(self) -> None:
        self.count = 0
        # By identity, with the share itself: hashing exact numbers is what costs most.
        self.shares: dict[int, tuple[Fraction, int]] = {}
        self.pairs = 0
        self.x = self.y = self.xx = self.yy = self.xy = 0.0

    def add(self, share: Fraction, value: float, own: int, got: float, total: int) -> None:
        self.count += 1
        known = self.shares.get(id(share))
        self.shares[id(share)] = (share, known[1] + 1 if known else 1)
        if total > own:
            rest = (got - own * value) / (total - own)
            self.pairs += 1
            self.x += value
            self.y += rest
            self.xx += value * value
            self.yy += rest * rest
            self.xy += value * rest

    @property
    def mean(self) -> Fraction:
        return sum((share * count for share, count in self.shares.values()), Fraction(0)) / self.count

    @property
    def correlation(self) -> float | None:
        if self.pairs < 2:
            return None
        xx, yy = self.xx - self.x * self.x / self.pairs, self.yy - self.y * self.y / self.pairs
        # What is nothing but the rounding of sums is no variance.
        if xx < 1e-9 * self.pairs or yy < 1e-9 * self.pairs:
            return None
        return (self.xy - self.x * self.y / self.pairs) / math.sqrt(xx * yy)


def alpha(attempts: Sequence[Mapping[int, Fraction]]) -> float | None:
    """How far the questions measure the same, where all attempts had the same ones; None otherwise, and without variance."""
    if len(attempts) < 2 or any(attempt.keys() != attempts[0].keys() for attempt in attempts):
        return None
    keys = sorted(attempts[0])
    totals = _variance([float(sum(attempt.values())) for attempt in attempts])
    if len(keys) < 2 or totals < 1e-12:
        return None
    parts = math.fsum(_variance([float(attempt[key]) for attempt in attempts]) for key in keys)
    return len(keys) / (len(keys) - 1) * (1 - parts / totals)


def _variance(values: Sequence[float]) -> float:
    mean = math.fsum(values) / len(values)
    return math.fsum((value - mean) ** 2 for value in values) / len(values)


def verdict(item: Item) -> Verdict | None:
    """What is worth a look about a question, if anything."""
    if item.discrimination is not None and item.discrimination < 0:
        return Verdict.MISLEADS
    if item.facility >= EASY:
        return Verdict.EASY
    if item.discrimination is not None and item.discrimination < LITTLE:
        return Verdict.TELLS_NOTHING
    return Verdict.HARD if item.facility <= HARD else None
