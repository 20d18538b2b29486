"""What sign-offs show on sheets nearer the ground."""

from __future__ import annotations

from datetime import date

from django.http import HttpRequest

from stepladder.people.models import Person
from stepladder.signing.queries import sign_offs_seen
from stepladder.web.margin import Panel

__all__ = ["signed_section"]

MOST = 30


def signed_section(request: HttpRequest, person: Person, day: date) -> Panel | None:
    """What somebody showed on the job by that day, and who signed it, the newest first."""
    rows = sign_offs_seen(request.user).filter(attempt__enrolment__person=person, day__lte=day).order_by("-day", "-pk")
    found = list(rows[:MOST])
    return Panel("Shown on the job", "signing/signed_section.html", {"rows": found}) if found else None
