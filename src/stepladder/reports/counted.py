"""What reports count: apps hand it in, with its figures, and the columns of the rows that they open. Rule: 16."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any, NamedTuple

from numpy.typing import NDArray

from stepladder.assignments.standing_days import Moment
from stepladder.core.reports import Facts, Figure

__all__ = [
    "Counted",
    "RowColumn",
    "Span",
    "Standing",
    "add_counted",
    "add_row_column",
    "counted_named",
    "every_counted",
    "row_columns",
]


@dataclass(frozen=True)
class Span:
    """Of which days facts are read: acts from *first* to *last*, both included; how things stand on *day*.

    *courses* None: of all, and of what is in none. *whole*: the days of all periods of a report; what is read for one of them and serves
    the others is kept in *kept* as long as the report runs. *figures_only*: no row is shown, so that what only rows
    say may be left out; *merged_by*: and rows that are alike may come as one where they are of the same "person", or of the same "course".
    *known_on*: by the knowledge of which day before today; None: of now.
    """

    first: date
    last: date
    day: date
    courses: frozenset[int] | None = None
    whole: tuple[date, date] | None = None
    kept: dict[str, Any] = field(default_factory=dict, compare=False)
    figures_only: bool = False
    merged_by: str = ""
    known_on: date | None = None

    @property
    def moment(self) -> Moment:
        """When it is asked how things stand, by the knowledge of which day."""
        return Moment(self.day, self.known_on)


class Standing(NamedTuple):
    """The keys of the figures that the bar of a cell on a board is parted by: what is covered, late and waived of what is asked."""

    covered: str
    late: str
    waived: str
    asked: str


@dataclass(frozen=True)
class Counted:
    """Something that is counted. *is_state*: it is how things stand on a day, not what happened between days.

    *groups*: the names of the values by which its rows can be grouped; *has_people*: also by unit and position. *means*: what
    counts, in sentences for whoever reads a figure. *missing*: of how things stand, which days take so long to work out that they are
    kept, and are not yet; *work_out* does that. *by_both_clocks*: it can also be told as it was known on a day before. *standing*: what
    the bars of its rates are parted by.
    """

    key: str
    word: str
    figures: Sequence[Figure]
    read: Callable[[Span], Facts]
    means: Sequence[str]
    groups: frozenset[str] = frozenset()
    is_state: bool = False
    has_people: bool = True
    missing: Callable[[Iterable[Moment]], list[Moment]] | None = None
    work_out: Callable[[Moment], object] | None = None
    standing: Standing | None = None
    by_both_clocks: bool = False

    def figure(self, key: str) -> Figure | None:
        return next((figure for figure in self.figures if figure.key == key), None)


@dataclass(frozen=True)
class RowColumn:
    """A column of rows: *values* gives one a row for a page or a piece of a file, with a bounded number of queries.

    *of*: which counted things' rows have it, "" all. *sort*: the numbers by which rows are ordered. *link*: for an account one address
    a row, "" where it may go nowhere.
    """

    key: str
    label: str
    values: Callable[[Facts], Sequence[Any]]
    order: int
    of: frozenset[str] = frozenset()
    sort: Callable[[Facts], NDArray[Any]] | None = None
    link: Callable[[Facts, Any], Sequence[str]] | None = None
    css: str = ""
    is_head: bool = False
    files_only: bool = False


_counted: dict[str, Counted] = {}
_columns: dict[tuple[str, frozenset[str]], RowColumn] = {}


def add_counted(counted: Counted) -> None:
    """Hand in what is counted."""
    _counted[counted.key] = counted


def counted_named(key: str) -> Counted | None:
    return _counted.get(key)


def every_counted() -> list[Counted]:
    """In the order in which they were handed in."""
    return list(_counted.values())


def add_row_column(column: RowColumn) -> None:
    """Hand in a column."""
    _columns[column.key, column.of] = column


def row_columns(counted: Counted) -> list[RowColumn]:
    """The columns of the rows of something, in order."""
    found = [column for column in _columns.values() if not column.of or counted.key in column.of]
    return sorted(found, key=lambda column: (column.order, column.key))
