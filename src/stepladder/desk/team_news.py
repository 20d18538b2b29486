"""What is new with a team: in a week of each of its people, in a month of all of them."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass
from datetime import date, timedelta

from stepladder.core.columns import RequirementColumns, is_one_of
from stepladder.core.days import Period, add
from stepladder.desk.day_strips import late_of, needed_days
from stepladder.learning.models import Completion
from stepladder.records.attending import requirement_columns
from stepladder.records.queries import late_count

__all__ = ["MonthChange", "NewItem", "asked_of_team", "completed_by", "month_change", "news_of"]

NEW_DAYS = 7
MOST_NAMED = 500
MONTH_AGO = Period(months=-1)


def asked_of_team(people: Collection[int], day: date) -> RequirementColumns:
    """What is mandatory for these people on a day."""
    columns = requirement_columns(day=day, known_on=day)
    return columns.where(columns.mandatory & is_one_of(columns.person, people))


@dataclass(frozen=True)
class NewItem:
    """Something new with somebody: "done", "late" or "asked", in which course (its key), on which day."""

    what: str
    course: int
    day: date


def news_of(people: Collection[int], asked: RequirementColumns, day: date) -> dict[int, list[NewItem]]:
    """Person → what was completed, asked or came to be late in the seven days up to *day*, the newest last."""
    since = day - timedelta(days=NEW_DAYS)
    found = [(on, person, course, "done") for person, course, on in completed_by(people, since, day)]
    needed, late = needed_days(asked), late_of(asked)
    is_new_late = late & (needed >= since.toordinal()) & (needed < day.toordinal())
    is_new_asked = (asked.opened > since.toordinal()) & (asked.opened <= day.toordinal()) & ~late
    for which, days, what in ((is_new_late, needed, "late"), (is_new_asked, asked.opened, "asked")):
        rows = asked.picked(which)
        for on, person, course in zip(days[which].tolist(), rows.person.tolist(), rows.course.tolist(), strict=True):
            found.append((date.fromordinal(on), person, course, what))
    items: dict[int, list[NewItem]] = {}
    for on, person, course, what in sorted(found):
        items.setdefault(person, []).append(NewItem(what, course, on))
    return items


@dataclass(frozen=True)
class MonthChange:
    """A team a month ago and now."""

    then: date
    late_then: int
    late_now: int
    completed: int
    asked: int


def month_change(people: frozenset[int], asked: RequirementColumns, day: date) -> MonthChange:
    """How those who are in a team today stood a month ago, by what was known then, and what came since."""
    then = add(day, MONTH_AGO)
    is_new = (asked.opened > then.toordinal()) & (asked.opened <= day.toordinal())
    return MonthChange(
        then,
        late_count(then, people),
        late_count(day, people),
        len(completed_by(people, then, day)),
        int(is_new.sum()),
    )


def completed_by(people: Collection[int], after: date, until: date) -> Sequence[tuple[int, int, date]]:
    """Person, course and day of what these people completed in the days after *after*, up to *until*."""
    rows, wanted = Completion.objects.known_now().filter(day__gt=after, day__lte=until), set(people)
    # A team may be larger than a query takes names: then all of the days is read.
    if len(wanted) <= MOST_NAMED:
        rows = rows.filter(person__in=wanted)
    return [row for row in rows.order_by("day", "pk").values_list("person_id", "course_id", "day") if row[0] in wanted]
