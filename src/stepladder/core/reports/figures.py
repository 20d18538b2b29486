"""The figures of reports: each opens exactly the rows that it counts. Rules: 5, 16."""

from __future__ import annotations

from dataclasses import dataclass, field
from enum import StrEnum
from typing import Any, ClassVar, NamedTuple

import numpy as np
from numpy.typing import NDArray

from stepladder.core.reports.facts import Facts, each_once

__all__ = [
    "LEAST_PEOPLE",
    "Cells",
    "Correlation",
    "Count",
    "Figure",
    "Mean",
    "Middle",
    "PerHead",
    "PersonCells",
    "Rate",
    "Sum",
    "Unit",
    "Value",
]

# Figures of scores, gain and ratings of fewer people are "few" (rule 16).
LEAST_PEOPLE = 5
_SECONDS_AN_HOUR = 3600.0
Floats = NDArray[np.float64]


class Unit(StrEnum):
    """In what a figure is."""

    NUMBER = "number"
    RATE = "rate"
    HOURS = "hours"
    DAYS = "days"
    SHARE = "share"
    POINTS = "points"


class Value(NamedTuple):
    """A figure of one group. *number* None: there is none. *rows*: how many rows it opens, *part*: those of a rate's numerator.

    Of a rate *number* is part / whole, exactly as counted. *low* and *high* are the quartiles of a middle. *is_few*: of too few people to
    be shown. A tuple, as a large firm's report has hundreds of thousands of them.
    """

    number: float | None
    rows: int
    part: int | None = None
    low: float | None = None
    high: float | None = None
    is_few: bool = False


@dataclass(frozen=True, eq=False)
class Cells:
    """Rows of facts in groups: *row* and *place* are pairs, *count* is how many groups. *heads*: how many people each group has."""

    facts: Facts
    row: NDArray[np.int64]
    place: NDArray[np.int64]
    count: int
    heads: NDArray[np.int64] | None = None

    def number(self, keep: NDArray[np.bool_], once: str = "") -> NDArray[np.int64]:
        """How many of the rows each group has, or how many different values of *once* they have."""
        kept = keep[self.row]
        place = self.place[kept]
        if once:
            place = _different(place, _column(self.facts, once)[self.row[kept]])[0]
        elif self.facts.times is not None:
            return np.bincount(place, self.facts.times[self.row[kept]], minlength=self.count).astype(np.int64)
        return np.bincount(place, minlength=self.count)

    def total(self, values: Floats, keep: NDArray[np.bool_]) -> Floats:
        """The sum of values in each group."""
        kept = keep[self.row]
        return np.bincount(self.place[kept], values[self.row[kept]], minlength=self.count).astype(float)


def _column(facts: Facts, name: str) -> NDArray[Any]:
    return facts.person if name == "person" else facts.values[name]


def _known(keep: NDArray[np.bool_], values: Floats) -> NDArray[np.bool_]:
    found: NDArray[np.bool_] = keep & ~np.isnan(values)
    return found


def _different(place: NDArray[Any], what: NDArray[Any]) -> tuple[NDArray[Any], NDArray[Any]]:
    """Each pair once; what is nobody's (0) or nothing's (-1) is none."""
    known = what > 0
    place, what = place[known].astype(np.int64), what[known].astype(np.int64)
    base = int(what.max(initial=0)) + 1
    keys = each_once(place * base + what)
    return keys // base, keys % base


@dataclass(frozen=True)
class Figure:
    """A figure by its *key* and *label*. *of* is the name of the truth that says which rows count; "": all do."""

    key: str
    label: str
    of: str = ""
    unit: ClassVar[Unit] = Unit.NUMBER

    def counts(self, facts: Facts) -> NDArray[np.bool_]:
        """Which rows it opens; of a rate its denominator."""
        return facts.values[self.of].astype(bool) if self.of else np.ones(len(facts), dtype=bool)

    def numerator(self, facts: Facts) -> NDArray[np.bool_] | None:
        """Of a rate the rows that are its part; None for all other figures."""
        return None

    def opened(self, facts: Facts, *, part: bool = False) -> NDArray[np.int64]:
        """The places of the rows that it opens: as many as the figure, where it is a number."""
        keep = self.numerator(facts) if part else None
        return np.flatnonzero(self.counts(facts) if keep is None else keep)

    def values(self, cells: Cells) -> list[Value]:
        """The figure of each group."""
        raise NotImplementedError


