"""How long everybody learned, at once: the same rules as `time_spent`, over columns. Rule: 16."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

__all__ = ["StretchColumns", "days_of_instants", "seconds_by_day"]

_EPOCH_DAY = date(1970, 1, 1)
_DAY = 86_400_000_000
Micros = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class StretchColumns:
    """Stretches of time of many people: from *start* to *end* in microseconds since 1970, what each belongs to is its *key*.

    Of two at once that which was begun first counts, of two begun together the one with the smaller *key*.
    """

    person: NDArray[np.int64]
    key: NDArray[np.int64]
    start: Micros
    end: Micros

    def __len__(self) -> int:
        return len(self.key)

    def picked(self, which: NDArray[Any]) -> StretchColumns:
        return StretchColumns(self.person[which], self.key[which], self.start[which], self.end[which])

    def without_overlaps(self) -> StretchColumns:
        """No moment of anybody's twice; what is left, by person and time."""
        if not len(self):
            return self
        rows = self.picked(np.lexsort((self.key, self.start, self.person)))
        # Each person's times are moved beyond everybody's before: then one running maximum serves all of them.
        low, high = int(rows.start.min()), int(max(rows.start.max(), rows.end.max()))
        number = np.cumsum(np.r_[0, rows.person[1:] != rows.person[:-1]])
        moved = number * (high - low + 1) - low
        reached = np.maximum.accumulate(rows.end + moved)
        start = np.maximum(rows.start, np.r_[np.iinfo(np.int64).min // 2, (reached[:-1] - moved[1:])])
        keep = rows.end > start
        return StretchColumns(rows.person[keep], rows.key[keep], start[keep], rows.end[keep])


def seconds_by_day(
    stretches: StretchColumns, zone: ZoneInfo
) -> tuple[NDArray[np.int64], NDArray[np.int64], NDArray[np.int64], NDArray[np.float64]]:
    """(person, key, day as an ordinal, seconds): no moment twice, divided at the organisation's midnight; each person, key and day once."""
    rows = stretches.without_overlaps()
    if not len(rows):
        none = np.zeros(0, dtype=np.int64)
        return none, none, none, np.zeros(0)
    first, midnights = _midnights(int(rows.start.min()), int(rows.end.max()), zone)
    begun = np.searchsorted(midnights, rows.start, side="right") - 1
    ended = np.searchsorted(midnights, rows.end, side="left") - 1
    times = ended - begun + 1
    row = np.repeat(np.arange(len(rows)), times)
    day = begun[row] + np.arange(len(row)) - np.repeat(np.cumsum(times) - times, times)
    seconds = (np.minimum(rows.end[row], midnights[day + 1]) - np.maximum(rows.start[row], midnights[day])) / 1e6
    # Several stretches of one person, key and day are one row; a session is the key of all who were there.
    order = np.lexsort((day, rows.key[row], rows.person[row]))
    day, row, seconds = day[order], row[order], seconds[order]
    person, key = rows.person[row], rows.key[row]
    is_first = np.r_[True, (person[1:] != person[:-1]) | (key[1:] != key[:-1]) | (day[1:] != day[:-1])]
    starts = np.flatnonzero(is_first)
    return (
        person[starts],
        key[starts],
        day[starts] + first.toordinal(),
        np.add.reduceat(seconds, starts),
    )


def days_of_instants(micros: Micros, zone: ZoneInfo) -> NDArray[np.int64]:
    """The organisation's days of instants (microseconds since 1970), as ordinals."""
    if not len(micros):
        return np.zeros(0, dtype=np.int64)
    first, midnights = _midnights(int(micros.min()), int(micros.max()), zone)
    found: NDArray[np.int64] = np.searchsorted(midnights, micros, side="right") - 1 + first.toordinal()
    return found


def _midnights(start: int, end: int, zone: ZoneInfo) -> tuple[date, Micros]:
    """A day before *start*, and the organisation's midnights from its own on to beyond *end*."""
    first = _EPOCH_DAY + timedelta(days=start // _DAY - 1)
    days = end // _DAY - start // _DAY + 4
    instants = (datetime.combine(first + timedelta(days=n), time(), zone) for n in range(days))
    return first, np.array([round(instant.timestamp() * 1_000_000) for instant in instants], dtype=np.int64)
