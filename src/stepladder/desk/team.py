"""A manager's people with what is late, soon and done."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

from stepladder.core.leads import Power
from stepladder.core.requirements import LATE, Status
from stepladder.leads.queries import TeamRow
from stepladder.learning.models import Completion
from stepladder.people.models import Person, Placement
from stepladder.people.queries import valid_on
from stepladder.records.list_columns import Filters, ListRow
from stepladder.records.lists import status_rows
from stepladder.timetable.queries import Seat, next_seats

__all__ = ["TEAM_HEADS", "Team", "TeamLine", "team_of"]

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


@dataclass(frozen=True)
class Team:
    """Everybody who answers to a manager, the late first."""

    rows: list[TeamLine]
    may_assign: bool

    @property
    def late(self) -> int:
        return sum(bool(row.late) for row in self.rows)

    @property
    def direct(self) -> int:
        return sum(row.direct for row in self.rows)


def team_of(led: Sequence[TeamRow], day: date) -> Team:
    """What is late, soon and done of those who answer to somebody, in a number of queries that does not grow with them."""
    keys = frozenset(row.person for row in led)
    people = Person.objects.in_bulk(keys)
    where = _places(keys, day)
    open_rows = _open_rows(frozenset(row.person for row in led if _sees(row)), day)
    done, seats = _done(keys, day), next_seats(keys)
    rows = [
        TeamLine(people[row.person], row.direct, where.get(row.person, ""), hidden=True)
        if not _sees(row)
        else TeamLine(
            people[row.person],
            row.direct,
            where.get(row.person, ""),
            [r for r in open_rows.get(row.person, []) if r.status in LATE],
            [r for r in open_rows.get(row.person, []) if r.status in SOON],
            done.get(row.person, 0),
            seats.get(row.person),
        )
        for row in led
    ]
    rows.sort(key=lambda row: (not row.late, -len(row.late), not row.direct, row.person.family_name, row.person.pk))
    return Team(rows, any(Power.ASSIGN in row.powers for row in led))


def _sees(row: TeamRow) -> bool:
    return Power.SEE_RECORDS in row.powers


def _open_rows(people: frozenset[int], day: date) -> dict[int, list[ListRow]]:
    filters = Filters(day=day, known_on=day, statuses=LATE | SOON, scope=people)
    found: dict[int, list[ListRow]] = {}
    for row in status_rows(filters, sort="due"):
        found.setdefault(row.person.pk, []).append(row)
    return found


def _places(people: frozenset[int], day: date) -> dict[int, str]:
    """Where each of them is placed."""
    found: dict[int, list[str]] = {}
    rows = Placement.objects.filter(valid_on(day), person__in=people).order_by("from_day")
    for key, unit, position in rows.values_list("person_id", "unit__name", "position__name"):
        found.setdefault(key, []).append(f"{unit}, {position}" if position else unit)
    return {key: "; ".join(names) for key, names in found.items()}


def _done(people: Sequence[int] | frozenset[int], day: date) -> dict[int, int]:
    """How many courses each completed within a year."""
    rows = Completion.objects.known_now().filter(
        person__in=people, day__gt=day - timedelta(days=DONE_DAYS), day__lte=day
    )
    found: dict[int, int] = {}
    for key in rows.order_by("pk").values_list("person_id", flat=True):
        found[key] = found.get(key, 0) + 1
    return found
