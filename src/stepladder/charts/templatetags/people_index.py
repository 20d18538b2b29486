"""The index of People: its pages, and the main chart of units."""

from __future__ import annotations

from typing import Any

from django import template
from django.template import Context
from django.urls import reverse

from stepladder import clock
from stepladder.accounts import policy
from stepladder.charts.index import entries, unit_address
from stepladder.charts.models import Unit
from stepladder.charts.pages import unit_rows

register = template.Library()


@register.inclusion_tag("charts/index.html", takes_context=True)
def people_index(context: Context) -> dict[str, Any]:
    """The index as the account sees it. Of the page's context: *unit*, the one that the page is about; *charts* and *chart*."""
    request, unit = context["request"], context.get("unit")
    view_name = "" if unit else request.resolver_match.view_name
    shown = [entry for entry in entries() if policy.may(request.user, entry.verb)]
    return {
        "entries": [(entry.label, reverse(entry.address), view_name in entry.current) for entry in shown],
        "charts": context.get("charts", ()),
        "chart": context.get("chart"),
        "unit": unit,
        "tree": [
            (row, unit_address(row.node))
            for row in unit_rows(request, clock.today(), unit if isinstance(unit, Unit) else None)
        ],
    }
