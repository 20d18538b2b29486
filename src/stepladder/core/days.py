"""Days, periods and relative days. Rule: 1."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from typing import Literal
from zoneinfo import ZoneInfo

from dateutil.relativedelta import relativedelta

__all__ = [
    "FOREVER",
    "AmbiguousDay",
    "Calendar",
    "DayError",
    "DayOrder",
    "Period",
    "Span",
    "add",
    "covered_days",
    "day_of",
    "join_spans",
    "plausible",
    "read_day",
    "resolve_day",
    "wall_instant",
    "within",
]

# Stands for "no last day" wherever days are compared; never shown to anybody.
FOREVER = date.max
# The days that people can mean; further away is a slip of the pen.
EARLIEST, LATEST = date(1900, 1, 1), date(2999, 12, 31)

# Which figure stands first where a day is written in figures alone, "04/12/2027"; "" where that is not known.
DayOrder = Literal["", "day", "month"]

_PERIOD = re.compile(r"^\s*([0-9]{1,6})\s+(day|week|month|year)s?\s*$")
_RELATIVE = re.compile(r"^today(?:\s*([+-])\s*([0-9]{1,18})d)?$")
_NAMED = re.compile(r"^(start|end) of (last|this|next) (week|month|quarter|year)$")
_DISTANT = re.compile(r"^(?:in ([0-9]{1,18}) days?|([0-9]{1,18}) days? ago)$")
_NEAR = {"yesterday": -1, "today": 0, "tomorrow": 1}
_MONTHS = (
    "january",
    "february",
    "march",
    "april",
    "may",
    "june",
    "july",
    "august",
    "september",
    "october",
    "november",
    "december",
)
_WEEKDAYS = ("monday", "tuesday", "wednesday", "thursday", "friday", "saturday", "sunday")
# "Fri 14 Mar 2027" begins with its weekday; spreadsheets write a day with its midnight.
_WEEKDAY = re.compile(r"^([a-z]{3,9})[.,]?\s+(?=[0-9])")
_MIDNIGHT = re.compile(r"[ T]00:00(:00)?(\.0+)?$", re.IGNORECASE)
_FIGURES = re.compile(r"^([0-9]{1,4})([./\-\s])([0-9]{1,2})\2([0-9]{1,4})$")
_DAY_WORDED = re.compile(r"^([0-9]{1,2})(?:st|nd|rd|th)?[ .\-]*([a-z]{3,9})\.?[ \-]*([0-9]{2}|[0-9]{4})?$")
_MONTH_WORDED = re.compile(r"^([a-z]{3,9})\.?[ \-]*([0-9]{1,2})(?:st|nd|rd|th)?(?:[ \-]+([0-9]{2}|[0-9]{4}))?$")


class DayError(ValueError):
    """A day, period or wall time that cannot be understood or does not exist."""


class AmbiguousDay(DayError):
    """A day in figures that is two days, by which figure is the month; *readings* are both, the one that begins with the day first."""

    def __init__(self, text: str, readings: tuple[date, date]) -> None:
        first, second = (_plain(day) for day in readings)
        super().__init__(f"“{text}” is {first} or {second}. Write the one that is meant.")
        self.readings = readings


@dataclass(frozen=True, order=True)
class Period:
    """A length of calendar time: whole months and days, e.g. ``Period.parse("24 months")``."""

    months: int = 0
    days: int = 0

    @classmethod
    def parse(cls, text: str) -> Period:
        """Read "N days|weeks|months|years". Raises DayError for anything else."""
        match = _PERIOD.match(text)
        if not match:
            raise DayError(f"“{text}” is not a period. Write it like “24 months” or “30 days”.")
        count, unit = int(match[1]), match[2]
        if unit in ("day", "week"):
            return cls(days=count * (7 if unit == "week" else 1))
        return cls(months=count * (12 if unit == "year" else 1))

    def __add__(self, other: Period) -> Period:
        return Period(self.months + other.months, self.days + other.days)

    def __bool__(self) -> bool:
        return bool(self.months or self.days)

    def __str__(self) -> str:
        parts = []
        if self.months:
            parts.append(f"{self.months} month{'s' if self.months != 1 else ''}")
        if self.days or not parts:
            parts.append(f"{self.days} day{'s' if self.days != 1 else ''}")
        return " ".join(parts)


def add(anchor: date, period: Period | str) -> date:
    """The day *period* after *anchor*, clamped to the month's end. Always count from the anchor. Rule: 1."""
    span = Period.parse(period) if isinstance(period, str) else period
    return anchor + relativedelta(months=span.months, days=span.days)