@dataclass(frozen=True)
class Count(Figure):
    """How many; with *once*, how many different ones: "person" counts people."""

    once: str = ""

    def opened(self, facts: Facts, *, part: bool = False) -> NDArray[np.int64]:
        rows = super().opened(facts, part=part)
        return _first_of_each(facts, rows, self.once)

    def values(self, cells: Cells) -> list[Value]:
        return [Value(float(n), n) for n in cells.number(self.counts(cells.facts), self.once).tolist()]


def _first_of_each(facts: Facts, rows: NDArray[np.int64], once: str) -> NDArray[np.int64]:
    if not once:
        return rows
    what = _column(facts, once)[rows]
    _, first = np.unique(what, return_index=True)
    return rows[np.sort(first[what[first] > 0])]


@dataclass(frozen=True)
class Rate(Figure):
    """The share of the counted rows for which *part* is true; of different ones with *once*. A ratio of sums, never a mean of rates."""

    part: str = ""
    once: str = ""
    unit: ClassVar[Unit] = Unit.RATE

    def numerator(self, facts: Facts) -> NDArray[np.bool_]:
        found: NDArray[np.bool_] = self.counts(facts) & facts.values[self.part].astype(bool)
        return found

    def opened(self, facts: Facts, *, part: bool = False) -> NDArray[np.int64]:
        return _first_of_each(facts, super().opened(facts, part=part), self.once)

    def values(self, cells: Cells) -> list[Value]:
        whole = cells.number(self.counts(cells.facts), self.once).tolist()
        part = cells.number(self.numerator(cells.facts), self.once).tolist()
        return [Value(p / w if w else None, w, p) for p, w in zip(part, whole, strict=True)]


@dataclass(frozen=True)
class Sum(Figure):
    """The sum of the seconds *value*, in hours."""

    value: str = ""
    unit: ClassVar[Unit] = Unit.HOURS

    def values(self, cells: Cells) -> list[Value]:
        keep = self.counts(cells.facts)
        hours = (cells.total(cells.facts.values[self.value], keep) / _SECONDS_AN_HOUR).tolist()
        return [Value(h, n) for h, n in zip(hours, cells.number(keep).tolist(), strict=True)]


@dataclass(frozen=True)
class PerHead(Sum):
    """The sum of *value* over the people that a group has, whether they did anything or not."""

    def values(self, cells: Cells) -> list[Value]:
        heads = (cells.heads if cells.heads is not None else np.zeros(cells.count, dtype=np.int64)).tolist()
        sums = super().values(cells)
        return [
            Value(s.number / n if s.number is not None and n else None, s.rows)
            for s, n in zip(sums, heads, strict=True)
        ]


@dataclass(frozen=True)
class Mean(Figure):
    """The mean of *value* over the rows that have one; "few" for fewer than 5 people."""

    value: str = ""
    unit: ClassVar[Unit] = Unit.SHARE

    def counts(self, facts: Facts) -> NDArray[np.bool_]:
        return _known(super().counts(facts), facts.values[self.value])

    def values(self, cells: Cells) -> list[Value]:
        keep = self.counts(cells.facts)
        sums = cells.total(cells.facts.values[self.value], keep).tolist()
        found = []
        for total, rows, people in zip(
            sums, cells.number(keep).tolist(), cells.number(keep, "person").tolist(), strict=True
        ):
            is_few = 0 < people < LEAST_PEOPLE
            found.append(Value(total / rows if rows and not is_few else None, rows, is_few=is_few))
        return found


