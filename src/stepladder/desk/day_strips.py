"""Strips of days: on which days what is asked of some people was or will be needed, week by week."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np

from stepladder.core.columns import NO_DAY, RequirementColumns
from stepladder.core.requirements import LATE
from stepladder.web.templatetags.web import day as written

__all__ = ["DayStrip", "StripScale", "day_strip", "scale"]

WEEKS_BACK, WEEKS_ON = 13, 52
WEEK_WIDTH, HEIGHT = 3, 20
# So many days are told in words; the rest is counted.
MOST_SAID = 12


@dataclass(frozen=True)
class DayStrip:
    """Bars of a strip as (x, top, height, is late); what they say in words."""

    bars: list[tuple[int, int, int, bool]]
    words: str


@dataclass(frozen=True)
class StripScale:
    """What all strips of a page share: their size, where today is, and where months begin."""

    width: int
    height: int
    today_x: int
    ticks: list[int]
    first: date
    last: date


def scale(day: date) -> StripScale:
    """From a quarter of a year back to a year on; what was needed longer ago stands at the left end."""
    first, last = day - timedelta(weeks=WEEKS_BACK), day + timedelta(weeks=WEEKS_ON)
    months = [date(first.year + m // 12, m % 12 + 1, 1) for m in range(first.month, first.month + 16)]
    ticks = [(month - first).days * WEEK_WIDTH // 7 for month in months if month <= last]
    return StripScale((WEEKS_BACK + WEEKS_ON) * WEEK_WIDTH, HEIGHT, WEEKS_BACK * WEEK_WIDTH, ticks, first, last)


def day_strip(asked: RequirementColumns, day: date, names: Sequence[str] = ()) -> DayStrip:
    """The strip of some requirements: the more in a week, the higher. *names* say what each is, for who does not see it."""
    needed, late = asked.needed_by, asked.stands(LATE)
    week = np.clip((needed - day.toordinal()) // 7 + WEEKS_BACK, 0, WEEKS_BACK + WEEKS_ON)
    shown = (needed != NO_DAY) & (week < WEEKS_BACK + WEEKS_ON)
    bars = []
    for at in np.unique(week[shown]).tolist():
        of_week = shown & (week == at)
        high = min(HEIGHT - 4, 7 + 3 * int(of_week.sum()))
        bars.append((at * WEEK_WIDTH, HEIGHT - high, high, bool((of_week & late).any())))
    places = np.flatnonzero(shown)
    places = places[np.argsort(needed[places], kind="stable")]
    said = [
        f"{names[n]}, {written(date.fromordinal(on))}" if names else written(date.fromordinal(on))
        for n, on in zip(places[:MOST_SAID].tolist(), needed[places[:MOST_SAID]].tolist(), strict=True)
    ]
    if len(places) > MOST_SAID:
        said.append(f"and {len(places) - MOST_SAID} more")
    return DayStrip(bars, "; ".join(said))
