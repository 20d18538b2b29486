"""What was known when: rows that are derived from facts, with the days from and to which they were known. Rule: 5, "As of"."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from dataclasses import dataclass
from datetime import date
from typing import Generic, TypeVar

from stepladder.core.days import FOREVER

__all__ = ["Known", "over_time"]

Row = TypeVar("Row", bound=Hashable)


@dataclass(frozen=True)
class Known(Generic[Row]):
    """A row, known on k where known_from <= k < known_to."""

    row: Row
    known_from: date
    known_to: date = FOREVER


def over_time(changes: Iterable[date], rows_as_known: Callable[[date], Iterable[Row]]) -> list[Known[Row]]:
    """Every row there ever was, with when it was known.

    *changes* are the days on which a fact was recorded or revoked; *rows_as_known* derives the rows from the facts known on
    a day. Between two changes nothing new is known, so the rows are the same.
    """
    found: list[Known[Row]] = []
    begun: dict[Row, date] = {}
    for day in sorted(set(changes)):
        now = dict.fromkeys(rows_as_known(day))
        for row in list(begun):
            if row not in now:
                found.append(Known(row, begun.pop(row), day))
        for row in now:
            begun.setdefault(row, day)
    return found + [Known(row, since) for row, since in begun.items()]
