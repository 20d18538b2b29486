"""Which days a notice rule speaks of, on which day it is sent, and whether it still holds then. Rule: 13."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from stepladder.core.columns import NO_DAY, Days, ReasonColumns, RequirementColumns
from stepladder.core.requirements import Status

__all__ = [
    "WORKING_WEEK",
    "Moment",
    "QuietDays",
    "all_done",
    "could_hold",
    "days_meant",
    "holds",
    "sent_on",
    "spoken_of",
    "to_come",
]

ONE_DAY = timedelta(days=1)
WEEKEND = frozenset({5, 6})


class Moment(StrEnum):
    """The day that a rule counts from."""

    DUE = "due"
    EXPIRY = "expiry"


@dataclass(frozen=True)
class QuietDays:
    """The weekdays (0: Monday) and dates on which nothing is sent. At least one weekday is none of them."""

    weekdays: frozenset[int] = WEEKEND
    dates: frozenset[date] = frozenset()

    def __post_init__(self) -> None:
        if len(self.weekdays & set(range(7))) == 7:
            raise ValueError("Every weekday is quiet: nothing would ever be sent.")

    def __contains__(self, day: date) -> bool:
        return day.weekday() in self.weekdays or day in self.dates

    def before(self, day: date) -> date:
        """The last working day up to a day."""
        while day in self:
            day -= ONE_DAY
        return day

    def after(self, day: date) -> date:
        """The first working day from a day on."""
        while day in self:
            day += ONE_DAY
        return day


WORKING_WEEK = QuietDays()


def sent_on(meant: date, offset: int, *, opened: date, quiet: QuietDays) -> date | None:
    """The day on which what is meant for a day is sent: an *offset* up to 0 on the last working day before, others on the next one.
    None where that is not after the opening day."""
    day = quiet.before(meant) if offset <= 0 else quiet.after(meant)
    return day if day > opened else None


def days_meant(sent: date, offset: int, quiet: QuietDays) -> list[date]:
    """The days meant whose notices are sent on a day: itself, and the quiet days that it stands for; of a quiet day none."""
    if sent in quiet:
        return []
    step = ONE_DAY if offset <= 0 else -ONE_DAY
    found, day = [sent], sent + step
    while day in quiet:
        found.append(day)
        day += step
    return sorted(found)


# Up to its due day what is to be done; after it what is overdue. Up to its last day what is held; after it what is held no more.
_HOLDS = {
    (Moment.DUE, False): frozenset({Status.TO_DO, Status.DUE_SOON}),
    (Moment.DUE, True): frozenset({Status.OVERDUE}),
    (Moment.EXPIRY, False): frozenset({Status.CURRENT, Status.RENEW}),
    (Moment.EXPIRY, True): frozenset({Status.IN_GRACE, Status.LAPSED}),
}
# What stands so today may come to be overdue, or out of validity, by then.
_COULD_HOLD = {
    (Moment.DUE, True): frozenset({Status.TO_DO, Status.DUE_SOON, Status.OVERDUE}),
    (Moment.EXPIRY, True): frozenset({Status.CURRENT, Status.RENEW, Status.IN_GRACE, Status.LAPSED}),
}


def holds(moment: Moment, offset: int) -> frozenset[Status]:
    """How a requirement must stand on the day of sending."""
    return _HOLDS[moment, offset > 0]


def could_hold(moment: Moment, offset: int) -> frozenset[Status]:
    """How a requirement stands today of which the rule may speak on a day to come, if nothing is done until then."""
    return _COULD_HOLD.get((moment, offset > 0), holds(moment, offset))


# What stands otherwise is still to be done, or done again.
_DONE = frozenset({Status.CURRENT, Status.RENEW, Status.WAIVED})


def all_done(rows: RequirementColumns, reasons: ReasonColumns) -> list[int]:
    """The assignments of these open reasons of which nothing is to be done any more, as the rows of the same day stand."""
    to_do = np.isin(reasons.keys, rows.keys[~rows.stands(_DONE)])
    # 0 is a wish: of one person alone.
    asked, open_ones = np.unique(reasons.assignment), np.unique(reasons.assignment[to_do])
    found: list[int] = asked[~np.isin(asked, open_ones) & (asked > 0)].tolist()
    return found


def spoken_of(
    rows: RequirementColumns, moment: Moment, offset: int, meant: Sequence[date], *, day: date
) -> tuple[NDArray[np.int64], Days]:
    """The places of the rows of which a rule speaks on *day*, for these days meant; and which day is meant by each. Not what was
    opened on that day or later."""
    anchor = _anchor(rows, moment)
    wanted = np.array([one.toordinal() - offset for one in meant], dtype=np.int64)
    keep = np.isin(anchor, wanted) & rows.stands(holds(moment, offset)) & (rows.opened < day.toordinal())
    places = np.flatnonzero(keep & (anchor > 0) & (anchor < NO_DAY))
    return places, anchor[places] + offset


def to_come(
    rows: RequirementColumns, moment: Moment, offset: int, *, days: Sequence[date], quiet: QuietDays
) -> list[NDArray[np.int64]]:
    """For each of these days the places of the rows of which a rule would speak on it, if nothing is done until then."""
    anchor = _anchor(rows, moment)
    keep = np.flatnonzero(rows.stands(could_hold(moment, offset)) & (anchor > 0) & (anchor < NO_DAY))
    # Sorted once by the day meant: each day then takes its slice.
    order = keep[np.argsort(anchor[keep], kind="stable")]
    sorted_days = anchor[order]
    found = []
    for day in days:
        ends = [one.toordinal() - offset for one in days_meant(day, offset, quiet)]
        if not ends:
            found.append(np.zeros(0, dtype=np.int64))
            continue
        first, last = np.searchsorted(sorted_days, ends[0], "left"), np.searchsorted(sorted_days, ends[-1], "right")
        places = order[first:last]
        found.append(places[rows.opened[places] < day.toordinal()])
    return found


def _anchor(rows: RequirementColumns, moment: Moment) -> Days:
    return rows.due if moment is Moment.DUE else rows.valid_until
