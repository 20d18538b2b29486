"""Statuses for everybody at once, and rates by unit and course. Rules: 4, 5.

The same rules as `requirements.standing_on` and `merge`, over columns. Days are proleptic ordinals (`date.toordinal`),
FOREVER included; a test holds the two, and the SQL used for lists, equal row by row.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from datetime import date
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from stepladder.core.days import FOREVER
from stepladder.core.requirements import DEFAULT_SOON_DAYS, WORST_FIRST, Status

__all__ = [
    "Cell",
    "LinkColumns",
    "Membership",
    "ReasonColumns",
    "RequirementColumns",
    "WaiverColumns",
    "board_counts",
    "keys_of",
    "people_counts",
    "percent",
    "requirements_on",
]

Days = NDArray[Any]
NO_DAY = FOREVER.toordinal()
RANK = {status: rank for rank, status in enumerate(WORST_FIRST)}


@dataclass(frozen=True)
class _Columns:
    """Arrays of one length; *known_from* ≤ k < *known_to* says whether a row is known on day k.

    Numbers and days fit into 32 bits. Rows are kept in order of person and course, so that what belongs together is found
    without sorting; `ordered` brings them into it.
    """

    def __len__(self) -> int:
        return len(self.person)  # type: ignore[attr-defined]

    @property
    def keys(self) -> NDArray[np.int64]:
        """Person and course as one number that orders as they do."""
        return keys_of(self.person, self.course)  # type: ignore[attr-defined]

    def _knows(self, day: date) -> NDArray[np.bool_]:
        known: NDArray[np.bool_] = (self.known_from <= day.toordinal()) & (day.toordinal() < self.known_to)  # type: ignore[attr-defined]
        return known

    def known_on(self, day: date) -> Self:
        return self.where(self._knows(day))

    def where(self, keep: NDArray[np.bool_]) -> Self:
        # Most often every row is known and open: copying millions of them costs more than asking.
        if keep.all():
            return self
        return self._picked(keep)

    def _picked(self, which: NDArray[Any]) -> Self:
        return type(self)(**{f.name: getattr(self, f.name)[which] for f in fields(self)})

    def without(self, people: Sequence[int]) -> Self:
        """The rows of everybody else."""
        gone = np.array(people, dtype=np.int64)
        return self.where(~np.isin(self.person, gone))  # type: ignore[attr-defined]

    def joined(self, more: Self) -> Self:
        """These rows and *more*, in order."""
        columns = {f.name: np.concatenate([getattr(self, f.name), getattr(more, f.name)]) for f in fields(self)}
        return type(self)(**columns).ordered()

    def ordered(self) -> Self:
        """The same rows in order."""
        keys = self.keys
        if (keys[1:] >= keys[:-1]).all():
            return self
        return self._picked(np.argsort(keys, kind="stable"))


def keys_of(person: Days, course: Days) -> NDArray[np.int64]:
    """Person and course as one number that orders as they do."""
    keys: NDArray[np.int64] = (person.astype(np.int64) << 32) | course
    return keys


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
    """One row a requirement, in order of person and course; *rank* is the place in WORST_FIRST."""

    person: Days
    course: Days
    rank: Days
    mandatory: NDArray[np.bool_]
    due: Days
    opened: Days
    valid_until: Days

    def where(self, keep: NDArray[np.bool_]) -> RequirementColumns:
        return self if keep.all() else self._picked(keep)

    def _picked(self, which: NDArray[Any]) -> RequirementColumns:
        return RequirementColumns(**{f.name: getattr(self, f.name)[which] for f in fields(self)})

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
    rows = reasons.ordered()
    rows = rows.where(rows._knows(known_on) & (rows.first <= today) & (today <= rows.last))
    latest, index, has_link = _links_of(rows, links.ordered(), today, known_on)
    if rows.taken_from.any():
        has_link &= _pick(latest.taken, index, has_link) >= rows.taken_from
    valid_until = _pick(latest.valid_until, index, has_link)
    window = _pick(latest.window, index, has_link)
    grace = _pick(latest.grace, index, has_link)
    grace_until = np.where(valid_until == NO_DAY, NO_DAY, np.minimum(valid_until + grace, NO_DAY))

    due, grace_until, waived = _moved(
        rows, due=rows.due, grace_until=grace_until, waivers=waivers.known_on(known_on), today=today
    )
    rank = _ranks(rows, has_link, valid_until, window, grace_until, due, waived, today, soon_days)
    return _merged(rows, rank, due, valid_until)


def _pick(column: Days, index: Days, there: NDArray[np.bool_]) -> Days:
    """The values at *index* where there is one, else 0."""
    if not len(column):
        return np.zeros(len(index), dtype=np.int32)
    return np.where(there, column[index], 0)


def _links_of(
    rows: ReasonColumns, links: LinkColumns, today: int, known_on: date
) -> tuple[LinkColumns, Days, NDArray[np.bool_]]:
    """The links that speak today, one a person and course; for each row the index of its own, and whether it has one."""
    begun = links.where(links._knows(known_on) & (links.first <= today))
    keys = begun.keys
    # Of several that have begun the last one speaks; rows of one person and course may be in any order.
    several = np.flatnonzero(keys[1:] == keys[:-1])
    if len(several):
        order = np.lexsort((begun.first, keys))
        begun, keys = begun._picked(order), keys[order]
        is_last = np.r_[keys[1:] != keys[:-1], True]
        begun, keys = begun._picked(is_last), keys[is_last]
    if not len(keys):
        return begun, np.zeros(len(rows), dtype=np.int64), np.zeros(len(rows), dtype=bool)
    wanted = rows.keys
    index = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
    return begun, index, keys[index] == wanted


def _moved(
    rows: ReasonColumns, *, due: Days, grace_until: Days, waivers: WaiverColumns, today: int
) -> tuple[Days, Days, NDArray[np.bool_]]:
    """Due and grace days as moved by waivers, and which rows a waiver covers today.

    The n-th waiver of every person and course together, as `requirements.needed_by` takes them one by one.
    """
    waived = np.zeros(len(due), dtype=bool)
    if not len(waivers.person):
        return due, grace_until, waived
    keys = waivers.keys
    order = np.argsort(keys, kind="stable")
    keys, first, last = keys[order], waivers.first[order], waivers.last[order]
    wanted = rows.keys
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
    rank = np.full(len(due), RANK[Status.TO_DO], dtype=np.int8)
    # The last one that holds wins: from the weakest to the strongest.
    for status, holds in (
        (Status.DUE_SOON, (due != NO_DAY) & (due - today <= soon_days)),
        (Status.OVERDUE, today > due),
        (Status.LAPSED, expired),
        (Status.IN_GRACE, expired & (today <= grace_until)),
        (Status.CURRENT, valid),
        (Status.RENEW, renew),
        (Status.WAIVED, waived),
    ):
        np.copyto(rank, np.int8(RANK[status]), where=holds)
    return rank


def _merged(rows: ReasonColumns, rank: Days, due: Days, valid_until: Days) -> RequirementColumns:
    """One row a person and course. Most have one reason only, and are what it says; the others are merged. Rule: 4."""
    keys = rows.keys
    is_first = np.r_[True, keys[1:] != keys[:-1]] if len(keys) else np.zeros(0, dtype=bool)
    starts = np.flatnonzero(is_first)
    made = RequirementColumns(rows.person, rows.course, rank, rows.mandatory, due, rows.opened, valid_until)
    if len(starts) == len(keys):
        return made
    one = made._picked(starts)
    shares = np.diff(np.r_[starts, len(keys)]) > 1
    merged = _merge(made._picked(np.repeat(shares, np.diff(np.r_[starts, len(keys)]))))
    for name in ("rank", "mandatory", "due", "opened", "valid_until"):
        getattr(one, name)[shares] = getattr(merged, name)
    return one


def _merge(rows: RequirementColumns) -> RequirementColumns:
    """Rows of several reasons each: only the mandatory ones count where there is one."""
    keys = keys_of(rows.person, rows.course)
    # A mandatory row sorts before the suggested ones of its requirement, so the first row says which count.
    order = np.lexsort((~rows.mandatory, keys))
    rows, keys = rows._picked(order), keys[order]
    is_first = np.r_[True, keys[1:] != keys[:-1]]
    starts = np.flatnonzero(is_first)
    counts = rows.mandatory == rows.mandatory[starts][np.cumsum(is_first) - 1]
    uncovered = ~np.isin(rows.rank, [RANK[Status.CURRENT], RANK[Status.RENEW]])

    def least(values: Days, keep: NDArray[np.bool_]) -> Days:
        return np.minimum.reduceat(np.where(keep, values.astype(np.int32), NO_DAY), starts)

    any_uncovered = np.logical_or.reduceat(counts & uncovered, starts)
    return RequirementColumns(
        person=rows.person[starts],
        course=rows.course[starts],
        rank=least(rows.rank, counts),
        mandatory=rows.mandatory[starts],
        due=np.where(any_uncovered, least(rows.due, counts & uncovered), least(rows.due, counts)),
        opened=least(rows.opened, counts),
        valid_until=np.maximum.reduceat(np.where(counts, rows.valid_until, 0), starts),
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


@dataclass(frozen=True)
class Membership:
    """Who is in which unit, as arrays: *person* and *unit* are pairs, each once; units are numbers from 0 in an order in which
    each comes after its parent, -1 in *parent* for a root.
    """

    person: Days
    unit: Days
    parent: Days

    def alone(self) -> tuple[Days, NDArray[np.bool_]]:
        """For every person's number their only unit, or -1; and which of the pairs are of people who have several."""
        most = int(self.person.max(initial=0)) + 1
        times = np.bincount(self.person, minlength=most)
        several = times[self.person] > 1
        only = np.full(most, -1, dtype=np.int32)
        only[self.person[~several]] = self.unit[~several]
        return only, several

    def upwards(self, pairs: NDArray[np.bool_]) -> tuple[Days, Days]:
        """(person, unit): for some of the pairs every unit that the person rolls up to, each once."""
        person, unit = self.person[pairs].astype(np.int64), self.unit[pairs].astype(np.int64)
        found, base = [np.zeros(0, dtype=np.int64)], len(self.parent) + 1
        while len(person):
            found.append(np.unique(person * base + unit))
            unit = self.parent[unit]
            person, unit = person[unit >= 0], unit[unit >= 0]
        keys = np.unique(np.concatenate(found))
        return keys // base, keys % base


