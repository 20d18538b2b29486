"""The page of what of a module is watched."""

from __future__ import annotations

import math
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import get_object_or_404, render

from stepladder import clock
from stepladder.accounts import policy
from stepladder.charts.models import Unit
from stepladder.core.numbers import whole_number
from stepladder.learning.models import Attempt
from stepladder.library.models import Module
from stepladder.library.opening import address_at
from stepladder.library.queries import binders
from stepladder.people.permissions import people_seen
from stepladder.reaches.models import Group
from stepladder.records import queries
from stepladder.records.units import unit_choices
from stepladder.records.watched import WatchedRows, attempts_at, heat_of, length_of, spot_at
from stepladder.web.tables import page_of

HEADS = [("Name", ""), ("Where", ""), ("Seen", ""), ("%", ""), ("", ""), ("Last", "")]


def watched(request: HttpRequest, module: str) -> HttpResponse:
    """The heat of a version with what stands out, the place that is looked at, and the strips of those whose records one sees."""
    shown = policy.visible(request.user, "use modules", Module.objects.select_related("binder"))
    found = get_object_or_404(shown, public_id=module)
    versions = [version for version in found.versions.all() if length_of(version)]
    if not versions:
        raise Http404
    number = whole_number(request.GET.get("v", ""))
    opened = set(Attempt.objects.filter(version__in=versions).values_list("version", flat=True).distinct())
    # Unless one is asked for, the newest that anybody has opened: of the others there is nothing to see.
    shown_first = next((one for one in versions if one.pk in opened), versions[0])
    version = next((one for one in versions if one.number == number), shown_first)
    unit = Unit.objects.select_related("chart").filter(public_id=request.GET.get("unit", "")).first()
    # Who is in a group is for those who see records; authors narrow by unit.
    groups = Group.objects.order_by("name") if policy.may(request.user, "open records") else Group.objects.none()
    group = groups.filter(public_id=request.GET.get("group", "")).first()
    attempts = attempts_at(version, unit, group)
    heat = heat_of(version, attempts)
    page = page_of(request, WatchedRows(request.user, attempts), HEADS, numeric=frozenset({"%"}))
    context: dict[str, Any] = {
        "module": found,
        "version": version,
        "versions": versions,
        "unit": unit,
        "units": unit_choices(unit),
        "heat": heat,
        "more": f"&v={version.number}"
        + (f"&unit={unit.public_id}" if unit else "")
        + (f"&group={group.public_id}" if group else ""),
        "group": group,
        "groups": groups,
        "page": page,
        "binders": binders(request.user),
        "is_of_records": bool(policy.may(request.user, "open records")),
    }
    if context["is_of_records"]:
        context["late"] = queries.late_count(clock.today(), people_seen(request.user, "open records"))
    place = _place(request.GET.get("at", ""))
    if place is not None and heat.watched.people:
        spot = spot_at(heat, place)
        context |= {"spot": spot, "spot_url": address_at(found, spot.place)}
    return render(request, "records/watched.html", context)


def _place(text: str) -> float | None:
    try:
        place = float(text[:20])
    except ValueError:
        return None
    return place if math.isfinite(place) and place >= 0 else None
