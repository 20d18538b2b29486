"""A manager's people with what is late, soon and done."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

import numpy as np
from numpy.typing import NDArray

from stepladder.core.leads import Power
from stepladder.core.requirements import LATE, Status
from stepladder.leads.queries import TeamRow
from stepladder.learning.models import Completion
from stepladder.people.models import Person, Placement
from stepladder.people.name_order import names
from stepladder.people.queries import valid_on
from stepladder.records.list_columns import Filters, ListRow
from stepladder.records.lists import status_rows
from stepladder.records.queries import late_counts
from stepladder.timetable.queries import Seat, next_seats
from stepladder.web.tables import LazyRows

__all__ = ["TEAM_HEADS", "Team", "TeamLine"]

TEAM_HEADS = [("Name", ""), ("Where", ""), ("Late", ""), ("Soon", ""), ("Booked", ""), ("Done in a year", "")]
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
    hidden: bool = False


class Team(LazyRows[TeamLine]):
    """Everybody who answers to a manager, the late first; narrowed, only some are shown. Only the lines that are shown are made."""

    def __init__(
        self, led: Sequence[TeamRow], day: date, *, only_direct: bool = False, only_late: bool = False
    ) -> None:
        self.may_assign = any(Power.ASSIGN in row.powers for row in led)
        self._day = day
        self._people = np.array([row.person for row in led], dtype=np.int64)
        self._is_direct = np.array([row.direct for row in led], dtype=bool)
        self._is_seen = np.array([Power.SEE_RECORDS in row.powers for row in led], dtype=bool)
        self._late = np.where(self._is_seen, late_counts(day)[self._people], 0) if len(led) else self._people
        order = (names().order[self._people], ~self._is_direct, -self._late)
        shown: NDArray[np.int64] = np.lexsort(order)
        if only_direct:
            shown = shown[self._is_direct[shown]]
        if only_late:
            shown = shown[self._late[shown] > 0]
        self._shown = shown

    @property
    def everybody(self) -> int:
        return len(self._people)

    @property
    def late(self) -> int:
        return int((self._late > 0).sum())

    @property
    def direct(self) -> int:
        return int(self._is_direct.sum())

    def __len__(self) -> int:
        return len(self._shown)

    def made(self, start: int, stop: int) -> list[TeamLine]:
        which = self._shown[start:stop]
        keys = self._people[which].tolist()
        readable = frozenset(self._people[which[self._is_seen[which]]].tolist())
        people, where = Person.objects.in_bulk(keys), _places(keys, self._day)
        open_rows, done, seats = _open_rows(readable, self._day), _done(readable, self._day), next_seats(readable)
        return [
            TeamLine(
                people[key],
                direct,
                where.get(key, ""),
                [r for r in open_rows.get(key, []) if r.status in LATE],
                [r for r in open_rows.get(key, []) if r.status in SOON],
                done.get(key, 0),
                seats.get(key),
                hidden=key not in readable,
            )
            for key, direct in zip(keys, self._is_direct[which].tolist(), strict=True)
        ]


def _open_rows(people: frozenset[int], day: date) -> dict[int, list[ListRow]]:
    filters = Filters(day=day, known_on=day, statuses=LATE | SOON, scope=people)
    found: dict[int, list[ListRow]] = {}
    for row in status_rows(filters, sort="due"):
        found.setdefault(row.person.pk, []).append(row)
    return found


def _places(people: Collection[int], day: date) -> dict[int, str]:
    """Where each of them is placed."""
    found: dict[int, list[str]] = {}
    rows = Placement.objects.filter(valid_on(day), person__in=people).order_by("from_day")
    for key, unit, position in rows.values_list("person_id", "unit__name", "position__name"):
        found.setdefault(key, []).append(f"{unit}, {position}" if position else unit)
    return {key: "; ".join(names) for key, names in found.items()}


def _done(people: Collection[int], day: date) -> dict[int, int]:
    """How many courses each completed within a year."""
    rows = Completion.objects.known_now().filter(
        person__in=people, day__gt=day - timedelta(days=DONE_DAYS), day__lte=day
    )
    found: dict[int, int] = {}
    for key in rows.order_by("pk").values_list("person_id", flat=True):
        found[key] = found.get(key, 0) + 1
    return found
