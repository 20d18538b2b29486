"""Statuses for everybody at once, and rates by unit and course. Rules: 4, 5.

The same rules as `requirements.standing_on` and `merge`, over columns. Days are proleptic ordinals (`date.toordinal`),
FOREVER included; a test holds the two, and the SQL used for lists, equal row by row.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder.core.days import FOREVER
from stepladder.core.requirements import DEFAULT_SOON_DAYS, WORST_FIRST, Status

__all__ = [
    "Cell",
    "LinkColumns",
    "ReasonColumns",
    "RequirementColumns",
    "WaiverColumns",
    "board_cells",
    "percent",
    "requirements_on",
]

Days = NDArray[np.int64]
NO_DAY = FOREVER.toordinal()
RANK = {status: rank for rank, status in enumerate(WORST_FIRST)}


@dataclass(frozen=True)
class _Columns:
    """Arrays of one length; *known_from* ≤ k < *known_to* says whether a row is known on day k."""

    def known_on(self, day: date) -> Any:
        known = (self.known_from <= day.toordinal()) & (day.toordinal() < self.known_to)  # type: ignore[attr-defined]
        return self.where(known)

    def where(self, keep: NDArray[Any]) -> Any:
        return type(self)(**{f.name: getattr(self, f.name)[keep] for f in fields(self)})

    def without(self, people: Sequence[int]) -> Any:
        """The rows of everybody else."""
        return self.where(~np.isin(self.person, np.array(people, dtype=np.int64)))  # type: ignore[attr-defined]

    def joined(self, more: Any) -> Any:
        """These rows and *more*, of the same kind."""
        columns = {f.name: np.concatenate([getattr(self, f.name), getattr(more, f.name)]) for f in fields(self)}
        return type(self)(**columns)


@dataclass(frozen=True)
class ReasonColumns(_Columns):
    """The stored reasons; *due* NO_DAY where there is none, *taken_from* 0 where any completion counts."""

    person: Days
    course: Days
    first: Days
    last: Days
    opened: Days
    due: Days
    notice: Days
    taken_from: Days
    mandatory: NDArray[np.bool_]
    known_from: Days
    known_to: Days


@dataclass(frozen=True)
class LinkColumns(_Columns):
    """The stored links of chains (validity.Link)."""

    person: Days
    course: Days
    first: Days
    taken: Days
    valid_until: Days
    window: Days
    grace: Days
    known_from: Days
    known_to: Days


@dataclass(frozen=True)
class WaiverColumns(_Columns):
    person: Days
    course: Days
    first: Days
    last: Days
    known_from: Days
    known_to: Days


@dataclass(frozen=True)
class RequirementColumns:
    """One row a requirement, ordered by person and course; *rank* is the place in WORST_FIRST."""

    person: Days
    course: Days
    rank: Days
    mandatory: NDArray[np.bool_]
    due: Days
    opened: Days
    valid_until: Days

    def where(self, keep: NDArray[Any]) -> RequirementColumns:
        return RequirementColumns(**{f.name: getattr(self, f.name)[keep] for f in fields(self)})

    def __len__(self) -> int:
        return len(self.person)


def requirements_on(
    reasons: ReasonColumns,
    links: LinkColumns,
    waivers: WaiverColumns,
    *,
    day: date,
    known_on: date,
    soon_days: int = DEFAULT_SOON_DAYS,
) -> RequirementColumns:
    """Every open requirement on *day*, by the facts known on *known_on*."""
    today = day.toordinal()
    rows = reasons.known_on(known_on)
    rows = rows.where((rows.first <= today) & (today <= rows.last))
    at, has_link = _links_of(rows, links.known_on(known_on), today)
    known_links = links.known_on(known_on)
    taken = np.where(has_link, _pick(known_links.taken, at), 0)
    has_link &= taken >= rows.taken_from
    valid_until = np.where(has_link, _pick(known_links.valid_until, at), 0)
    window = np.where(has_link, _pick(known_links.window, at), 0)
    grace = np.where(has_link, _pick(known_links.grace, at), 0)
    grace_until = np.where(valid_until == NO_DAY, NO_DAY, np.minimum(valid_until + grace, NO_DAY))

    due, grace_until, waived = _moved(
        rows, due=rows.due, grace_until=grace_until, waivers=waivers.known_on(known_on), today=today
    )
    rank = _ranks(rows, has_link, valid_until, window, grace_until, due, waived, today, soon_days)
    return _merged(rows, rank, due, np.where(has_link, valid_until, 0))


def _pick(column: Days, at: Days) -> Days:
    return column[at] if len(column) else np.zeros(len(at), dtype=np.int64)


def _links_of(rows: ReasonColumns, links: LinkColumns, today: int) -> tuple[Days, NDArray[np.bool_]]:
    """For each row the index of the link of its person and course that has begun last, and whether there is one."""
    begun = np.flatnonzero(links.first <= today)
    stride = int(max(rows.course.max(initial=0), links.course.max(initial=0))) + 1
    keys = links.person[begun] * stride + links.course[begun]
    order = np.lexsort((links.first[begun], keys))
    begun, keys = begun[order], keys[order]
    wanted = rows.person * stride + rows.course
    place = np.searchsorted(keys, wanted, side="right") - 1
    found = (place >= 0) & (keys[place] == wanted) if len(keys) else np.zeros(len(wanted), dtype=bool)
    index = begun[place] if len(keys) else np.zeros(len(wanted), dtype=np.int64)
    return np.where(found, index, 0), found


def _moved(
    rows: ReasonColumns, *, due: Days, grace_until: Days, waivers: WaiverColumns, today: int
) -> tuple[Days, Days, NDArray[np.bool_]]:
    """Due and grace days as moved by waivers, and which rows a waiver covers today.

    The n-th waiver of every person and course together, as `requirements.needed_by` takes them one by one.
    """
    waived = np.zeros(len(due), dtype=bool)
    if not len(waivers.person):
        return due, grace_until, waived
    stride = int(max(rows.course.max(initial=0), waivers.course.max())) + 1
    keys = waivers.person * stride + waivers.course
    order = np.argsort(keys, kind="stable")
    keys, first, last = keys[order], waivers.first[order], waivers.last[order]
    wanted = rows.person * stride + rows.course
    start = np.searchsorted(keys, wanted, side="left")
    count = np.searchsorted(keys, wanted, side="right") - start
    every = [(row := np.flatnonzero(count > nth), start[row] + nth) for nth in range(int(count.max(initial=0)))]
    for row, waiver in every:
        waived[row] |= (first[waiver] <= today) & (today <= last[waiver])

    def moved(days: Days) -> Days:
        used = np.zeros(len(days), dtype=np.int64)
        for _ in every:
            longest = np.zeros(len(days), dtype=np.int64)
            for row, waiver in every:
                day, ends = days[row], last[waiver]
                inside = (first[waiver] <= day) & (day <= ends) & (day != NO_DAY) & (ends > used[row])
                longest[row] = np.where(inside, np.maximum(longest[row], ends), longest[row])
            after = np.where(longest == NO_DAY, NO_DAY, np.minimum(longest + rows.notice, NO_DAY))
            days = np.where(longest > 0, after, days)
            used = np.maximum(used, longest)
        return days

    return moved(due), moved(grace_until), waived


def _ranks(
    rows: ReasonColumns,
    has_link: NDArray[np.bool_],
    valid_until: Days,
    window: Days,
    grace_until: Days,
    due: Days,
    waived: NDArray[np.bool_],
    today: int,
    soon_days: int,
) -> Days:
    valid = has_link & (today <= valid_until)
    renew = valid & (valid_until - today <= window) & (valid_until != NO_DAY)
    expired = has_link & ~valid & (valid_until >= rows.opened)
    conditions = [
        waived,
        renew,
        valid,
        expired & (today <= grace_until),
        expired,
        today > due,
        (due != NO_DAY) & (due - today <= soon_days),
    ]
    outcomes = [
        Status.WAIVED,
        Status.RENEW,
        Status.CURRENT,
        Status.IN_GRACE,
        Status.LAPSED,
        Status.OVERDUE,
        Status.DUE_SOON,
    ]
    return np.select(conditions, [np.int64(RANK[s]) for s in outcomes], default=np.int64(RANK[Status.TO_DO]))


def _merged(rows: ReasonColumns, rank: Days, due: Days, valid_until: Days) -> RequirementColumns:
    stride = int(rows.course.max(initial=0)) + 1
    keys = rows.person * stride + rows.course
    # A mandatory row sorts before the suggested ones of its requirement, so the first row says which count.
    order = np.lexsort((~rows.mandatory, keys))
    keys = keys[order]
    starts = np.flatnonzero(np.r_[True, keys[1:] != keys[:-1]]) if len(keys) else np.zeros(0, dtype=np.int64)
    mandatory = rows.mandatory[order]
    group = np.cumsum(np.r_[True, keys[1:] != keys[:-1]]) - 1 if len(keys) else np.zeros(0, dtype=np.int64)
    counts = mandatory == mandatory[starts][group] if len(keys) else np.zeros(0, dtype=bool)
    covered_ranks = [RANK[Status.CURRENT], RANK[Status.RENEW]]
    ranks, opened, dues, valids = rank[order], rows.opened[order], due[order], valid_until[order]
    uncovered = ~np.isin(ranks, covered_ranks)
    beyond = np.int64(NO_DAY)

    def least(values: Days, keep: NDArray[np.bool_]) -> Days:
        return np.minimum.reduceat(np.where(keep, values, beyond), starts) if len(starts) else values[:0]

    worst = least(ranks, counts)
    any_uncovered = np.logical_or.reduceat(counts & uncovered, starts) if len(starts) else counts[:0]
    due_first = np.where(any_uncovered, least(dues, counts & uncovered), least(dues, counts))
    longest = np.maximum.reduceat(np.where(counts, valids, 0), starts) if len(starts) else valids[:0]
    first = order[starts] if len(starts) else starts
    return RequirementColumns(
        person=rows.person[first],
        course=rows.course[first],
        rank=worst,
        mandatory=rows.mandatory[first],
        due=due_first,
        opened=least(opened, counts),
        valid_until=longest,
    )


@dataclass(frozen=True)
class Cell:
    """A unit and course on the board: how many requirements have which status."""

    counts: tuple[int, ...]

    def of(self, *statuses: Status) -> int:
        return sum(self.counts[RANK[status]] for status in statuses)

    @property
    def all(self) -> int:
        return sum(self.counts)

    @property
    def covered(self) -> int:
        return self.of(Status.CURRENT, Status.RENEW)

    @property
    def late(self) -> int:
        return self.of(Status.OVERDUE, Status.LAPSED)

    @property
    def covered_rate(self) -> int | None:
        """Covered / (all - waived)."""
        return percent(self.covered, self.all - self.of(Status.WAIVED))

    @property
    def on_time_rate(self) -> int | None:
        """On time / all: all but the late."""
        return percent(self.all - self.late, self.all)


def percent(part: int, whole: int) -> int | None:
    """Whole percent, halves up, but 100 means all and 0 none; None for an empty set. Rule: 5."""
    if not whole:
        return None
    rounded = (200 * part + whole) // (2 * whole)
    if part < whole:
        rounded = min(rounded, 99)
    return max(rounded, 1) if part else 0


def board_cells(
    requirements: RequirementColumns, unit_of: NDArray[np.int64], person_of: NDArray[np.int64]
) -> dict[tuple[int, int], Cell]:
    """(unit, course) → Cell. The pairs (unit_of[i], person_of[i]) say which units a person rolls up to, each once."""
    order = np.argsort(person_of, kind="stable")
    units, people = unit_of[order], person_of[order]
    start = np.searchsorted(people, requirements.person, side="left")
    count = np.searchsorted(people, requirements.person, side="right") - start
    row = np.repeat(np.arange(len(requirements)), count)
    offset = np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count)
    unit = units[start[row] + offset] if len(row) else np.zeros(0, dtype=np.int64)
    if not len(unit):
        return {}
    triples = np.stack([unit, requirements.course[row], requirements.rank[row]])
    found, times = np.unique(triples, axis=1, return_counts=True)
    cells: dict[tuple[int, int], list[int]] = {}
    for (u, c, rank), n in zip(found.T.tolist(), times.tolist(), strict=True):
        cells.setdefault((u, c), [0] * len(WORST_FIRST))[rank] = n
    return {key: Cell(tuple(counts)) for key, counts in cells.items()}
