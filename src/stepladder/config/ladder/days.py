"""The days that an installation or its tests live on."""

from __future__ import annotations

import argparse
from datetime import UTC, date, datetime
from datetime import time as datetime_time

# Days on which something has gone wrong before, or well might. Everything must be green on each.
PINNED_DAYS = [
    date(2026, 12, 31),  # the last of a month and of a year
    date(2027, 1, 15),  # a Friday
    date(2027, 3, 1),  # a Monday, the first of a month
    date(2027, 3, 28),  # the clocks go forward
    date(2027, 6, 6),  # a Sunday
    date(2027, 10, 31),  # the clocks go back, on the last of a month
    date(2028, 2, 29),
]


def a_day(text: str) -> date:
    try:
        return date.fromisoformat(text)
    except ValueError:
        raise argparse.ArgumentTypeError(f"“{text}” is no day; write it as 2028-02-29") from None


def days(text: str) -> list[date]:
    return PINNED_DAYS if text == "all" else [a_day(text)]


def on_day(day: date | None) -> dict[str, str]:
    """What a process is started with to live on that day, from nine in the morning (UTC) on; None: as the machine does."""
    if day is None:
        return {}
    shift = datetime.combine(day, datetime_time(9), UTC) - datetime.now(UTC)
    return {"STEPLADDER_CLOCK_SHIFT": str(shift.total_seconds())}
