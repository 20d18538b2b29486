"""Item analysis: what the answers of many tell of the questions. On each person's first marked attempt. Rule: 7."""

from __future__ import annotations

import math
from collections import Counter
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
    shares: dict[int, Counter[Fraction]] = {}
    pairs: dict[int, list[tuple[float, float]]] = {}
    for attempt in attempts:
        total = sum(points.get(key, 1) for key in attempt)
        got = math.fsum(points.get(key, 1) * float(share) for key, share in attempt.items())
        for key, share in attempt.items():
            shares.setdefault(key, Counter())[share] += 1
            own, value = points.get(key, 1), float(share)
            if total > own:
                pairs.setdefault(key, []).append((value, (got - own * value) / (total - own)))
    return [
        Item(key, found.total(), _mean(found), _correlation(pairs.get(key, [])))
        for key, found in sorted(shares.items())
    ]


def _mean(shares: Counter[Fraction]) -> Fraction:
    return sum((share * count for share, count in shares.items()), Fraction(0)) / shares.total()


def _correlation(pairs: Sequence[tuple[float, float]]) -> float | None:
    count = len(pairs)
    if count < 2:
        return None
    mean_x, mean_y = (math.fsum(pair[side] for pair in pairs) / count for side in (0, 1))
    xx = math.fsum((x - mean_x) ** 2 for x, _ in pairs)
    yy = math.fsum((y - mean_y) ** 2 for _, y in pairs)
    # What is nothing but the rounding of sums is no variance.
    if xx < 1e-12 or yy < 1e-12:
        return None
    return math.fsum((x - mean_x) * (y - mean_y) for x, y in pairs) / math.sqrt(xx * yy)


def alpha(attempts: Sequence[Mapping[int, Fraction]]) -> float | None:
    """How far the questions measure the same, where all attempts had the same ones; None otherwise, and without variance."""
    if len(attempts) < 2 or len({frozenset(attempt) for attempt in attempts}) != 1:
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
