"""What a standing assignment did to whom within the last year, and what it would have done had it stood then as it does today."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from copy import copy
from dataclasses import dataclass
from datetime import date, timedelta

from stepladder.assignments.deriving import derive_for
from stepladder.assignments.models import Assignment, AssignmentRule, PathReason, Reason
from stepladder.core.days import FOREVER
from stepladder.people.models import Employment, Placement
from stepladder.reaches.stored import leave_of, load_people, load_world, parse

__all__ = ["Asked", "Month", "OverYear", "causes_of", "over_year", "would_have"]

MONTHS = 12


@dataclass(frozen=True)
class Asked:
    """That somebody is asked from a day on, to *last* (None: still), and when it is due."""

    person: int
    first: date
    last: date | None
    due: date | None


@dataclass(frozen=True)
class Month:
    """How many came in, how many of those asked were due, and how many are asked no more since, in a month."""

    first: date
    came: int
    due: int
    left: int


@dataclass(frozen=True)
class OverYear:
    """Twelve months up to a day, and everybody who was asked within them, the last who came in first."""

    months: list[Month]
    rows: list[Asked]

    @property
    def people(self) -> int:
        return len({row.person for row in self.rows})

    @property
    def came(self) -> int:
        return sum(month.came for month in self.months)

    @property
    def left(self) -> int:
        return sum(month.left for month in self.months)

    @property
    def fullest(self) -> Month | None:
        """The month in which most came in; None where nobody did."""
        most = max(self.months, key=lambda month: month.came)
        return most if most.came else None


def over_year(assignment: Assignment, today: date, *, shown: Collection[int] | None = None) -> OverYear:
    """What it did, as it is known today; of *shown* people only, None: of everybody."""
    kind: type[Reason] | type[PathReason] = PathReason if assignment.path_id is not None else Reason
    rows = kind._default_manager.filter(assignment=assignment, known_to=FOREVER)
    found = [
        Asked(person, first, None if last >= today else last, due)
        for person, first, last, due in rows.values_list("person_id", "first", "last", "due")
        if first <= today and (shown is None or person in shown)
    ]
    return _of(found, today)


def would_have(rule: AssignmentRule, today: date, *, shown: Collection[int] | None = None) -> OverYear:
    """What it would have done had it been made a year ago as it asks today: by where people were on each day, as it is known now."""
    asked = copy(rule)
    asked.start, asked.is_one_off, asked.end = _months(today)[0], False, None
    people = load_people(reaches=[parse(asked.reach)], world=load_world(), known_on=today)
    found = [
        Asked(person, reason.days.first, None if reason.days.last >= today else reason.days.last, reason.due)
        for person, reasons in derive_for(asked, people, leave_of(None, known_on=today)).items()
        if shown is None or person in shown
        for reason in reasons
        if reason.days.first <= today
    ]
    return _of(found, today)


def _months(today: date) -> list[date]:
    """The firsts of the last twelve months, this one the last."""
    count = today.year * 12 + today.month - 1
    return [date((count - back) // 12, (count - back) % 12 + 1, 1) for back in reversed(range(MONTHS))]


def _of(found: Iterable[Asked], today: date) -> OverYear:
    firsts = _months(today)
    rows = [row for row in found if row.last is None or row.last >= firsts[0]]
    rows.sort(key=lambda row: (-row.first.toordinal(), row.person))
    counts: dict[tuple[str, date], int] = {}
    for row in rows:
        # Whom it does not ask any more from the day after on.
        left = row.last + timedelta(days=1) if row.last else None
        for what, day in (("came", row.first), ("due", row.due), ("left", left)):
            if day is not None and firsts[0] <= day <= today:
                key = (what, day.replace(day=1))
                counts[key] = counts.get(key, 0) + 1
    return OverYear(
        [Month(first, *(counts.get((what, first), 0) for what in ("came", "due", "left"))) for first in firsts], rows
    )


def causes_of(rows: Collection[Asked], rule: AssignmentRule) -> dict[Asked, str]:
    """What happened to each on the day from which they are asked: they were hired, came to a place, or it began with them there."""
    people = [row.person for row in rows]
    hired = set(Employment.objects.known_now().filter(person__in=people).values_list("person_id", "hired_on"))
    placed = set(Placement.objects.known_now().filter(person__in=people).values_list("person_id", "from_day"))
    found = {}
    for row in rows:
        day = (row.person, row.first)
        began = "were there when it began" if row.first == rule.start else "came to fit it"
        found[row] = "were hired" if day in hired else "came to a place" if day in placed else began
    return found
