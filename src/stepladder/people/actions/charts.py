"""Charts: the first ones of an installation, and their units and positions."""

from __future__ import annotations

from django.db import transaction

from stepladder.accounts import policy
from stepladder.journal.actions import Actor, Named, record
from stepladder.people.errors import NodeThere
from stepladder.people.models import Chart, Position, Unit
from stepladder.people.queries import nodes_of

__all__ = ["add_node", "make_main_charts", "rename_node"]


def _about(node: Unit | Position) -> Named:
    return Named("unit" if isinstance(node, Unit) else "position", node.public_id, node.name)


@transaction.atomic
def make_main_charts(*, organisation: str, by: Actor) -> None:
    """A main chart of units, with the organisation at its top, and one of positions, still empty."""
    units = Chart.objects.create(kind=Chart.Kind.UNIT, name="Units", is_main=True)
    Chart.objects.create(kind=Chart.Kind.POSITION, name="Positions", is_main=True)
    top = Unit.objects.create(chart=units, name=organisation)
    record("add_node", by=by, about=_about(top), data={"chart": units.name, "under": ""})


@transaction.atomic
def add_node(*, chart: Chart, under: Unit | Position | None, name: str, by: Actor) -> Unit | Position:
    """A unit or a position, by the chart's kind, last below *under* (None: at the top). Raises NodeThere."""
    policy.require(by, "change people")
    beside = nodes_of(chart).filter(parent=under)
    if beside.filter(name__iexact=name).exists():
        raise NodeThere(name, under.name if under else chart.name)
    last = beside.order_by("-place").values_list("place", flat=True).first()
    place = 0 if last is None else last + 1
    node: Unit | Position = beside.create(chart=chart, parent=under, name=name, place=place)
    record("add_node", by=by, about=_about(node), data={"chart": chart.name, "under": under.name if under else ""})
    return node


@transaction.atomic
def rename_node(*, node: Unit | Position, name: str, by: Actor) -> None:
    """Another name for a unit or a position; who is placed there stays. Raises NodeThere."""
    policy.require(by, "change people")
    beside = nodes_of(node.chart).filter(parent=node.parent_id).exclude(pk=node.pk)
    if beside.filter(name__iexact=name).exists():
        raise NodeThere(name, node.parent.name if node.parent else node.chart.name)
    before, node.name = node.name, name
    node.save(update_fields=["name"])
    record("rename_node", by=by, about=_about(node), data={"before": before, "after": name})
