"""What a board or list is asked for: days may be relative, so that a kept address means the right day each time."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import QuerySet
from django.http import QueryDict
from django.utils.http import urlencode

from stepladder import clock
from stepladder.accounts.organisation import calendar
from stepladder.charts.models import Position, Unit
from stepladder.core.days import DayError, resolve_day
from stepladder.core.requirements import LATE, Status
from stepladder.courses.models import Course, Path
from stepladder.people.models import Person
from stepladder.records.list_columns import Filters
from stepladder.web.templatetags.web import day as written
from stepladder.web.templatetags.web import weekday

__all__ = ["UNTIL", "Asked", "Clocks", "read_clocks", "read_filters", "read_optional_day", "read_until"]

# By when something runs out, while nobody says: from the day that is shown.
UNTIL = "today+90d"
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


@dataclass(frozen=True)
class Clocks:
    """The two clocks of a view: the day that it shows, and the day by whose knowledge. Rule: 5, "As of".

    *attending*: a day to come as if everybody who is booked attended. Every head, link, file and print that follows from the view
    says them.
    """

    asked: Asked
    known: Asked
    attending: bool = False

    @property
    def query(self) -> str:
        """For addresses; today, as known today, needs no words."""
        days = {"day": self.asked.expression, "known": self.known.expression}
        said = {name: text for name, text in days.items() if text != "today"}
        return urlencode(said | ({"if": "booked"} if self.attending else {}))

    @property
    def suffix(self) -> str:
        """The same with its question mark, to end an address with."""
        return f"?{self.query}" if self.query else ""

    @property
    def more(self) -> str:
        """The same, to go on after other words of an address."""
        return f"&{self.query}" if self.query else ""

    @property
    def is_today(self) -> bool:
        """Whether it shows today, as known today."""
        return self.asked.day == clock.today() == self.known.day

    @property
    def description(self) -> str:
        """As of Fri 27 Nov 2026, as known on 1 Mar 2026."""
        parts = [f"as of {weekday(self.asked.day)}"]
        if self.known.day != clock.today():
            parts.append(f"as known on {written(self.known.day)}")
        if self.attending:
            parts.append("if everyone booked attends")
        return ", ".join(parts)

    @property
    def errors(self) -> list[str]:
        return [error for error in (self.asked.error, self.known.error) if error]


def read_clocks(data: QueryDict) -> Clocks:
    """The clocks asked for (`?day=…&known=…&if=booked`); a wrong day is said, and today stands in for it."""
    asked, known, today = read_day(data, "day"), read_day(data, "known"), clock.today()
    if known.day > today:
        known = Asked("today", today, "What will be known is not known yet. As known: today, or a day before.")
    return Clocks(asked, known, data.get("if") == "booked" and asked.day > today)


def read_until(data: QueryDict, clocks: Clocks) -> tuple[date | None, str]:
    """The day up to which something runs out, and what is wrong with it: it lies after the day that is shown."""
    text = data.get("until", "").strip() or UNTIL
    try:
        # From the day that is shown: "today+90d" of a past day would be beyond what it shows.
        day = resolve_day(text, today=clocks.asked.day, calendar=calendar())
    except DayError as error:
        return None, str(error)
    if day <= clocks.asked.day:
        return None, "What runs out by a day runs out after the day that is shown. Choose a later one."
    return day, ""


def read_optional_day(data: QueryDict, name: str) -> tuple[date | None, str]:
    """The day of a field that may be empty, and what is wrong with it."""
    if not data.get(name, "").strip():
        return None, ""
    asked = read_day(data, name)
    return (None, asked.error) if asked.error else (asked.day, "")


def read_filters(
    data: QueryDict, *, preset: frozenset[Status] | None, scope: frozenset[int] | None
) -> tuple[Filters, Clocks, list[str]]:
    """The filters of a list, its clocks, and every error. *preset* are the statuses while none are ticked."""
    clocks = read_clocks(data)
    due_from, error_from = read_optional_day(data, "due_from")
    due_to, error_to = read_optional_day(data, "due_to")
    expires_to, error_expires = read_optional_day(data, "expires_to")

    def found(rows: QuerySet[Any], name: str) -> Any:
        """What a public id stands for: no two things have the same."""
        return rows.filter(public_id=data[name]).first() if data.get(name) else None

    ticked = frozenset(Status(s) for s in data.getlist("status") if s in STATUS_WORDS)
    filters = Filters(
        day=clocks.asked.day,
        known_on=clocks.known.day,
        clocks=clocks.suffix,
        text=data.get("q", "").strip(),
        unit=found(Unit.objects.select_related("chart"), "unit"),
        position=found(Position.objects.all(), "unit"),
        person=found(Person.objects.all() if scope is None else Person.objects.filter(pk__in=scope), "unit"),
        course=found(Course.objects.all(), "course"),
        path=found(Path.objects.all(), "course"),
        statuses=ticked or preset or frozenset(),
        with_suggested=data.get("suggested") == "1",
        due_from=due_from,
        due_to=due_to,
        expires_to=expires_to,
        scope=scope,
        attending=clocks.attending,
    )
    errors = [*clocks.errors, *(e for e in (error_from, error_to, error_expires) if e)]
    return filters, clocks, errors


PRESETS: dict[str, frozenset[Status] | None] = {"late": frozenset(LATE), "all": None}
