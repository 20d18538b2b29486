"""Kept reports as blocks: on first pages, and on sheets of units, courses and paths, where they are about what the sheet is about.

A block is asked for when its page is there: no page waits for a report, nor asks more of the database for it.
"""

from __future__ import annotations

from dataclasses import replace
from datetime import date
from typing import Any

from django.http import HttpRequest
from django.urls import reverse
from django.utils.http import urlencode

from stepladder.accounts import policy
from stepladder.charts.models import Unit
from stepladder.courses.models import Course, Path
from stepladder.people.teams import TeamOfPeople
from stepladder.reports.models import KeptReport, Place
from stepladder.reports.sentences import OF_PATH, Sentence
from stepladder.web.margin import Panel

__all__ = ["about_sheet", "course_blocks", "desk_blocks", "path_blocks", "team_blocks", "unit_blocks"]

# Ready reports that say how a team did.
OF_TEAMS = (("covered", "Covered, month by month"), ("hours-by-month", "Hours, month by month"))


def about_sheet(sentence: Sentence, place: str, key: str) -> Sentence:
    """The sentence as it is about what a sheet is about; on a first page as it is."""
    if place == Place.UNIT:
        return replace(sentence, of=key)
    if place == Place.COURSE:
        return replace(sentence, about=key)
    if place == Place.PATH:
        return replace(sentence, about=f"{OF_PATH}{key}")
    return sentence


def _panel(request: HttpRequest, place: Place, key: str = "") -> Panel | None:
    account = getattr(request.user, "pk", None)
    if not policy.may(request.user, "open records"):
        return None
    rows = KeptReport.objects.filter(owner=account).exclude(places=[]).order_by("name", "pk")
    asked = urlencode({"place": place.value, "key": key})
    blocks = [
        (name, f"{reverse('reports:block', args=[public_id])}?{asked}")
        for public_id, name, places in rows.values_list("public_id", "name", "places")
        if place.value in places
    ]
    return Panel("Reports kept here", "reports/blocks.html", {"blocks": blocks}) if blocks else None


def team_blocks(request: HttpRequest, team: TeamOfPeople, day: date) -> Panel | None:
    """How a manager's people stood month by month, and how long they learned."""
    if not team.seen or not policy.may(request.user, "open records"):
        return None
    blocks = [(title, reverse("reports:ready_block", args=[name])) for name, title in OF_TEAMS]
    return Panel("Your team, month by month", "reports/blocks.html", {"blocks": blocks})


def desk_blocks(request: HttpRequest, _: Any, day: date) -> Panel | None:
    return _panel(request, Place.DESK)


def unit_blocks(request: HttpRequest, unit: Unit, day: date) -> Panel | None:
    return _panel(request, Place.UNIT, unit.public_id)


def course_blocks(request: HttpRequest, course: Course, day: date) -> Panel | None:
    return _panel(request, Place.COURSE, course.public_id)


def path_blocks(request: HttpRequest, path: Path, day: date) -> Panel | None:
    return _panel(request, Place.PATH, path.public_id)
