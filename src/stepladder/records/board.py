"""The board: units by courses, on any day."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from stepladder.charts.models import Chart
from stepladder.core.board import Cell, board_counts, people_counts
from stepladder.core.columns import is_one_of
from stepladder.core.requirements import WORST_FIRST
from stepladder.courses.models import Course
from stepladder.records.attending import requirement_columns
from stepladder.records.units import Units, units_on

__all__ = ["Board", "BoardRow", "Forecast", "board", "forecast"]

# A chart of more units than this is shown folded; so many courses, and so many units, stand on one page.
FOLDS_FROM, COURSES, ROWS = 40, 20, 80


@dataclass(frozen=True)
class BoardRow:
    """A unit with its cells, None where nobody is asked. *is_open*: what hangs below it is shown; None: nothing does."""

    name: str
    public_id: str
    depth: int
    people: int
    cells: list[Cell | None]
    is_open: bool | None = None


@dataclass(frozen=True)
class Board:
    """Units × courses on a day: a page of the courses that anybody is asked for, and of the units that are unfolded."""

    day: date
    courses: list[Course]
    rows: list[BoardRow]
    page: int
    # How many courses there are on all pages.
    total: int
    # Unfolded units that are beyond the page.
    left_out: int

    @property
    def pages(self) -> int:
        return max(-(-self.total // COURSES), 1)

    @property
    def first(self) -> int:
        return (self.page - 1) * COURSES + 1

    @property
    def last(self) -> int:
        return self.first + len(self.courses) - 1


def board(
    *,
    day: date,
    known_on: date,
    chart: Chart | None,
    only: Sequence[str] = (),
    scope: frozenset[int] | None = None,
    attending: bool = False,
    unfolded: frozenset[str] = frozenset(),
    page: int = 1,
) -> Board:
    """The board: open mandatory requirements of those *seen* (None: all), each person once in every unit they roll up to.

    *attending*: as if everybody who is booked in a session attended it. *unfolded*: public ids of units of a large chart.
    """
    columns = requirement_columns(day=day, known_on=known_on, attending=attending)
    keep = columns.mandatory
    if scope is not None:
        keep = keep & is_one_of(columns.person, scope)
    asked = np.flatnonzero(np.bincount(columns.course[keep])).tolist()
    every = [c for c in Course.objects.filter(pk__in=asked).order_by("title") if not only or c.public_id in only]
    page = min(max(page, 1), max(-(-len(every) // COURSES), 1))
    courses = every[(page - 1) * COURSES : page * COURSES]
    keys = np.array(sorted(course.pk for course in courses), dtype=np.int64)
    units = units_on(day, known_on, chart, scope)
    counts = board_counts(columns, units.members, keys, keep)
    # The columns of the counts in the order of titles.
    counts = counts[:, np.searchsorted(keys, [course.pk for course in courses])]
    people = people_counts(units.members)
    shown, left_out = _shown(units, people.tolist(), unfolded)
    rows = [
        BoardRow(
            units.names[n],
            units.public_ids[n],
            units.depths[n],
            int(people[n]),
            _cells(counts[n].tolist()),
            is_open,
        )
        for n, is_open in shown
    ]
    active = len(np.unique(units.members.person)) if chart else 0
    rows.append(BoardRow("Everyone", "", 0, active, _cells(counts[-1].tolist())))
    return Board(day, courses, rows, page, len(every), left_out)


def _cells(counts: list[list[int]]) -> list[Cell | None]:
    return [Cell(tuple(of)) if any(of) else None for of in counts]


def _shown(units: Units, people: list[int], unfolded: frozenset[str]) -> tuple[list[tuple[int, bool | None]], int]:
    """Which units stand on the page, each with whether it is open, and how many are beyond it."""
    parent = units.members.parent.tolist()
    has_people = [n for n in range(len(parent)) if people[n]]
    with_below = {parent[n] for n in has_people}
    folds = len(has_people) > FOLDS_FROM
    is_open = {n: not folds or parent[n] < 0 or units.public_ids[n] in unfolded for n in with_below if n >= 0}
    found: list[tuple[int, bool | None]] = []
    visible: set[int] = set()
    for n in has_people:
        if parent[n] < 0 or (parent[n] in visible and is_open[parent[n]]):
            visible.add(n)
            found.append((n, is_open.get(n) if folds else None))
    return found[:ROWS], max(len(found) - ROWS, 0)


@dataclass(frozen=True)
class Forecast:
    """The rate of everything mandatory on a day to come, by what is assumed until then. Rule: 5."""

    nobody_learns: int | None
    booked_attend: int | None


def forecast(*, day: date, known_on: date, rate: str, scope: frozenset[int] | None = None) -> Forecast:
    """Both rates of a day to come: nobody learns anything more; everybody who is booked attends."""
    rates = []
    for attending in (False, True):
        columns = requirement_columns(day=day, known_on=known_on, attending=attending)
        keep = columns.mandatory if scope is None else columns.mandatory & is_one_of(columns.person, scope)
        cell = Cell(tuple(np.bincount(columns.rank[keep], minlength=len(WORST_FIRST)).tolist()))
        rates.append(cell.on_time_rate if rate == "on time" else cell.covered_rate)
    return Forecast(*rates)
