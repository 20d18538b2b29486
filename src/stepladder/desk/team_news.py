"""What is new with a team: in a week of each of its people, in a month of all of them."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from datetime import date, timedelta
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from stepladder.core.columns import Days, RequirementColumns, is_one_of
from stepladder.core.days import Period, add
from stepladder.core.requirements import LATE
from stepladder.learning.completion_arrays import completion_arrays
from stepladder.records.attending import requirement_columns
from stepladder.records.queries import late_count

__all__ = ["MonthChange", "NewItem", "News", "asked_of_team", "completed_by", "month_change"]

NEW_DAYS = 7
MONTH_AGO = Period(months=-1)


def asked_of_team(people: Collection[int], day: date) -> RequirementColumns:
    """What is mandatory for these people on a day."""
    columns = requirement_columns(day=day, known_on=day)
    return columns.where(columns.mandatory & is_one_of(columns.person, people))


class Completed(NamedTuple):
    """What was completed, a row each: whose it is, the course and the day, an ordinal."""

    person: NDArray[np.int64]
    course: NDArray[np.int64]
    day: NDArray[np.int64]


def completed_by(people: Collection[int], after: date, until: date) -> Completed:
    """What these people completed in the days after *after*, up to *until*."""
    known = completion_arrays().known
    which = np.flatnonzero((known["day"] > after.toordinal()) & (known["day"] <= until.toordinal()))
    which = which[is_one_of(known["person"][which], people)]
    return Completed(known["person"][which], known["course"][which], known["day"][which].astype(np.int64))


@dataclass(frozen=True)
class NewItem:
    """Something new with somebody: "done", "late" or "asked", in which course (its key), on which day."""

    what: str
    course: int
    day: date


class News:
    """What was completed, asked or came to be late in the seven days up to a day; told of those only who are asked about."""

    def __init__(self, people: Collection[int], asked: RequirementColumns, day: date) -> None:
        since, today = (day - timedelta(days=NEW_DAYS)).toordinal(), day.toordinal()
        needed, late = asked.needed_by, asked.stands(LATE)
        is_new_late = late & (needed >= since) & (needed < today)
        is_new_asked = (asked.opened > since) & (asked.opened <= today) & ~late
        done = completed_by(people, day - timedelta(days=NEW_DAYS), day)
        # Person, course and day of each, by what it is.
        self._rows: dict[str, tuple[Days, Days, Days]] = {
            "done": done,
            "late": (asked.person[is_new_late], asked.course[is_new_late], needed[is_new_late]),
            "asked": (asked.person[is_new_asked], asked.course[is_new_asked], asked.opened[is_new_asked]),
        }

    @property
    def people(self) -> NDArray[np.int64]:
        """Those with whom something is new."""
        found: NDArray[np.int64] = np.unique(np.concatenate([person for person, _, _ in self._rows.values()]))
        return found

    def of(self, people: Collection[int]) -> dict[int, list[NewItem]]:
        """Person → what is new with them, the newest last."""
        found = []
        for what, rows in self._rows.items():
            theirs = is_one_of(rows[0], people)
            for person, course, on in zip(*(column[theirs].tolist() for column in rows), strict=True):
                found.append((on, person, course, what))
        items: dict[int, list[NewItem]] = {}
        for on, person, course, what in sorted(found):
            items.setdefault(person, []).append(NewItem(what, course, date.fromordinal(on)))
        return items


@dataclass(frozen=True)
class MonthChange:
    """A team a month ago and now."""

    then: date
    late_then: int
    late_now: int
    completed: int
    asked: int


def month_change(people: frozenset[int], asked: RequirementColumns, late: int, day: date) -> MonthChange:
    """How those who are in a team today stood a month ago, by what was known then, and what came since; *late* of them are late
    today."""
    then = add(day, MONTH_AGO)
    is_new = (asked.opened > then.toordinal()) & (asked.opened <= day.toordinal())
    done = completed_by(people, then, day)
    return MonthChange(then, late_count(then, people), late, len(done.person), int(is_new.sum()))
