"""What a plan's page says of it, in sentences."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date

from stepladder.core.planning import becomes_late
from stepladder.people.models import Person
from stepladder.people.queries import places_of
from stepladder.planning.models import Plan, PlanSession

__all__ = ["REASONS", "LeftOutRow", "SessionRow", "bound", "costs", "left_out_rows", "session_rows"]

REASONS = {
    "no day": "no day left before it is needed",
    "no seat": "no seat is free at their site in time",
    "away": "they are away on all days on which one is",
    "their unit": "too many of their unit are away at all those hours",
    "no instructor": "no instructor can teach then",
}
WISHES = {
    "units": "Without the limit on who is away at once",
    "sites": "If people sat at any site",
    "languages": "If the language did not matter",
    "instructors": "With as many instructors as it takes",
}


def _count(count: int, one: str, many: str) -> str:
    return f"{count} {one if count == 1 else many}"


def bound(plan: Plan, sessions: int) -> str:
    """How far from the best it may be. Rule: 19."""
    more_late = plan.late - plan.least_late
    if more_late > 0:
        return f"at most {more_late} fewer could be late in another plan"
    fewer = sessions - plan.least_sessions
    said = "nobody is late" if not plan.late else f"no plan has fewer than {plan.late} late"
    return f"{said}; {'no plan has fewer sessions' if fewer <= 0 else f'at most {fewer} fewer sessions would do'}"


def costs(plan: Plan, sessions: int) -> list[tuple[str, str]]:
    """Each wish that can be let go of, and what would be without it; "" while that is worked out still."""
    return [(WISHES[wish], _without(plan, sessions, late, count)) for wish, late, count in plan.costs]


def _without(plan: Plan, sessions: int, late: int | None, count: int | None) -> str:
    if late is None or count is None:
        return ""
    said = []
    if late < plan.late:
        said.append(f"{plan.late - late} fewer would be late")
    if count < sessions and late <= plan.late:
        said.append(f"{_count(sessions - count, 'session fewer', 'sessions fewer')} would do")
    elif late < plan.late and count > sessions:
        said.append(f"with {_count(count - sessions, 'session more', 'sessions more')}")
    return ", ".join(said) or "nothing would be better"


@dataclass(frozen=True)
class SessionRow:
    """A session of a plan with who is in it, and who would be late without it."""

    row: PlanSession
    people: list[Person]
    late_without: list[Person]


def session_rows(plan: Plan, rows: Iterable[PlanSession]) -> list[SessionRow]:
    """A page of sessions; names are read once for all of them."""
    shown = list(rows)
    people = Person.objects.in_bulk([key for row in shown for key in row.people])
    found = []
    for row in shown:
        here = [people[key] for key in row.people if key in people]
        found.append(SessionRow(row, here, [one for one in here if _becomes_late(plan, one.pk, row.day)]))
    return found


def _becomes_late(plan: Plan, person: int, seated: date) -> bool:
    needed = plan.needed.get(str(person))
    return becomes_late(date.fromisoformat(needed) if needed else None, seated=seated, last=plan.last)


@dataclass(frozen=True)
class LeftOutRow:
    """Somebody who has no seat in time: when they need it, when they sit if they do, and why."""

    person: Person
    where: str
    needed_by: date | None
    sits: date | None
    why: str


def left_out_rows(plan: Plan, pairs: Iterable[tuple[int, str]], day: date) -> list[LeftOutRow]:
    """A page of those who are late."""
    some = list(pairs)
    keys = [key for key, _ in some]
    people, places = Person.objects.in_bulk(keys), places_of(keys, day)
    wanted = set(keys)
    sits = {key: row.day for row in plan.sessions.filter(is_out=False) for key in row.people if key in wanted}
    return [
        LeftOutRow(
            people[key],
            places.get(key, ""),
            date.fromisoformat(plan.needed[str(key)]) if str(key) in plan.needed else None,
            sits.get(key),
            REASONS[why],
        )
        for key, why in some
        if key in people
    ]