@dataclass(frozen=True)
class Middle(Figure):
    """The median of *value* with both quartiles, linear between the ranks, over the rows that have one."""

    value: str = ""
    unit: ClassVar[Unit] = Unit.DAYS

    def counts(self, facts: Facts) -> NDArray[np.bool_]:
        return _known(super().counts(facts), facts.values[self.value])

    def values(self, cells: Cells) -> list[Value]:
        kept = self.counts(cells.facts)[cells.row]
        place, values = cells.place[kept], cells.facts.values[self.value][cells.row[kept]]
        order = np.lexsort((values, place))
        values = values[order]
        counts = np.bincount(place, minlength=cells.count)
        starts = np.cumsum(counts) - counts
        low, middle, high = (_at_rank(values, starts, counts, share) for share in (0.25, 0.5, 0.75))
        return [
            Value(middle[n], count, low=low[n], high=high[n]) if count else Value(None, 0)
            for n, count in enumerate(counts.tolist())
        ]


def _at_rank(values: Floats, starts: NDArray[Any], counts: NDArray[Any], share: float) -> list[float]:
    """Of each group's values, in order, the one at a share of the way from the first to the last."""
    if not len(values):
        return [0.0] * len(counts)
    rank = np.maximum(counts - 1, 0) * share
    below = np.floor(rank).astype(np.int64)
    above = np.minimum(below + 1, np.maximum(counts - 1, 0))
    last = len(values) - 1
    lower, upper = values[np.minimum(starts + below, last)], values[np.minimum(starts + above, last)]
    found: list[float] = (lower + (upper - lower) * (rank - below)).tolist()
    return found


@dataclass(frozen=True)
class Correlation(Figure):
    """How far *value* goes with *other*, between −1 and 1, over the rows that have both; "few" for fewer than 5 people. Rule: 7."""

    value: str = ""
    other: str = ""
    unit: ClassVar[Unit] = Unit.POINTS

    def counts(self, facts: Facts) -> NDArray[np.bool_]:
        return _known(super().counts(facts), facts.values[self.value] + facts.values[self.other])

    def values(self, cells: Cells) -> list[Value]:
        keep = self.counts(cells.facts)
        x, y = cells.facts.values[self.value], cells.facts.values[self.other]
        n = cells.number(keep)
        people = cells.number(keep, "person")
        sums = [cells.total(np.nan_to_num(each), keep) for each in (x, y, x * x, y * y, x * y)]
        found = []
        for place, rows in enumerate(n.tolist()):
            is_few = 0 < people[place] < LEAST_PEOPLE
            found.append(Value(None if is_few else _correlation(rows, *(s[place] for s in sums)), rows, is_few=is_few))
        return found


def _correlation(n: int, x: float, y: float, xx: float, yy: float, xy: float) -> float | None:
    if n < 2:
        return None
    xx, yy = xx - x * x / n, yy - y * y / n
    # What is nothing but the rounding of sums is no variance.
    if xx < 1e-9 * n or yy < 1e-9 * n:
        return None
    return float((xy - x * y / n) / np.sqrt(xx * yy))


@dataclass(frozen=True, eq=False)
class PersonCells(Cells):
    """Cells of groups that people are in, whatever the row: *row* is the place of a person among those of *of_person*, which says
    for each row of the facts whose it is. Each row counts once in every group of its person.

    Millions of rows are added up for each person first: a person's groups are looked at once, not once a row.
    """

    of_person: NDArray[np.int64] = field(default_factory=lambda: np.zeros(0, dtype=np.int64))
    people: int = 0

    def number(self, keep: NDArray[np.bool_], once: str = "") -> NDArray[np.int64]:
        if once not in ("", "person"):
            raise ValueError(f"People's groups do not count different ones of {once}.")
        times = None if self.facts.times is None or once else self.facts.times[keep]
        of_each = np.bincount(self.of_person[keep], times, minlength=self.people)
        if once:
            of_each = np.minimum(of_each, 1)
        return np.bincount(self.place, of_each[self.row], minlength=self.count).astype(np.int64)

    def total(self, values: Floats, keep: NDArray[np.bool_]) -> Floats:
        of_each = np.bincount(self.of_person[keep], values[keep], minlength=self.people)
        return np.bincount(self.place, of_each[self.row], minlength=self.count).astype(float)