def board_counts(
    requirements: RequirementColumns, members: Membership, courses: Days, keep: NDArray[np.bool_] | None = None
) -> NDArray[np.int64]:
    """How many requirements of which status a unit and a course have: (units + 1, courses, statuses), the last row everyone.

    Each person counts once in every unit they roll up to. *courses* are in order; requirements of others are left out, and
    those that are not to be kept (None: all are).
    """
    shape = (len(members.parent) + 1, len(courses), len(WORST_FIRST))
    if not len(courses):
        return np.zeros(shape, dtype=np.int64)
    width = len(courses) * len(WORST_FIRST)
    place = np.full(int(max(courses[-1], requirements.course.max(initial=0))) + 1, -1, dtype=np.int32)
    place[courses] = np.arange(len(courses))
    course = place[requirements.course]
    keep = course >= 0 if keep is None else keep & (course >= 0)
    column = course * np.int32(len(WORST_FIRST)) + requirements.rank
    only, several = members.alone()
    only = np.r_[only, np.full(max(int(requirements.person.max(initial=0)) + 1 - len(only), 0), -1, dtype=np.int32)]
    unit = only[requirements.person]
    # What is left out is counted in a place of its own: that is quicker than picking the others out of millions.
    size = len(members.parent) * width
    own = np.where(keep & (unit >= 0), unit.astype(np.int64) * width + column, size)
    counts = np.zeros((len(members.parent) + 1, width), dtype=np.int64)
    counts[:-1] = np.bincount(own, minlength=size + 1)[:size].reshape(-1, width)
    _roll_up(counts, members.parent)
    if several.any():
        counts[:-1] += _of_several(requirements, np.where(keep, column, -1), members, several, width)
    counts[-1] = np.bincount(np.where(keep, column, width), minlength=width + 1)[:width]
    return counts.reshape(shape)


