"""Statuses for everybody at once. Rules: 4, 5.

The same rules as `requirements.reason_status` and `merge`, over columns. Days are proleptic ordinals (`date.toordinal`),
FOREVER included; a test holds the two equal row by row.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, fields
from datetime import date
from typing import Any, Self

import numpy as np
from numpy.typing import NDArray

from stepladder.core.days import FOREVER
from stepladder.core.requirements import DEFAULT_SOON_DAYS, WORST_FIRST, Status

__all__ = [
    "NO_DAY",
    "RANK",
    "Days",
    "LinkColumns",
    "ReasonColumns",
    "RequirementColumns",
    "StatusColumns",
    "WaiverColumns",
    "is_one_of",
    "keys_of",
    "latest_links",
    "requirements_on",
    "statuses_on",
]

Days = NDArray[Any]
NO_DAY = FOREVER.toordinal()
RANK = {status: rank for rank, status in enumerate(WORST_FIRST)}


@dataclass(frozen=True)
class _Rows:
    """Arrays of one length, by person and course. Numbers and days fit into 32 bits.

    Rows are kept in order of person and course, so that what belongs together is found without sorting; `ordered` brings them
    into it.
    """

    person: Days
    course: Days

    def __len__(self) -> int:
        return len(self.person)

    @property
    def keys(self) -> NDArray[np.int64]:
        """Person and course as one number that orders as they do."""
        return keys_of(self.person, self.course)

    def where(self, keep: NDArray[np.bool_]) -> Self:
        # Most often every row is known and open: copying millions of them costs more than asking.
        if keep.all():
            return self
        return self.picked(keep)

    def picked(self, which: NDArray[Any] | slice) -> Self:
        return type(self)(**{f.name: getattr(self, f.name)[which] for f in fields(self)})

    def of(self, people: Sequence[int]) -> Self:
        """The rows of these people; both in order."""
        return self.all_of([self.picked(rows) for rows in self._slices(people)])

    def replaced(self, people: Sequence[int], more: Self) -> Self:
        """The rows of these people replaced by *more* of the same; all in order. Nothing is sorted, and the rest copied once."""
        pieces, at = [], 0
        for old, new in zip(self._slices(people), more._slices(people), strict=True):
            pieces += [self.picked(slice(at, old.start)), more.picked(new)]
            at = old.stop
        return self._one_after_another([*pieces, self.picked(slice(at, None))])

    def _slices(self, people: Sequence[int]) -> list[slice]:
        # Of the same type: millions of rows would be converted to look a few people up.
        wanted = np.asarray(people, dtype=self.person.dtype)
        starts, ends = (np.searchsorted(self.person, wanted, side=side).tolist() for side in ("left", "right"))
        return [slice(start, end) for start, end in zip(starts, ends, strict=True)]

    @classmethod
    def none(cls) -> Self:
        """No rows."""
        return cls(**{f.name: np.zeros(0, dtype=bool if f.name == "mandatory" else np.int32) for f in fields(cls)})

    @classmethod
    def all_of(cls, pieces: Sequence[Self]) -> Self:
        """The rows of all pieces, in order."""
        return cls._one_after_another(pieces).ordered() if pieces else cls.none()

    @classmethod
    def _one_after_another(cls, pieces: Sequence[Self]) -> Self:
        return cls(**{f.name: np.concatenate([getattr(piece, f.name) for piece in pieces]) for f in fields(cls)})

    def ordered(self) -> Self:
        """The same rows in order."""
        keys = self.keys
        if (keys[1:] >= keys[:-1]).all():
            return self
        return self.picked(np.argsort(keys, kind="stable"))

    def places_of(self, wanted: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.bool_]]:
        """Where each of these keys stands among rows that are in order, each key once; and whether it does."""
        keys = self.keys
        if not len(keys):
            return np.zeros(len(wanted), dtype=np.int64), np.zeros(len(wanted), dtype=bool)
        index = np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)
        return index, keys[index] == wanted


@dataclass(frozen=True)
class _DatedRows(_Rows):
    """Rows of facts: *known_from* ≤ k < *known_to* says whether one is known on day k."""

    first: Days
    known_from: Days
    known_to: Days

    def known_on(self, day: date) -> Self:
        return self.where(self.is_known(day))

    def is_known(self, day: date) -> NDArray[np.bool_]:
        return (self.known_from <= day.toordinal()) & (day.toordinal() < self.known_to)


def is_one_of(keys: NDArray[Any], wanted: Iterable[int]) -> NDArray[np.bool_]:
    """Which of the keys are wanted: by a table, as keys are small numbers."""
    keys_wanted = np.fromiter(wanted, dtype=np.int64)
    most = max(int(keys.max(initial=0)), int(keys_wanted.max(initial=0))) + 1
    table = np.zeros(most, dtype=bool)
    table[keys_wanted] = True
    found: NDArray[np.bool_] = table[keys]
    return found


def keys_of(person: Days, course: Days) -> NDArray[np.int64]:
    """Person and course as one number that orders as they do."""
    keys: NDArray[np.int64] = (person.astype(np.int64) << 32) | course
    return keys


@dataclass(frozen=True)
class ReasonColumns(_DatedRows):
    """The stored reasons; *due* NO_DAY where there is none, *taken_from* 0 where any completion counts.

    Of paths: *course* is the path.
    """

    assignment: Days
    last: Days
    opened: Days
    due: Days
    notice: Days
    taken_from: Days
    mandatory: NDArray[np.bool_]

    def on(self, *, day: date, known_on: date) -> Self:
        """Those open on a day, by the facts known on a day."""
        today = day.toordinal()
        return self.where(self.is_known(known_on) & (self.first <= today) & (today <= self.last))


@dataclass(frozen=True)
class LinkColumns(_DatedRows):
    """The stored links of chains (validity.Link)."""

    taken: Days
    valid_until: Days
    window: Days
    grace: Days


@dataclass(frozen=True)
class WaiverColumns(_DatedRows):
    """The stored waivers."""

    last: Days


@dataclass(frozen=True)
class RequirementColumns(_Rows):
    """One row a requirement; *rank* is the place in WORST_FIRST, *needed_by* as in `requirements.Requirement`, NO_DAY for none."""

    rank: Days
    mandatory: NDArray[np.bool_]
    due: Days
    opened: Days
    valid_until: Days
    needed_by: Days

    def stands(self, statuses: Iterable[Status]) -> NDArray[np.bool_]:
        """Which rows have one of these statuses."""
        return is_one_of(self.rank, [RANK[status] for status in statuses])


@dataclass(frozen=True)
class StatusColumns:
    """The open reasons of a day, each with its own status: *rank* is the place in WORST_FIRST, *due* as waivers moved it."""

    reasons: ReasonColumns
    rank: Days
    due: Days
    valid_until: Days
    needed_by: Days

    def by_assignment(self) -> NDArray[np.int64]:
        """How many reasons of an assignment have which status: (assignments by key, statuses)."""
        width = len(WORST_FIRST)
        keys = self.reasons.assignment.astype(np.int64) * width + self.rank
        count = int(self.reasons.assignment.max(initial=0)) + 1
        return np.bincount(keys, minlength=count * width).reshape(count, width)

    def merged(self) -> RequirementColumns:
        """One row a person and course. Most have one reason only, and are what it says; the others are merged. Rule: 4."""
        rows = self.reasons
        keys = rows.keys
        starts = np.flatnonzero(np.r_[True, keys[1:] != keys[:-1]]) if len(keys) else np.zeros(0, dtype=np.int64)
        made = RequirementColumns(
            rows.person, rows.course, self.rank, rows.mandatory, self.due, rows.opened, self.valid_until, self.needed_by
        )
        if len(starts) == len(keys):
            return made
        counts = np.diff(np.r_[starts, len(keys)])
        one, merged = made.picked(starts), _merge(made.picked(np.repeat(counts > 1, counts)))
        for name in ("rank", "mandatory", "due", "opened", "valid_until", "needed_by"):
            getattr(one, name)[counts > 1] = getattr(merged, name)
        return one


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
    return statuses_on(reasons, links, waivers, day=day, known_on=known_on, soon_days=soon_days).merged()


def statuses_on(
    reasons: ReasonColumns,
    links: LinkColumns,
    waivers: WaiverColumns,
    *,
    day: date,
    known_on: date,
    soon_days: int = DEFAULT_SOON_DAYS,
) -> StatusColumns:
    """Every open reason on *day* with how its person stands by it, by the facts known on *known_on*."""
    today = day.toordinal()
    rows = reasons.ordered().on(day=day, known_on=known_on)
    latest = latest_links(links, day=day, known_on=known_on)
    index, has_link = latest.places_of(rows.keys)
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
    # One that ran out before the opening excuses nothing: then the due day stands (rule 5).
    needed_by = np.where(has_link & (valid_until >= rows.opened), grace_until, due).astype(np.int32)
    return StatusColumns(rows, rank, due, valid_until, needed_by)


def _pick(column: Days, index: Days, there: NDArray[np.bool_]) -> Days:
    """The values at *index* where there is one, else 0."""
    if not len(column):
        return np.zeros(len(index), dtype=np.int32)
    return np.where(there, column[index], 0)


def latest_links(links: LinkColumns, *, day: date, known_on: date) -> LinkColumns:
    """The links that speak on a day, one a person and course, in order."""
    rows = links.ordered()
    begun = rows.where(rows.is_known(known_on) & (rows.first <= day.toordinal()))
    keys = begun.keys
    # Of several that have begun the last one speaks; rows of one person and course may be in any order.
    if not (keys[1:] == keys[:-1]).any():
        return begun
    order = np.lexsort((begun.first, keys))
    keys = keys[order]
    return begun.picked(order[np.r_[keys[1:] != keys[:-1], True]])


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


def _merge(rows: RequirementColumns) -> RequirementColumns:
    """Rows of several reasons each: only the mandatory ones count where there is one."""
    keys = keys_of(rows.person, rows.course)
    # A mandatory row sorts before the suggested ones of its requirement, so the first row says which count.
    order = np.lexsort((~rows.mandatory, keys))
    rows, keys = rows.picked(order), keys[order]
    is_first = np.r_[True, keys[1:] != keys[:-1]]
    starts = np.flatnonzero(is_first)
    counts = rows.mandatory == rows.mandatory[starts][np.cumsum(is_first) - 1]
    uncovered = ~np.isin(rows.rank, [RANK[Status.CURRENT], RANK[Status.RENEW]])

    def least(values: Days, keep: NDArray[np.bool_]) -> Days:
        return np.minimum.reduceat(np.where(keep, values.astype(np.int32), NO_DAY), starts)

    any_uncovered = np.logical_or.reduceat(counts & uncovered, starts)

    def next_day(days: Days) -> Days:
        """The earliest of what is not covered; of all, where all are."""
        return np.where(any_uncovered, least(days, counts & uncovered), least(days, counts))

    return RequirementColumns(
        person=rows.person[starts],
        course=rows.course[starts],
        rank=least(rows.rank, counts),
        mandatory=rows.mandatory[starts],
        due=next_day(rows.due),
        opened=least(rows.opened, counts),
        valid_until=np.maximum.reduceat(np.where(counts, rows.valid_until, 0), starts),
        needed_by=next_day(rows.needed_by),
    )
