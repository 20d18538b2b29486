"""What the sheets of units and people, and the chart, say of who leads."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from django.http import HttpRequest
from django.urls import reverse
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString

from stepladder.accounts import policy
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import Chart, Position, Unit
from stepladder.leads import queries
from stepladder.people.models import Person, Placement
from stepladder.people.queries import valid_on
from stepladder.people.sheets import sheets_open_to
from stepladder.web.margin import Panel, SheetLine, VerbLink

__all__ = ["lead_somebody", "led_by_line", "of_chart", "of_node", "of_person", "unit_notes"]


def led_by_line(request: HttpRequest, unit: Unit, day: date) -> SheetLine:
    """Who leads a unit, on its sheet."""
    leaders, above = queries.nearest_leaders(unit, day)
    if not leaders:
        below = units_tree(day).below(unit.pk) if unit.pk in units_tree(day).parent else ()
        is_gap = Placement.objects.filter(valid_on(day), unit__in=below).exists()
        return SheetLine("Led by", format_html("{}", "nobody: a gap" if is_gap else "nobody"))
    opens = sheets_open_to(request.user, leaders)
    names = format_html_join(", ", "{}", ((_name(person, person.pk in opens),) for person in leaders))
    return SheetLine("Led by", format_html('{} <span class="muted">from {}</span>', names, above) if above else names)


def _name(person: Person, is_open: bool) -> SafeString:
    address = reverse("people:person", args=[person.public_id])
    return format_html('<a href="{}">{}</a>', address, person.name) if is_open else format_html("{}", person.name)


def unit_notes(units: Sequence[int], day: date) -> Mapping[int, SafeString]:
    """Beside units of the chart: who leads them, or that nobody does though people are placed there."""
    book = queries.lead_book(day, units=units)
    notes = {
        unit: format_html('<span class="small muted led">{}</span>', ", ".join(leader.name for leader in leaders))
        for unit, leaders in queries.leaders_of_units(book, units).items()
    }
    gaps = queries.unled_units(book, day, units=units)
    return notes | {unit: format_html('<span class="tag">{}</span>', "nobody leads it") for unit in gaps}


def of_chart(request: HttpRequest, chart: Chart) -> VerbLink | None:
    """From a chart to who leads whom."""
    return VerbLink("Who leads whom", reverse("leads:leads")) if policy.may(request.user, "see leads") else None


def of_node(request: HttpRequest, node: Unit | Position) -> VerbLink | None:
    """From a unit or a position to a lead of it."""
    if not policy.may(request.user, "change leads"):
        return None
    kind, label = ("unit", "Lead it…") if isinstance(node, Unit) else ("position", "Give it a lead…")
    return VerbLink(label, f"{reverse('leads:new_lead')}?{kind}={node.public_id}")


def of_person(request: HttpRequest, person: Person, day: date) -> Panel:
    """Who answers for somebody, on their sheet, and what they lead themselves."""
    answers_to = queries.whom_they_answer_to(person, day)
    context: dict[str, Any] = {
        "person": person,
        "day": day,
        "answers_to": answers_to,
        "opens": sheets_open_to(request.user, [leader for line in answers_to for leader in line.leaders]),
        "leads": queries.leads_held(person, day),
    }
    whose = person.name if person.shortened_on else person.given_name
    return Panel(f"Who answers for {whose}", "leads/answering.html", context)


def lead_somebody(request: HttpRequest, _: object) -> VerbLink | None:
    """From the list of people to one lead over those chosen."""
    return VerbLink("Lead…", reverse("leads:lead_many")) if policy.may(request.user, "change leads") else None
