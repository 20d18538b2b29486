"""Who holds a skill."""

from __future__ import annotations

from django.http import HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render

from stepladder import clock
from stepladder.courses.models import Skill
from stepladder.people.permissions import people_seen
from stepladder.records.skills import holders
from stepladder.web.tables import page_of

HEADS = [("Who", ""), ("Level", ""), ("Until", "")]


def skill(request: HttpRequest, skill: str) -> HttpResponse:
    """Who holds which level of a skill, and until when, of those whose records one sees."""
    found = get_object_or_404(Skill, public_id=skill)
    rows = holders(found, day=clock.today(), seen=people_seen(request.user, "open records"))
    return render(request, "records/skill.html", {"skill": found, "page": page_of(request, rows, HEADS)})
