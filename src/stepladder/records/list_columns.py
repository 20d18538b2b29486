"""The columns of lists of requirements: apps hand theirs in at start; lists on screens and files are made of them alike."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from numpy.typing import NDArray

from stepladder.charts.models import Position, Unit
from stepladder.core.columns import RequirementColumns
from stepladder.core.requirements import Status
from stepladder.courses.models import Course, Path
from stepladder.people.models import Person
from stepladder.web.templatetags.web import day as written

__all__ = ["Filters", "ListCell", "ListColumn", "ListRow", "add_list_column", "cells_of", "list_columns", "values_of"]


@dataclass(frozen=True)
class Filters:
    """What a list of requirements is narrowed to. *statuses* empty: all; *scope* None: everybody. *clocks*: both days as an
    address that follows from the list ends with them."""

    day: date
    known_on: date
    clocks: str = ""
    text: str = ""
    unit: Unit | None = None
    position: Position | None = None
    person: Person | None = None
    course: Course | None = None
    path: Path | None = None
    statuses: frozenset[Status] = field(default_factory=frozenset)
    with_suggested: bool = False
    due_from: date | None = None
    due_to: date | None = None
    expires_to: date | None = None
    scope: frozenset[int] | None = None
    attending: bool = False

    @property
    def where(self) -> str:
        """Whom it is about, by where they are placed."""
        return next((found.name for found in (self.unit, self.position, self.person) if found), "Everyone")

    @property
    def what(self) -> str:
        """What it is asked about."""
        return self.course.title if self.course else self.path.title if self.path else "Everything"

    @property
    def description(self) -> list[tuple[str, str]]:
        """What it is narrowed to, as (filter, value), for who reads a print or a file without the page."""
        days = (("due from", self.due_from), ("due to", self.due_to), ("valid until at most", self.expires_to))
        said = [
            ("name or number", self.text),
            ("unit and below", self.unit.name if self.unit else ""),
            ("position and below", self.position.name if self.position else ""),
            ("person", self.person.name if self.person else ""),
            ("course", self.course.title if self.course else ""),
            ("path", self.path.title if self.path else ""),
            ("status", ", ".join(str(s) for s in Status if s in self.statuses)),
            *((label, written(value) if value else "") for label, value in days),
            ("suggested too", "yes" if self.with_suggested else ""),
        ]
        return [(label, value) for label, value in said if value]


@dataclass(frozen=True)
class ListRow:
    """A person's requirement in a list."""

    person: Person
    # Of a list of a path it is the path.
    course: Course | Path
    status: Status
    due: date | None
    valid_until: date | None
    where: str
    days_late: int | None
    mandatory: bool

    @property
    def pair(self) -> tuple[int, int]:
        """Person and course."""
        return self.person.pk, self.course.pk

    @property
    def key(self) -> str:
        """The same as text, for templates."""
        return f"{self.person.pk}:{self.course.pk}"


@dataclass(frozen=True)
class ListColumn:
    """A column: *values* gives one value a row, for a page or a piece of a file at once, with a bounded number of queries.

    A value is what the file says: text, number, day, or None. *sort* gives the arrays of whole numbers that order all rows, the
    most important first. On screen *template* draws a cell, with `cell` and `row`. *beside*: on screen it stands in another column's cell;
    *files_only*: on no screen. *of*: the key of a column of rows, whose values are given to *values* instead of the rows.
    """

    key: str
    label: str
    values: Callable[[Sequence[Any], Filters], Sequence[Any]]
    order: int
    sort: Callable[[RequirementColumns, date], Sequence[NDArray[Any]]] | None = None
    link: Callable[[ListRow, Filters], str] | None = None
    template: str = "records/cells/value.html"
    # How its cells are set: "fig" (figures), "small", "nowrap", "n" (numbers, to the right).
    css: str = ""
    is_head: bool = False
    beside: str = ""
    of: str = ""
    files_only: bool = False


_columns: dict[str, ListColumn] = {}


def add_list_column(column: ListColumn) -> None:
    """Hand in a column."""
    _columns[column.key] = column


def list_columns(*, on_screen: bool = False) -> list[ListColumn]:
    """The columns in order: of a file, or those that have one of their own on a screen."""
    shown = [c for c in _columns.values() if not on_screen or not (c.beside or c.files_only)]
    return sorted(shown, key=lambda column: (column.order, column.key))


@dataclass(frozen=True)
class ListCell:
    """A cell on a screen, with those of columns that stand beside it."""

    column: ListColumn
    value: Any
    link: str
    beside: Sequence[ListCell]


def cells_of(rows: Sequence[ListRow], filters: Filters) -> list[list[ListCell]]:
    """The cells of a page of rows."""
    beside = [c for c in list_columns() if c.beside and not c.files_only]
    lines = {c.key: _line(c, rows, filters, []) for c in beside}
    every = []
    for column in list_columns(on_screen=True):
        cells_beside = [lines[c.key] for c in beside if c.beside == column.key]
        every.append(_line(column, rows, filters, cells_beside))
    return [list(cells) for cells in zip(*every, strict=True)]


def _line(
    column: ListColumn, rows: Sequence[ListRow], filters: Filters, beside: Sequence[Sequence[ListCell]]
) -> list[ListCell]:
    values = _values(column, rows, filters, {})
    return [
        ListCell(column, value, column.link(row, filters) if column.link else "", [line[n] for line in beside])
        for n, (row, value) in enumerate(zip(rows, values, strict=True))
    ]


def values_of(rows: Sequence[ListRow], filters: Filters) -> list[tuple[Any, ...]]:
    """What a file says of a piece of rows."""
    # What two columns are made of is asked for once.
    asked: dict[str, Sequence[Any]] = {}
    columns = [_values(column, rows, filters, asked) for column in list_columns()]
    return list(zip(*columns, strict=True))


def _values(
    column: ListColumn, rows: Sequence[ListRow], filters: Filters, asked: dict[str, Sequence[Any]]
) -> Sequence[Any]:
    """A column's values; *asked* has those of columns that were asked for before."""
    if column.key not in asked:
        given = _values(_columns[column.of], rows, filters, asked) if column.of else rows
        asked[column.key] = column.values(given, filters)
    return asked[column.key]