def people_counts(members: Membership) -> NDArray[np.int64]:
    """How many people each unit has, those below it with it, each once."""
    only, several = members.alone()
    counts = np.bincount(only[only >= 0], minlength=len(members.parent)).astype(np.int64)
    _roll_up(counts, members.parent)
    found: NDArray[np.int64] = counts + np.bincount(members.upwards(several)[1], minlength=len(members.parent))
    return found


def _roll_up(counts: NDArray[np.int64], parent: Days) -> None:
    """Add what each unit has to its parent, the lowest first."""
    for unit in range(len(parent) - 1, -1, -1):
        if parent[unit] >= 0:
            counts[parent[unit]] += counts[unit]


def _of_several(
    requirements: RequirementColumns,
    column: NDArray[np.int64],
    members: Membership,
    several: NDArray[np.bool_],
    width: int,
) -> NDArray[np.int64]:
    """The counts of people who are in several units, in every unit that one of them rolls up to."""
    size = len(members.parent) * width
    person, unit = members.upwards(several)
    start = np.searchsorted(person, requirements.person, side="left")
    count = np.searchsorted(person, requirements.person, side="right") - start
    row = np.repeat(np.arange(len(requirements)), count)
    offset = np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count)
    keys = np.where(column[row] >= 0, unit[start[row] + offset] * width + column[row], size)
    return np.bincount(keys, minlength=size + 1)[:size].reshape(-1, width)
