"""What a board or list is asked for: days may be relative, so that a kept address means the right day each time."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from django.http import QueryDict

from stepladder import clock
from stepladder.accounts.organisation import calendar
from stepladder.charts.models import Unit
from stepladder.core.days import DayError, resolve_day
from stepladder.core.requirements import LATE, Status
from stepladder.courses.models import Course
from stepladder.records.list_columns import Filters

__all__ = ["Asked", "is_forecast", "read_day", "read_filters"]

STATUS_WORDS = frozenset(str(status) for status in Status)
DAY_WORDS = [
    "today",
    "today+30d",
    "today+90d",
    "end of this month",
    "end of this quarter",
    "end of last quarter",
    "end of this year",
]


@dataclass(frozen=True)
class Asked:
    """A day as asked for, what it means today, and what is wrong with it."""

    expression: str
    day: date
    error: str = ""


def read_day(data: QueryDict, name: str, default: str = "today") -> Asked:
    """The day of a field; a wrong one is said, and the default stands in for it."""
    text = data.get(name, "").strip() or default
    today = clock.today()
    try:
        return Asked(text, resolve_day(text, today=today, calendar=calendar()))
    except DayError as error:
        return Asked(text, resolve_day(default, today=today, calendar=calendar()), str(error))


def is_forecast(data: QueryDict, asked: Asked) -> bool:
    """Whether a day to come is asked for as if everybody who is booked attended (`?if=booked`)."""
    return data.get("if") == "booked" and asked.day > clock.today()


def read_optional_day(data: QueryDict, name: str) -> tuple[date | None, str]:
    """The day of a field that may be empty, and what is wrong with it."""
    if not data.get(name, "").strip():
        return None, ""
    asked = read_day(data, name)
    return (None, asked.error) if asked.error else (asked.day, "")


def read_filters(
    data: QueryDict, *, preset: frozenset[Status] | None, scope: frozenset[int] | None
) -> tuple[Filters, Asked, list[str]]:
    """The filters of a list, the day asked for, and every error. *preset* are the statuses while none are ticked."""
    asked, known = read_day(data, "day"), read_day(data, "known")
    due_from, error_from = read_optional_day(data, "due_from")
    due_to, error_to = read_optional_day(data, "due_to")
    expires_to, error_expires = read_optional_day(data, "expires_to")
    ticked = frozenset(Status(s) for s in data.getlist("status") if s in STATUS_WORDS)
    filters = Filters(
        day=asked.day,
        known_on=known.day,
        asked=asked.expression,
        text=data.get("q", "").strip(),
        unit=Unit.objects.select_related("chart").filter(public_id=data.get("unit", "")).first(),
        course=Course.objects.filter(public_id=data.get("course", "")).first(),
        statuses=ticked or preset or frozenset(),
        with_suggested=data.get("suggested") == "1",
        due_from=due_from,
        due_to=due_to,
        expires_to=expires_to,
        scope=scope,
        attending=is_forecast(data, asked),
    )
    errors = [e for e in (asked.error, known.error, error_from, error_to, error_expires) if e]
    return filters, asked, errors


PRESETS: dict[str, frozenset[Status] | None] = {"late": frozenset(LATE), "all": None}
