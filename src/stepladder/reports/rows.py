"""The rows that a figure opens, in order: only those that are shown are made."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder.core.reports import Facts
from stepladder.reports.counted import Counted, RowColumn, row_columns
from stepladder.web.tables import LazyRows

__all__ = ["ReportCell", "ReportRows"]

# A walk through all rows makes so many at a time.
PIECE = 10_000


@dataclass(frozen=True)
class ReportCell:
    """A value of a row, and where it leads."""

    column: RowColumn
    value: Any
    link: str


class ReportRows(LazyRows[list[ReportCell]]):
    """Rows sorted by the key of a column ("-" before it: down), the newest first where none is asked for."""

    def __init__(self, counted: Counted, facts: Facts, sort: str, account: Any) -> None:
        self.columns = row_columns(counted)
        self.facts = facts
        self.account = account
        self.sort = sort if any(c.key == sort.lstrip("-") and c.sort for c in self.columns) else "-day"
        self._order = self._sorted()

    def _sorted(self) -> NDArray[np.int64]:
        column = next(c for c in self.columns if c.key == self.sort.lstrip("-"))
        assert column.sort is not None, "only a column that sorts is sorted by"
        by = np.asarray(column.sort(self.facts))
        return np.lexsort((self.facts.key, self.facts.person, -by if self.sort.startswith("-") else by))

    def __len__(self) -> int:
        return len(self.facts)

    def made(self, start: int, stop: int) -> list[list[ReportCell]]:
        some = self.facts.picked(self._order[start:stop])
        every = [
            (column, column.values(some), column.link(some, self.account) if column.link else [""] * len(some))
            for column in self.shown
        ]
        return [[ReportCell(column, values[n], links[n]) for column, values, links in every] for n in range(len(some))]

    @property
    def shown(self) -> list[RowColumn]:
        """The columns of a screen."""
        return [column for column in self.columns if not column.files_only]

    @property
    def heads(self) -> list[str]:
        return [column.label for column in self.columns]

    def pieces(self) -> Iterator[list[Sequence[Any]]]:
        """All rows as a file says them, piece by piece."""
        for at in range(0, len(self), PIECE):
            some = self.facts.picked(self._order[at : at + PIECE])
            yield list(zip(*(column.values(some) for column in self.columns), strict=True))
