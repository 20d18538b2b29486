"""The board: units, positions or people by courses or paths, on any day."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder.charts.models import Chart, Unit
from stepladder.core.board import Cell, Membership, board_counts, people_counts
from stepladder.core.columns import RequirementColumns, is_one_of
from stepladder.core.requirements import WORST_FIRST, Status
from stepladder.courses.models import Course, Path
from stepladder.people.models import Person
from stepladder.people.name_order import names
from stepladder.records.attending import path_requirement_columns, requirement_columns
from stepladder.records.lists import people_below
from stepladder.records.units import Units, units_on

__all__ = ["OF", "Board", "BoardAsked", "BoardRow", "Forecast", "board", "forecast"]

# A chart of more nodes than this is shown folded; so many columns, nodes and people stand on one page.
FOLDS_FROM, COLUMNS, ROWS, PEOPLE = 40, 20, 80, 60
# A drawing of all at once has so many columns at most.
WHOLE = 300
# What the rows of a board are.
OF = ("units", "positions", "people")


@dataclass(frozen=True)
class BoardAsked:
    """Which board: *of* units or positions (of a *chart*) or people (of a *unit*, None: of all), by courses or by paths, on a day by
    both clocks.

    *only*: public ids of columns, none: all. *scope*: whose rows count (None: everybody's). *attending*: as if everybody who is booked
    attended. *unfolded*: public ids of nodes of a large chart. *until*: the day up to which what is covered runs out, to be counted.
    """

    day: date
    known_on: date
    of: str = "units"
    by_paths: bool = False
    chart: Chart | None = None
    unit: Unit | None = None
    only: Sequence[str] = ()
    scope: frozenset[int] | None = None
    attending: bool = False
    unfolded: frozenset[str] = frozenset()
    page: int = 1
    people_page: int = 1
    until: date | None = None
    # All columns at once, for a drawing of them.
    whole: bool = False


@dataclass(frozen=True)
class BoardRow:
    """A unit, position or person with its cells, None where nobody is asked. *is_open*: what hangs below it is shown; None: nothing does.

    *runs_out*: of each cell how many of the covered run out up to the day that was asked for.
    """

    name: str
    public_id: str
    depth: int
    people: int
    cells: list[Cell | None]
    is_open: bool | None = None
    runs_out: Sequence[int] = ()


@dataclass(frozen=True)
class Board:
    """Rows × courses or paths on a day: a page of the columns that anybody is asked for, and of the rows that are unfolded."""

    day: date
    courses: list[Course] | list[Path]
    rows: list[BoardRow]
    page: int
    # How many columns there are on all pages.
    total: int
    # Unfolded nodes that are beyond the page.
    left_out: int
    # Of people: which page of how many.
    people_page: int = 1
    people_pages: int = 1

    @property
    def pages(self) -> int:
        return max(-(-self.total // COLUMNS), 1)

    @property
    def first(self) -> int:
        return (self.page - 1) * COLUMNS + 1

    @property
    def last(self) -> int:
        return self.first + len(self.courses) - 1


def board(asked: BoardAsked) -> Board:
    """The board: open mandatory requirements of those *seen*, each person once in every node they roll up to."""
    read = path_requirement_columns if asked.by_paths else requirement_columns
    columns = read(day=asked.day, known_on=asked.known_on, attending=asked.attending)
    keep = columns.mandatory
    if asked.scope is not None:
        keep = keep & is_one_of(columns.person, asked.scope)
    things: Any = Path.objects if asked.by_paths else Course.objects
    keys_asked = np.flatnonzero(np.bincount(columns.course[keep])).tolist()
    every = [
        c for c in things.filter(pk__in=keys_asked).order_by("title") if not asked.only or c.public_id in asked.only
    ]
    page = min(max(asked.page, 1), max(-(-len(every) // COLUMNS), 1))
    shown = every[:WHOLE] if asked.whole else every[(page - 1) * COLUMNS : page * COLUMNS]
    made = _of_people if asked.of == "people" else _of_nodes
    return made(asked, columns, keep, shown, page, len(every))


def _counted(
    columns: RequirementColumns, members: Membership, shown: Sequence[Course | Path], keep: NDArray[np.bool_]
) -> NDArray[np.int64]:
    """The counts of each row and column of a page, those in the order of titles."""
    keys = np.array(sorted(one.pk for one in shown), dtype=np.int64)
    counts = board_counts(columns, members, keys, keep)
    found: NDArray[np.int64] = counts[:, np.searchsorted(keys, [one.pk for one in shown])]
    return found


def _running_out(asked: BoardAsked, columns: RequirementColumns, keep: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Which of those that are covered run out up to the day that was asked for."""
    assert asked.until is not None, "only where a day was asked for"
    covered = columns.stands((Status.CURRENT, Status.RENEW))
    found: NDArray[np.bool_] = keep & covered & (columns.valid_until <= asked.until.toordinal())
    return found


def _of_nodes(
    asked: BoardAsked, columns: RequirementColumns, keep: NDArray[np.bool_], shown: Any, page: int, total: int
) -> Board:
    units = units_on(asked.day, asked.known_on, asked.chart, asked.scope)
    counts = _counted(columns, units.members, shown, keep)
    out = None
    if asked.until is not None:
        out = _counted(columns, units.members, shown, _running_out(asked, columns, keep)).sum(axis=2).tolist()
    people = people_counts(units.members)
    visible, left_out = _shown(units, people.tolist(), asked.unfolded)
    rows = [
        BoardRow(
            units.names[n],
            units.public_ids[n],
            units.depths[n],
            int(people[n]),
            _cells(counts[n].tolist()),
            is_open,
            out[n] if out else (),
        )
        for n, is_open in visible
    ]
    active = len(np.unique(units.members.person)) if asked.chart else 0
    rows.append(BoardRow("Everyone", "", 0, active, _cells(counts[-1].tolist()), runs_out=out[-1] if out else ()))
    return Board(asked.day, shown, rows, page, total, left_out)


def _of_people(
    asked: BoardAsked, columns: RequirementColumns, keep: NDArray[np.bool_], shown: Any, page: int, total: int
) -> Board:
    """People by name, a page of those who are asked for anything on any page of columns."""
    if asked.unit is not None:
        keep = keep & is_one_of(columns.person, people_below(asked.unit, asked.day, asked.known_on))
    keys = np.flatnonzero(np.bincount(columns.person[keep]))
    keys = keys[np.argsort(names().order[keys])]
    pages = max(-(-len(keys) // PEOPLE), 1)
    people_page = min(max(asked.people_page, 1), pages)
    keys = keys[(people_page - 1) * PEOPLE : people_page * PEOPLE]
    ordered = np.sort(keys).astype(np.int32)
    place = np.arange(len(ordered), dtype=np.int32)
    members = Membership(ordered, place, np.full(len(ordered), -1, dtype=np.int32))
    keep = keep & is_one_of(columns.person, keys.tolist())
    counts = _counted(columns, members, shown, keep)
    out = None
    if asked.until is not None:
        out = _counted(columns, members, shown, _running_out(asked, columns, keep)).sum(axis=2).tolist()
    people = Person.objects.in_bulk(keys.tolist())
    rows = [
        BoardRow(
            f"{people[key].family_name}, {people[key].given_name}",
            people[key].public_id,
            1,
            1,
            _cells(counts[n].tolist()),
            runs_out=out[n] if out else (),
        )
        for key, n in zip(keys.tolist(), np.searchsorted(ordered, keys).tolist(), strict=True)
    ]
    return Board(asked.day, shown, rows, page, total, 0, people_page, pages)


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


def forecast(
    *, day: date, known_on: date, rate: str, scope: frozenset[int] | None = None, by_paths: bool = False
) -> Forecast:
    """Both rates of a day to come: nobody learns anything more; everybody who is booked attends."""
    rates, read = [], path_requirement_columns if by_paths else requirement_columns
    for attending in (False, True):
        columns = read(day=day, known_on=known_on, attending=attending)
        keep = columns.mandatory if scope is None else columns.mandatory & is_one_of(columns.person, scope)
        cell = Cell(tuple(np.bincount(columns.rank[keep], minlength=len(WORST_FIRST)).tolist()))
        rates.append(cell.on_time_rate if rate == "on time" else cell.covered_rate)
    return Forecast(*rates)
