"""Who is placed at the nodes of charts, for the charts; and what their sheets say of it."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterable
from datetime import date
from typing import Any

from django.http import HttpRequest
from django.urls import reverse
from django.utils.html import format_html

from stepladder.accounts import policy
from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.models import Chart, Position, Unit
from stepladder.fact_cache import state_of
from stepladder.people.models import Placement, PositionRole
from stepladder.people.queries import valid_on
from stepladder.web.margin import SheetLine, VerbLink

__all__ = ["PlacedPeople", "placed_here", "roles_of_position", "roles_with", "unit_list"]


class PlacedPeople:
    """See `charts.occupants.Occupants`."""

    def ever_at(self, kind: str, nodes: Collection[int]) -> list[int]:
        rows = Placement.objects.known_now().filter(**{f"{kind}__in": list(nodes)})
        return sorted(set(rows.values_list("person_id", flat=True)))

    def after(self, kind: str, node: int, last: date) -> int:
        placed = Placement.objects.known_now().filter(**{kind: node}).exclude(to_day__lte=last)
        return placed.values("person").distinct().count()

    def on(self, chart: Chart, day: date, *, units: Collection[int] | None = None) -> Iterable[tuple[int, int]]:
        placed = Placement.objects.filter(valid_on(day), **{f"{chart.kind}__chart": chart})
        if units is not None:
            placed = placed.filter(unit__in=units)
        return placed.values_list(f"{chart.kind}_id", "person_id").iterator()

    def state(self) -> Hashable:
        return state_of(Placement)


def placed_here(request: HttpRequest, node: Unit | Position, day: date) -> SheetLine | None:
    """How many people are placed at a node, and with those below it, for its sheet; none where it does not stand."""
    kind, tree = ("unit", units_tree(day)) if isinstance(node, Unit) else ("position", positions_tree(day))
    if node.pk not in tree.parent:
        return None
    placed: Any = Placement.objects.filter(valid_on(day))
    at_it, with_below = (
        placed.filter(**{f"{kind}__in": nodes}).values("person").distinct().count()
        for nodes in ([node.pk], tree.below(node.pk))
    )
    link = format_html('<a href="{}?{}={}">{}</a>', reverse("people:list"), kind, node.public_id, at_it)
    more = f" · {with_below} with those below" if with_below != at_it else ""
    return SheetLine("Placed here", format_html("{}{}", link, more))


def roles_with(request: HttpRequest, position: Position, day: date) -> SheetLine | None:
    """Which roles come with a position, for its sheet; none where none does."""
    rows = PositionRole.objects.known_on(day).filter(position=position).order_by("pk")
    roles = ", ".join(row.get_role_display() for row in rows)
    return SheetLine("Brings the roles", format_html("{}", roles)) if roles else None


def roles_of_position(request: HttpRequest, position: Position) -> VerbLink | None:
    """From a position to the roles that come with it."""
    if not policy.may(request.user, "change roles"):
        return None
    return VerbLink("Roles with it…", reverse("people:position_roles", args=[position.public_id]))


def unit_list(unit: Unit) -> str:
    """Where the index leads: to the people of a unit."""
    return f"{reverse('people:list')}?unit={unit.public_id}"
