"""The rows that a report counts, as arrays; and where their people were placed on the day. Rule: 16."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

__all__ = ["Facts", "Placements", "each_once"]


def each_once(numbers: NDArray[Any]) -> NDArray[Any]:
    """The different ones of many numbers, in order: sorted, which is several times as quick for millions as looking each up."""
    ordered = np.sort(numbers)
    return ordered[np.r_[True, ordered[1:] != ordered[:-1]]] if len(ordered) else ordered


@dataclass(frozen=True, eq=False)
class Facts:
    """Arrays of one length: *key* tells a row again, *person* (0: nobody) and *day* (an ordinal) whose and of when it is.

    *values* is what else there is of it, by name: numbers (nan: none), truths, and codes of what it belongs to (-1: to nothing).
    *times* says how many rows each stands for, where those that are alike are one; None: each for itself. *known_on*: by the knowledge of
    which day all of it is told, None: of now.
    """

    key: NDArray[np.int64]
    person: NDArray[np.int64]
    day: NDArray[np.int64]
    values: Mapping[str, NDArray[Any]] = field(default_factory=dict)
    times: NDArray[np.int64] | None = None
    known_on: date | None = None

    def __len__(self) -> int:
        return len(self.key)

    def picked(self, which: NDArray[Any]) -> Facts:
        """Some of the rows: by a mask, or by their places."""
        return Facts(
            self.key[which],
            self.person[which],
            self.day[which],
            {name: column[which] for name, column in self.values.items()},
            None if self.times is None else self.times[which],
            self.known_on,
        )

    @classmethod
    def all_of(cls, pieces: Sequence[Facts]) -> Facts:
        """The rows of all pieces, one piece after the other; all have the same values, and each row stands for itself."""
        if not pieces:
            none = np.zeros(0, dtype=np.int64)
            return cls(none, none, none)
        return cls(
            np.concatenate([piece.key for piece in pieces]),
            np.concatenate([piece.person for piece in pieces]),
            np.concatenate([piece.day for piece in pieces]),
            {name: np.concatenate([piece.values[name] for piece in pieces]) for name in pieces[0].values},
            known_on=pieces[0].known_on,
        )


@dataclass(frozen=True, eq=False)
class Placements:
    """Who was placed where, in order of people: from a *first* to a *last* day, both included; *position* 0 where there is none."""

    person: NDArray[np.int64]
    unit: NDArray[np.int64]
    position: NDArray[np.int64]
    first: NDArray[np.int64]
    last: NDArray[np.int64]

    def on_the_day(self, facts: Facts) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """(row, placement): for each row, in order, every placement that its person had on its day."""
        start = np.searchsorted(self.person, facts.person, side="left")
        count = np.searchsorted(self.person, facts.person, side="right") - start
        row = np.repeat(np.arange(len(facts)), count)
        place = start[row] + np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count)
        day = facts.day[row]
        there = (self.first[place] <= day) & (day <= self.last[place])
        return row[there], place[there]
