"""How many stand how by unit and course, and what rates that makes. Rule: 5."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from stepladder.core.columns import RANK, Days, RequirementColumns
from stepladder.core.requirements import WORST_FIRST, Status

__all__ = ["Cell", "Membership", "board_counts", "people_counts", "percent"]


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
    keys = np.where(keep & (unit >= 0), unit.astype(np.int64) * width + column, size)
    counts = np.zeros((len(members.parent) + 1, width), dtype=np.int64)
    counts[:-1] = np.bincount(keys, minlength=size + 1)[:size].reshape(-1, width)
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
