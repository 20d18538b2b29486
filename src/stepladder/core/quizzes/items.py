"""Item analysis: what the answers of many tell of the questions. On each person's first marked attempt. Rule: 7."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction
from typing import Any

import numpy as np
from numpy.typing import NDArray

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
    # As columns, a row for each answer: twenty thousand attempts are four hundred thousand.
    keys = sorted({key for attempt in attempts for key in attempt})
    if not keys:
        return []
    places = {key: place for place, key in enumerate(keys)}
    question = np.array([places[key] for attempt in attempts for key in attempt])
    lengths = [len(attempt) for attempt in attempts]
    attempt_of = np.repeat(np.arange(len(attempts)), lengths)
    # A share is the same few objects over and over: each has a number, and is turned into a float once.
    given = [share for attempt in attempts for share in attempt.values()]
    known: dict[int, int] = {}
    shares: list[Fraction] = []
    for share in given:
        if id(share) not in known:
            known[id(share)] = len(shares)
            shares.append(share)
    code = np.array([known[id(share)] for share in given])
    value = np.array([float(share) for share in shares])[code]
    weight = np.array([(weights or {}).get(key, 1) for key in keys], dtype=float)
    own = weight[question]
    total = np.bincount(attempt_of, own)[attempt_of]
    got = np.bincount(attempt_of, own * value)[attempt_of]
    has_rest = total > own
    rest = (got - own * value)[has_rest] / (total - own)[has_rest]
    sums = _Sums(question[has_rest], len(keys), value[has_rest], rest)
    # Exactly, by how often each share was reached.
    reached = np.bincount(question * len(shares) + code, minlength=len(keys) * len(shares)).reshape(len(keys), -1)
    found = []
    for place, key in enumerate(keys):
        count = int(reached[place].sum())
        mean = sum((shares[n] * int(reached[place][n]) for n in reached[place].nonzero()[0]), Fraction(0)) / count
        found.append(Item(key, count, mean, sums.correlation(place)))
    return found


class _Sums:
    """What is added up of every question: how many have a rest of the test, and what the correlation with it needs."""

    def __init__(self, question: NDArray[Any], count: int, x: NDArray[Any], y: NDArray[Any]) -> None:
        self.pairs = np.bincount(question, minlength=count)
        self.x, self.y, self.xx, self.yy, self.xy = (
            np.bincount(question, values, minlength=count) for values in (x, y, x * x, y * y, x * y)
        )

    def correlation(self, place: int) -> float | None:
        pairs = int(self.pairs[place])
        if pairs < 2:
            return None
        x, y = float(self.x[place]), float(self.y[place])
        xx, yy = float(self.xx[place]) - x * x / pairs, float(self.yy[place]) - y * y / pairs
        # What is nothing but the rounding of sums is no variance.
        if xx < 1e-9 * pairs or yy < 1e-9 * pairs:
            return None
        return (float(self.xy[place]) - x * y / pairs) / math.sqrt(xx * yy)


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
