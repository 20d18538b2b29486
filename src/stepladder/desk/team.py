"""A manager's people with what is late, soon and done."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder.core.columns import RequirementColumns, is_one_of
from stepladder.core.leads import Power
from stepladder.core.requirements import LATE, Status
from stepladder.desk.day_strips import DayStrip, day_strip
from stepladder.desk.team_news import MonthChange, News, asked_of_team, completed_by, month_change
from stepladder.leads.queries import TeamRow
from stepladder.learning.queries import course_titles
from stepladder.people.models import Person
from stepladder.people.name_order import names
from stepladder.people.queries import places_of
from stepladder.records.list_columns import Filters, ListRow
from stepladder.records.lists import status_rows
from stepladder.timetable.queries import Seat, next_seats
from stepladder.web.tables import LazyRows

__all__ = ["SORTS", "TEAM_HEADS", "Narrowing", "Team", "TeamLine"]

TEAM_HEADS = [
    ("Name", "name"),
    ("Late", "late"),
    ("Soon", "soon"),
    ("A year of it", ""),
    ("Booked", ""),
    ("Done", "done"),
]
SORTS = ("late", "name", "soon", "done")
SOON = frozenset({Status.DUE_SOON, Status.RENEW, Status.IN_GRACE})
DONE_DAYS = 365


@dataclass(frozen=True)
class TeamLine:
    """Somebody who answers to the manager. What the manager may not see stays empty, and *hidden* says so."""

    person: Person
    direct: bool
    where: str
    late: list[ListRow] = field(default_factory=list)
    soon: list[ListRow] = field(default_factory=list)
    done: int = 0
    seat: Seat | None = None
    strip: DayStrip | None = None
    # What came in a week, as (what, course, day).
    news: list[tuple[str, str, date]] = field(default_factory=list)
    hidden: bool = False


@dataclass(frozen=True)
class Narrowing:
    """Which of a team are shown, and in which order: a key of SORTS, with a minus for the other way round."""

    only_direct: bool = False
    only_late: bool = False
    only_new: bool = False
    sort: str = "late"


class Team(LazyRows[TeamLine]):
    """Everybody who answers to a manager; narrowed, only some are shown. Only the lines that are shown are made."""

    def __init__(self, led: Sequence[TeamRow], day: date, shown: Narrowing | None = None) -> None:
        self.may_assign = any(Power.ASSIGN in row.powers for row in led)
        self._day = day
        self._people = np.array([row.person for row in led], dtype=np.int64)
        self._is_direct = np.array([row.direct for row in led], dtype=bool)
        self._is_seen = np.array([Power.SEE_RECORDS in row.powers for row in led], dtype=bool)
        self.asked = asked_of_team(self.seen, day)
        self._late = self._counted(self.asked.stands(LATE))
        self._news = News(self.seen, self.asked, day)
        self._shown = self._ordered(shown or Narrowing())

    @property
    def seen(self) -> frozenset[int]:
        """Those whose records the manager may see."""
        return frozenset(self._people[self._is_seen].tolist())

    @property
    def keys(self) -> frozenset[int]:
        """All who answer to the manager."""
        return frozenset(self._people.tolist())

    @property
    def everybody(self) -> int:
        return len(self._people)

    @property
    def late(self) -> int:
        return int((self._late > 0).sum())

    @property
    def direct(self) -> int:
        return int(self._is_direct.sum())

    def month_change(self) -> MonthChange:
        """What a month changed with those whose records the manager may see."""
        return month_change(self.seen, self.asked, self.late, self._day)

    def __len__(self) -> int:
        return len(self._shown)

    def _counted(self, which: NDArray[np.bool_]) -> NDArray[np.int64]:
        """How many of what is asked each of the team has, in their order."""
        most = int(self._people.max(initial=0)) + 1
        found: NDArray[np.int64] = np.bincount(self.asked.person[which], minlength=most)[self._people]
        return found

    def _ordered(self, shown: Narrowing) -> NDArray[np.int64]:
        name = names().order[self._people]
        by: dict[str, NDArray[Any]] = {"late": -self._late, "name": name}
        key = shown.sort.lstrip("-")
        if key == "soon":
            by["soon"] = -self._counted(self.asked.stands(SOON))
        elif key == "done":
            done = _done(self.seen, self._day)
            by["done"] = -np.array([done.get(person, 0) for person in self._people.tolist()], dtype=np.int64)
        first = by[key] * (-1 if shown.sort.startswith("-") else 1)
        order: NDArray[np.int64] = np.lexsort((name, ~self._is_direct, first))
        if shown.only_direct:
            order = order[self._is_direct[order]]
        if shown.only_late:
            order = order[self._late[order] > 0]
        if shown.only_new:
            order = order[is_one_of(self._people[order], self._news.people.tolist())]
        return order

    def made(self, start: int, stop: int) -> list[TeamLine]:
        which = self._shown[start:stop]
        keys = self._people[which].tolist()
        readable = frozenset(self._people[which[self._is_seen[which]]].tolist())
        people, where = Person.objects.in_bulk(keys), places_of(keys, self._day)
        open_rows, done, seats = _open_rows(readable, self._day), _done(readable, self._day), next_seats(readable)
        titles, news, asked = (
            course_titles(),
            self._news.of(readable),
            self.asked.where(is_one_of(self.asked.person, readable)),
        )
        return [
            TeamLine(
                people[key],
                direct,
                where.get(key, ""),
                [r for r in open_rows.get(key, []) if r.status in LATE],
                [r for r in open_rows.get(key, []) if r.status in SOON],
                done.get(key, 0),
                seats.get(key),
                _strip(asked.where(asked.person == key), titles, self._day) if key in readable else None,
                [(item.what, titles[item.course], item.day) for item in news.get(key, [])],
                hidden=key not in readable,
            )
            for key, direct in zip(keys, self._is_direct[which].tolist(), strict=True)
        ]


def _strip(asked: RequirementColumns, titles: Mapping[int, str], day: date) -> DayStrip:
    """What is asked of somebody over the days."""
    return day_strip(asked, day, [titles[course] for course in asked.course.tolist()])


def _open_rows(people: frozenset[int], day: date) -> dict[int, list[ListRow]]:
    filters = Filters(day=day, known_on=day, statuses=LATE | SOON, scope=people)
    found: dict[int, list[ListRow]] = {}
    for row in status_rows(filters, sort="due"):
        found.setdefault(row.person.pk, []).append(row)
    return found


def _done(people: Collection[int], day: date) -> dict[int, int]:
    """How many courses each completed within a year."""
    done = completed_by(people, day - timedelta(days=DONE_DAYS), day)
    whose, counts = np.unique(done.person, return_counts=True)
    return dict(zip(whose.tolist(), counts.tolist(), strict=True))
