"""What stands on a manager's page of what their people ask for."""

from __future__ import annotations

from datetime import date

from django.http import HttpRequest
from django.urls import reverse

from stepladder.catalogue.queries import to_decide
from stepladder.people.teams import TeamOfPeople
from stepladder.web.margin import Panel

__all__ = ["requests_section"]

SHOWN = 5


def requests_section(request: HttpRequest, team: TeamOfPeople, day: date) -> Panel | None:
    """The requests that wait for the manager's decision, who asked first first."""
    rows = list(to_decide(request.user)[: SHOWN + 1])
    if not rows:
        return None
    context = {"rows": rows[:SHOWN], "more": len(rows) > SHOWN, "address": reverse("catalogue:requests")}
    return Panel("They ask for", "catalogue/team_requests.html", context)
