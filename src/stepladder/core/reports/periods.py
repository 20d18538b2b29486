"""The periods of a report, and the day on which each takes how things stand. Rules: 16, 20."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder.core.days import Calendar
from stepladder.core.reports.groups import NO_GROUP

__all__ = ["PERIODS", "ReportPeriod", "TooManyPeriods", "period_codes", "periods_of"]

PERIODS = ("week", "month", "quarter", "year")
# More than these nobody reads off a drawing, and each is a look at everybody.
MOST = 400


class TooManyPeriods(ValueError):
    """A span with more periods than a report shows."""

    def __init__(self, unit: str) -> None:
        super().__init__(f"More than {MOST} {unit}s. Choose longer periods, or a later first day.")


@dataclass(frozen=True)
class ReportPeriod:
    """From a *first* to a *last* day; a rate is taken on *day*: the last, or today in the one that runs."""

    first: date
    last: date
    day: date


def periods_of(unit: str, first: date, last: date, *, today: date, calendar: Calendar) -> list[ReportPeriod]:
    """The weeks, months, quarters or years that a span touches. The first begins and the last ends with it. Raises TooManyPeriods."""
    found: list[ReportPeriod] = []
    start = first
    while start <= last:
        if len(found) == MOST:
            raise TooManyPeriods(unit)
        end = min(calendar.end_of(unit, start), last)
        found.append(ReportPeriod(start, end, today if start <= today <= end else end))
        start = end + timedelta(days=1)
    return found


def period_codes(days: NDArray[Any], periods: list[ReportPeriod]) -> NDArray[np.int64]:
    """For each day the place of the period that it is in, or NO_GROUP."""
    starts = np.array([period.first.toordinal() for period in periods], dtype=np.int64)
    place = np.searchsorted(starts, days, side="right") - 1
    last = periods[-1].last.toordinal() if periods else -1
    return np.where((place >= 0) & (days <= last), place, NO_GROUP).astype(np.int64)
