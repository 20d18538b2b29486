"""The page of what was completed and attended in a period, and its files."""

from __future__ import annotations

from typing import Any

from django.db.models import QuerySet
from django.http import HttpRequest, HttpResponseBase
from django.shortcuts import render

from stepladder import clock
from stepladder.charts.models import Unit
from stepladder.courses.models import Course
from stepladder.people.permissions import people_seen
from stepladder.records import queries
from stepladder.records.forms import read_day
from stepladder.records.periods import ATTENDED, COMPLETED, Kind, PeriodFilters, in_period, pieces, with_places
from stepladder.records.units import unit_choices
from stepladder.tabular.responses import table_response
from stepladder.web.tables import page_of

PERIOD_WORDS = [
    "today",
    "start of this month",
    "start of last month",
    "end of last month",
    "start of this quarter",
    "start of this year",
    "start of last year",
    "end of last year",
]


def period(request: HttpRequest) -> HttpResponseBase:
    """What was completed, or attended, between two days."""
    first, last = read_day(request.GET, "from", "start of this month"), read_day(request.GET, "to")
    errors = [error for error in (first.error, last.error) if error]
    if not errors and last.day < first.day:
        errors.append("It would end before it begins. Choose a later last day.")
    kind = ATTENDED if request.GET.get("show") == ATTENDED.name else COMPLETED
    filters = PeriodFilters(
        first.day,
        last.day,
        request.GET.get("q", "").strip(),
        Unit.objects.select_related("chart").filter(public_id=request.GET.get("unit", "")).first(),
        Course.objects.filter(public_id=request.GET.get("course", "")).first(),
    )
    rows = in_period(kind, filters, request.user)
    if request.GET.get("as") in ("csv", "xlsx") and not errors:
        return _file(kind, rows, filters, request.GET["as"])
    page = page_of(request, rows, [(label, "") for label in kind.columns])
    query = request.GET.copy()
    for name in ("page", "as"):
        query.pop(name, None)
    scope = people_seen(request.user, "open records")
    context = {
        "kind": kind,
        "kinds": (COMPLETED, ATTENDED),
        "filters": filters,
        "first": first,
        "last": last,
        "errors": errors,
        "page": page,
        "lines": with_places(page.rows),
        "units": unit_choices(filters.unit),
        "courses": Course.objects.exclude(state="draft").order_by("title"),
        "period_words": PERIOD_WORDS,
        "query": query.urlencode(),
        "late": queries.late_count(clock.today(), scope),
    }
    return render(request, "records/period.html", context, status=422 if errors else 200)


def _file(kind: Kind, rows: QuerySet[Any], filters: PeriodFilters, form: str) -> HttpResponseBase:
    """The list as a file."""
    return table_response(
        form,
        f"{kind.name}-{filters.first}-to-{filters.last}",
        title=kind.title,
        heads=kind.columns,
        pieces=pieces(kind, rows),
        about=filters.description,
    )