def within(day: date, days: int, of: date) -> bool:
    """Whether *day* lies within *days* days of *of*, both ends included."""
    return abs((day - of).days) <= days


@dataclass(frozen=True)
class Calendar:
    """How the organisation counts and writes days: its first weekday (Monday is 0), the first month of its year, and the
    order of figures."""

    first_weekday: int = 0
    first_month: int = 1
    order: DayOrder = ""

    def start_of(self, unit: str, day: date) -> date:
        """The first day of the week, month, quarter or year that holds *day*."""
        if unit == "week":
            return day - timedelta(days=(day.weekday() - self.first_weekday) % 7)
        if unit == "month":
            return day.replace(day=1)
        months_in = (day.month - self.first_month) % 12
        if unit == "quarter":
            return (day - relativedelta(months=months_in % 3)).replace(day=1)
        if unit == "year":
            return (day - relativedelta(months=months_in)).replace(day=1)
        raise DayError(f"“{unit}” is not a week, month, quarter or year.")

    def end_of(self, unit: str, day: date) -> date:
        """The last day of the week, month, quarter or year that holds *day*."""
        return self._shift(unit, self.start_of(unit, day), 1) - timedelta(days=1)

    def _shift(self, unit: str, start: date, count: int) -> date:
        steps = {"week": Period(days=7), "month": Period(1), "quarter": Period(3), "year": Period(12)}
        step = steps[unit]
        return start + relativedelta(months=step.months * count, days=step.days * count)


def plausible(day: date) -> date:
    """The day, if people can mean it: a slip of the pen such as 0206-04-01 is refused. Raises DayError."""
    if not EARLIEST <= day <= LATEST:
        raise DayError(f"Choose a day between {EARLIEST.year} and {LATEST.year}.")
    return day


@lru_cache(maxsize=10_000)
def read_day(text: str, *, order: DayOrder = "", today: date | None = None) -> date:
    """A day as it is written: 2027-04-01, 01.04.2027, 1/4/27, 1 Apr 2027, Thu 1 Apr 2027, April 1, 2027.

    *order* tells 01/04 from 04/01; dots write the day first unless it says otherwise. Without a year it is one of
    *today*'s, if that is given. Raises AmbiguousDay where the figures could be two days, DayError for what is none.
    """
    day = _read(text, order, today)
    if day is None:
        raise DayError(f"“{text}” is no day of the calendar. Write it like 1 Apr 2027.")
    return day


def _read(text: str, order: DayOrder, today: date | None) -> date | None:
    """The day that is written, or None. Raises DayError where it could be understood, and still means none."""
    plain = _MIDNIGHT.sub("", " ".join(text.replace(",", " ").split())).lower()
    weekday = _WEEKDAY.match(plain)
    named = next((n for n, name in enumerate(_WEEKDAYS) if weekday and name.startswith(weekday[1])), None)
    if weekday and named is not None:
        plain = plain[weekday.end() :]
    try:
        day = _worded(plain, today) or _figures(plain, text.strip(), order)
    except DayError:
        raise
    except ValueError:
        return None
    if day and named not in (None, day.weekday()):
        raise DayError(f"{_plain(day)} is a {_WEEKDAYS[day.weekday()].title()}. Check which of the two is meant.")
    return plausible(day) if day else None


def _worded(text: str, today: date | None) -> date | None:
    """A day whose month is a word, or None."""
    if match := _DAY_WORDED.match(text):
        day, month, year = match.groups()
    elif match := _MONTH_WORDED.match(text):
        month, day, year = match.groups()
    else:
        return None
    found = [n for n, name in enumerate(_MONTHS, 1) if name.startswith("sep" if month == "sept" else month)]
    if not found or (year is None and today is None):
        return None
    return date(_year(year) if year else today.year if today else 0, found[0], int(day))


