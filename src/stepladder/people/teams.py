"""What stands on a manager's page of their people: who of them is away."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, timedelta

from django.db.models import Q
from django.http import HttpRequest

from stepladder.people.models import Leave
from stepladder.web.margin import Panel

__all__ = ["TeamOfPeople", "away_section"]

# Who is away within so many days is told: a month can be planned.
AHEAD = timedelta(days=30)
SHOWN = 12


@dataclass(frozen=True)
class TeamOfPeople:
    """Whom a section of a manager's page is about: all who answer to them, and those of them whose records they see."""

    everybody: frozenset[int]
    seen: frozenset[int]


def away_section(request: HttpRequest, team: TeamOfPeople, day: date) -> Panel | None:
    """Who is on leave on a day or within a month of it, who is back first first."""
    last = day + AHEAD
    rows = Leave.objects.known_now().filter(Q(to_day__isnull=True) | Q(to_day__gte=day), from_day__lte=last)
    # Whose it is is asked here: a large team in a condition takes longer than all leave of a month.
    theirs = [leave for leave in rows.select_related("person") if leave.person_id in team.everybody]
    found = sorted(theirs, key=lambda row: (row.from_day > day, row.to_day or date.max, row.person.family_name))
    if not found:
        return None
    return Panel(
        "Who is away", "people/away.html", {"rows": found[:SHOWN], "more": max(len(found) - SHOWN, 0), "day": day}
    )
