"""How everybody stood with everything on a day: what reports ask of the same days over and over.

Of a large firm a day is kept on disk as one byte a person and course, so that two years of months are read in a second. A day
holds for all whose rows have not changed since; those of the others are worked out each time, until they are many. As known now, or as
known on a day before: each is kept by itself.
"""

from __future__ import annotations

import logging
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date
from pathlib import Path
from threading import Lock
from typing import Any, NamedTuple

import numpy as np
from django.db import connection
from numpy.typing import NDArray

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.assignments.column_cache import CachedArrays, cache_arrays, cached_arrays
from stepladder.assignments.column_reading import Tables
from stepladder.assignments.columns import everything, moved_since, requirement_columns
from stepladder.assignments.moved_tables import MovedTables
from stepladder.core.columns import RequirementColumns, is_one_of, keys_of, statuses_on
from stepladder.core.requirements import WORST_FIRST

__all__ = [
    "CourseCounts",
    "Moment",
    "StandingCounts",
    "StandingRows",
    "counts_on",
    "courses_on",
    "mandatory_on",
    "moments_missing",
    "work_out",
]

WHAT = "standing"
# Of so many people who moved since, all days are worked out anew.
MANY_MOVED = 1_000
# So many days are kept on disk: three years of month ends, a month of todays, and two years as they were known once.
MOST_DAYS = 100
# Codes: 0 where nothing is asked, else its place in WORST_FIRST and whether it is mandatory.
CODES = 2 * len(WORST_FIRST) + 1
Codes = NDArray[np.uint8]
_IS_MANDATORY = np.array([code > 0 and code % 2 == 0 for code in range(CODES)])
_RANK_OF = np.array([max(code - 1, 0) // 2 for code in range(CODES)], dtype=np.uint8)
logger = logging.getLogger(__name__)


class Moment(NamedTuple):
    """A day, by the knowledge of another: as known on a day before today, or now (None)."""

    day: date
    known_on: date | None = None

    @property
    def name(self) -> str:
        """What its file is called."""
        return f"{self.day}-known-{self.known_on}" if self.known_on else str(self.day)


class StandingRows(NamedTuple):
    """A row a requirement: *rank* is the place in WORST_FIRST."""

    person: NDArray[np.int64]
    course: NDArray[np.int64]
    rank: NDArray[np.integer[Any]]


class StandingCounts(NamedTuple):
    """How many requirements somebody has in a status: a row a *person*, *rank* (the place in WORST_FIRST) and *mandatory*, in order."""

    person: NDArray[np.int64]
    rank: NDArray[np.int64]
    mandatory: NDArray[np.bool_]
    times: NDArray[np.int64]


class CourseCounts(NamedTuple):
    """How many requirements of a course are in a status: a row a *course* and *rank* (the place in WORST_FIRST), in order."""

    course: NDArray[np.int64]
    rank: NDArray[np.integer[Any]]
    times: NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class _Base:
    """The pairs of person and course that days are kept of: *people* in order, the *place* of each pair's among them, and its *course*."""

    kept: CachedArrays
    soon: int
    days: dict[Moment, Codes] = field(default_factory=dict)

    @property
    def people(self) -> NDArray[np.int32]:
        return self.kept.arrays["people"]

    @property
    def place(self) -> NDArray[np.int32]:
        return self.kept.arrays["place"]

    @property
    def course(self) -> NDArray[np.int32]:
        return self.kept.arrays["course"]

    def codes(self, moment: Moment) -> Codes | None:
        """How each pair stood on a day that is kept; None where it is not."""
        if moment not in self.days:
            path = self.kept.folder / f"{moment.name}.npy"
            try:
                found = np.load(path, mmap_mode="r").view(np.ndarray)
            except FileNotFoundError:
                return None
            except (OSError, ValueError) as error:
                logger.warning("%s cannot be used (%s): the day is worked out anew.", path, error)
                return None
            if found.shape != self.place.shape:
                return None
            self.days[moment] = found
        return self.days[moment]


_held: list[_Base] = []
_working = Lock()


def counts_on(moment: Moment, *, courses: Collection[int] | None = None) -> StandingCounts:
    """How everybody stands on a day with what is asked in these courses (None: in all); what stands alike as one row."""
    pieces = [
        _merged(*np.unique(person, return_inverse=True), codes) if place is None else _merged(person, place, codes)
        for person, place, _, codes in _pieces(moment, courses)
    ]
    return _together(pieces)


def courses_on(moment: Moment, *, courses: Collection[int] | None = None) -> CourseCounts:
    """How many people stand how with each course that they must do."""
    counts = np.zeros(0, dtype=np.int64)
    for _, _, course, codes in _pieces(moment, courses):
        more = np.bincount(course * np.int64(CODES) + codes)
        counts, more = (counts, more) if len(counts) >= len(more) else (more, counts)
        counts[: len(more)] += more
    found = np.flatnonzero(counts)
    found = found[_IS_MANDATORY[found % CODES]]
    return CourseCounts(found // CODES, _RANK_OF[found % CODES], counts[found])


def mandatory_on(moment: Moment, *, courses: Collection[int] | None = None) -> StandingRows:
    """The same of what must be done, a row a requirement."""
    pieces = []
    for person, place, course, codes in _pieces(moment, courses):
        asked = _IS_MANDATORY[codes]
        if not asked.all():
            course, codes = course[asked], codes[asked]
            person, place = (person[asked], None) if place is None else (person, place[asked])
        whose = person if place is None else person[place]
        pieces.append(StandingRows(whose.astype(np.int64), course.astype(np.int64), _RANK_OF[codes]))
    return pieces[0] if len(pieces) == 1 else StandingRows(*(np.concatenate(c) for c in zip(*pieces, strict=True)))


# (people, the place of each row's among them, courses, codes); where there are no places, each row has its person.
_Piece = tuple[NDArray[Any], NDArray[Any] | None, NDArray[Any], Codes]


def _pieces(moment: Moment, courses: Collection[int] | None) -> list[_Piece]:
    """What is kept of a day, and apart from it the rows of those who moved since."""
    base, moved, tables = _base()
    if base is None:
        columns = requirement_columns(day=moment.day, known_on=moment.known_on or clock.today())
        return [_piece_of(columns, courses)]
    place, course, codes = base.place, base.course, _codes_of(base, moment, tables)
    if moved:
        codes = codes.copy()
        there = np.flatnonzero(is_one_of(base.people, moved))
        # The rows of a person lie together: as if nothing were asked there.
        for first, after in zip(
            np.searchsorted(place, there), np.searchsorted(place, there, side="right"), strict=True
        ):
            codes[first:after] = 0
    if courses is not None:
        keep = is_one_of(course, courses)
        place, course, codes = place[keep], course[keep], codes[keep]
    found: list[_Piece] = [(base.people, place, course, codes)]
    if moved:
        found.append(_piece_of(_statuses(tables.of(sorted(set(moved))), moment), courses))
    return found


def _piece_of(columns: RequirementColumns, courses: Collection[int] | None) -> _Piece:
    if courses is not None:
        columns = columns.where(is_one_of(columns.course, courses))
    return columns.person, None, columns.course, _codes(columns)


def moments_missing(moments: Iterable[Moment]) -> list[Moment]:
    """Which would have to be worked out before they can be read; none where that takes no time worth telling."""
    base, _, _ = _base()
    return [] if base is None else [moment for moment in moments if base.codes(moment) is None]


def work_out(moment: Moment) -> None:
    """Have a day ready to be read."""
    base, _, tables = _base()
    if base is not None:
        _codes_of(base, moment, tables)


def _base() -> tuple[_Base | None, list[int], Tables | MovedTables]:
    """What days are kept of, as it fits the database, who moved since, and everybody's columns; None where so few are asked that nothing
    is kept."""
    asked = everything()
    if not asked.is_large or connection.in_atomic_block:
        return None, [], asked.tables
    with _working:
        kept = cached_arrays(WHAT)
        soon = organisation().soon_days
        if kept is not None and kept.stated.get("soon") == soon:
            moved = moved_since(kept.change, asked.change)
            if moved is not None and len(moved) <= MANY_MOVED:
                if not _held or _held[0].kept.folder != kept.folder:
                    _held[:] = [_Base(kept, soon)]
                return _held[0], moved, asked.tables
        _make(asked.change, asked.tables.whole(), soon)
        kept = cached_arrays(WHAT)
        # Where nothing could be written every day is worked out as it is asked for.
        _held[:] = [_Base(kept, soon)] if kept is not None and kept.change == asked.change else []
        return (_held[0] if _held else None), [], asked.tables


def _make(change: int, tables: Tables, soon: int) -> None:
    rows = tables.reasons
    keys = rows.keys
    first = np.r_[True, keys[1:] != keys[:-1]] if len(keys) else np.zeros(0, dtype=bool)
    person, course = rows.person[first], rows.course[first]
    people, place = np.unique(person, return_inverse=True)
    arrays = {"people": people, "place": place.astype(np.int32), "course": course}
    cache_arrays(WHAT, change, arrays, soon=soon)


def _codes_of(base: _Base, moment: Moment, tables: Tables | MovedTables) -> Codes:
    found = base.codes(moment)
    if found is not None:
        return found
    with _working:
        found = base.codes(moment)
        if found is None:
            found = base.days[moment] = _worked_out(base, moment, tables)
    return found


def _worked_out(base: _Base, moment: Moment, tables: Tables | MovedTables) -> Codes:
    columns = _statuses(tables, moment)
    pairs = keys_of(base.people[base.place], base.course)
    at = np.minimum(np.searchsorted(pairs, columns.keys), max(len(pairs) - 1, 0))
    # A pair that is not among them is of somebody who moved since: theirs are worked out apart.
    there = pairs[at] == columns.keys
    codes = np.zeros(len(pairs), dtype=np.uint8)
    codes[at[there]] = _codes(columns)[there]
    path = base.kept.folder / f"{moment.name}.npy"
    try:
        part = path.with_suffix(".part")
        with part.open("wb") as file:
            np.save(file, codes)
        part.replace(path)
        _drop_oldest(base.kept.folder)
    except OSError as error:
        logger.warning("%s could not be kept (%s): the day is worked out again next time.", path, error)
    return codes


def _drop_oldest(folder: Path) -> None:
    """Today becomes yesterday: of many days those that were worked out first go."""
    days = sorted(folder.glob("????-??-??*.npy"), key=lambda one: one.stat().st_mtime)
    for path in days[:-MOST_DAYS]:
        path.unlink(missing_ok=True)


def _statuses(tables: Tables | MovedTables, moment: Moment) -> RequirementColumns:
    soon, known_on = organisation().soon_days, moment.known_on or clock.today()
    return statuses_on(
        tables.reasons, tables.links, tables.waivers, day=moment.day, known_on=known_on, soon_days=soon
    ).merged()


def _codes(columns: RequirementColumns) -> Codes:
    found: Codes = (columns.rank.astype(np.uint8) * 2 + columns.mandatory + 1).astype(np.uint8)
    return found


def _merged(people: NDArray[Any], place: NDArray[Any], codes: Codes) -> StandingCounts:
    """The pairs of each person that stand alike as one row, in order of people."""
    counts = np.bincount(place * np.int64(CODES) + codes, minlength=len(people) * CODES).reshape(-1, CODES)
    counts[:, 0] = 0
    row, code = np.nonzero(counts)
    return StandingCounts(people[row].astype(np.int64), (code - 1) // 2, (code - 1) % 2 == 1, counts[row, code])


def _together(pieces: Sequence[StandingCounts]) -> StandingCounts:
    if len(pieces) == 1:
        return pieces[0]
    person, rank, mandatory, times = (np.concatenate(column) for column in zip(*pieces, strict=True))
    order = np.argsort(person, kind="stable")
    return StandingCounts(person[order], rank[order], mandatory[order], times[order])