def _figures(text: str, written: str, order: DayOrder) -> date | None:
    """A day in figures alone, or None."""
    match = _FIGURES.match(text)
    if not match:
        return None
    first, sign, second, third = match.groups()
    if len(first) > 2:
        return date(int(first), int(second), int(third)) if len(first) == 4 else None
    if len(third) not in (2, 4):
        return None
    year = _year(third)
    if not order and sign in "/-" and first != second and int(first) <= 12 and int(second) <= 12:
        raise AmbiguousDay(written, (date(year, int(second), int(first)), date(year, int(first), int(second))))
    # Where one of the two can be no month, there is no doubt.
    month_first = int(second) > 12 or (order == "month" and int(first) <= 12)
    day, month = (second, first) if month_first else (first, second)
    return date(year, int(month), int(day))


def _year(text: str) -> int:
    """Two digits are of this century up to 69."""
    return int(text) + (2000 if int(text) < 70 else 1900) if len(text) == 2 else int(text)


def _plain(day: date) -> str:
    return f"{day.day} {day:%b %Y}"


def resolve_day(expression: str, *, today: date, calendar: Calendar) -> date:
    """The day that a relative day such as "end of last quarter", "today-30d" or "in 9 days" means on *today*, or a written one.

    A saved filter keeps the expression, so that it means the right day each time. Raises DayError. Rule: 1.
    """
    text = " ".join(expression.strip().lower().split())
    if match := _RELATIVE.match(text):
        return _apart(today, int(match[2] or 0) * (-1 if match[1] == "-" else 1))
    if match := _DISTANT.match(text):
        return _apart(today, int(match[1] or 0) - int(match[2] or 0))
    if text in _NEAR:
        return _apart(today, _NEAR[text])
    if match := _NAMED.match(text):
        edge, which, unit = match.groups()
        start = calendar.start_of(unit, today)
        edge_day = calendar._shift(unit, start, {"last": -1, "this": 0, "next": 1}[which])
        return edge_day if edge == "start" else calendar.end_of(unit, edge_day)
    day = _read(expression, calendar.order, today)
    if day is None:
        raise DayError(
            f"“{expression}” is not a day. Write a date like 1 Apr 2027, “today”, “today-30d” or “end of last quarter”."
        )
    return day


def _apart(today: date, days: int) -> date:
    most = (LATEST - EARLIEST).days
    return plausible(today + timedelta(days=max(min(days, most), -most)))


def day_of(instant: datetime, zone: ZoneInfo) -> date:
    """The calendar day of an aware instant in the organisation's zone."""
    return instant.astimezone(zone).date()


def wall_instant(day: date, at: time, zone: ZoneInfo) -> datetime:
    """The instant of a wall time. One that the clock change skips is refused; a doubled one means the first."""
    local = datetime.combine(day, at.replace(fold=0), tzinfo=zone)
    instant = local.astimezone(UTC)
    if instant.astimezone(zone).replace(tzinfo=None) != local.replace(tzinfo=None):
        raise DayError(f"{at:%H:%M} does not exist on {day:%-d %b %Y}: the clocks skip it. Choose another time.")
    return instant


@dataclass(frozen=True, order=True)
class Span:
    """Days from *first* to *last*, both included; *last* is FOREVER where it is open."""

    first: date
    last: date = FOREVER

    def __contains__(self, day: date) -> bool:
        return self.first <= day <= self.last

    def cut(self, other: Span) -> Span | None:
        """The days that both have, or None."""
        first, last = max(self.first, other.first), min(self.last, other.last)
        return Span(first, last) if first <= last else None


def join_spans(spans: Iterable[Span]) -> list[Span]:
    """The same days as few spans as possible, in order; spans that touch become one."""
    joined: list[Span] = []
    for span in sorted(spans):
        if joined and (joined[-1].last == FOREVER or span.first <= joined[-1].last + timedelta(days=1)):
            joined[-1] = Span(joined[-1].first, max(joined[-1].last, span.last))
        else:
            joined.append(span)
    return joined


def covered_days(spans: Iterable[Span], between: Span) -> int | None:
    """How many days of *between* the spans cover, each once; None if a span without end reaches into it."""
    total = 0
    for span in join_spans(spans):
        part = span.cut(between)
        if part is None:
            continue
        if span.last == FOREVER:
            return None
        total += (part.last - part.first).days + 1
    return total
