"""Reading charts: as they change, and the tree of a day."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import QuerySet

from stepladder.charts.dated_charts import Kind, charts_state, dated_chart, positions_tree, stored_branches, units_tree
from stepladder.charts.models import Chart, Position, Site, Unit
from stepladder.charts.occupants import occupants
from stepladder.core.charts import Tree
from stepladder.fact_cache import cached

__all__ = [
    "ChartRow",
    "IndexRow",
    "NodeSheet",
    "branches_of",
    "chart_rows",
    "charts",
    "index_rows",
    "node_sheet",
    "nodes_of",
]


def branches_of(node: Unit | Position) -> list[Any]:
    """The node's branches as known now, the newest first."""
    return list(
        stored_branches(type(node)).known_now().filter(node=node).select_related("parent").order_by("-from_day")
    )


def charts() -> list[Chart]:
    """All charts, those of units before those of positions, the main ones first."""
    return list(Chart.objects.order_by("-kind", "-is_main", "name"))


def nodes_of(chart: Chart) -> QuerySet[Any]:
    """The units of a chart of units, the positions of one of positions."""
    return (Unit if chart.kind == Chart.Kind.UNIT else Position)._default_manager.filter(chart=chart)


def nodes_below_ever(kind: str, nodes: Iterable[int]) -> set[int]:
    """These nodes, and whatever hung, hangs or will hang below them on any day, also by what is no longer known.

    More than need be, never fewer: whoever is placed there may be concerned when one of them moves.
    """
    below: dict[int | None, set[int]] = {}
    for node, parent in stored_branches(Unit if kind == "unit" else Position).values_list("node_id", "parent_id"):
        below.setdefault(parent, set()).add(node)
    found, waiting = set(), list(nodes)
    while waiting:
        key = waiting.pop()
        if key not in found:
            found.add(key)
            waiting.extend(below.get(key, ()))
    return found


# A chart with more nodes than this is shown folded: the way to one node, and what hangs beside it.
MOST_OPEN = 120


@dataclass(frozen=True)
class ChartRow:
    """A node of a chart with how deep it stands, how many people are in it and with those below it, and how many nodes are
    folded away below it."""

    node: Unit | Position
    depth: int
    placed_here: int
    placed_below: int
    name: str = ""
    site: str = ""
    parent: str = ""
    folded: int = 0


def chart_rows(
    chart: Chart, day: date, *, around: Unit | Position | None = None, part: frozenset[int] | None = None
) -> list[ChartRow]:
    """A chart of a day from the top down, each person counted once in every node.

    *part*: what somebody sees who administers these units: of a chart of units these nodes; of one of positions those that
    people placed in the part have, with what is above them; and only people of the part are counted. A large chart is folded
    but for the way to *around* and what hangs below that.
    """
    kind: Kind = Unit if chart.kind == Chart.Kind.UNIT else Position
    dated = dated_chart(kind, chart=chart.pk)
    tree = dated.on(day)
    counts = _counts(chart, kind, tree, day) if part is None else _counted(chart, tree, day, part)
    within = part if part is None or kind is Unit else frozenset(pk for pk, (_, below) in counts.items() if below)
    walked = [(node, depth) for node, depth in tree.walk() if within is None or node in within]
    shown = _shown(tree, [node for node, _ in walked], around.pk if around else None)
    nodes: dict[int, Unit | Position] = nodes_of(chart).in_bulk(list(shown | {tree.parent[n] for n in shown} - {None}))
    site_of = {b.node: b.site for pk in shown for b in dated.branches(pk) if b.site and day in b.days}
    sites = dict(Site.objects.values_list("pk", "name"))
    return [
        ChartRow(
            nodes[pk],
            depth,
            *counts[pk],
            tree.name[pk],
            sites.get(site_of.get(pk, 0), ""),
            nodes[above].public_id if (above := tree.parent[pk]) else "",
            0 if any(child in shown for child in tree.children.get(pk, ())) else len(tree.below(pk)) - 1,
        )
        for pk, depth in walked
        if pk in shown
    ]


def _shown(tree: Tree, nodes: list[int], around: int | None) -> set[int]:
    """The nodes of a chart that are not folded away."""
    if len(nodes) <= MOST_OPEN:
        return set(nodes)
    listed = set(nodes)
    tops = {node for node in nodes if tree.parent[node] not in listed}
    opened = set(tree.upwards(around)) & listed if around in listed else tops if len(tops) == 1 else set()
    return tops | {child for node in opened for child in tree.children.get(node, ())}


def _counts(chart: Chart, kind: Kind, tree: Tree, day: date) -> dict[int, tuple[int, int]]:
    """Node → how many people are placed at it on the day, and how many at it or below it, each counted once."""
    return cached(
        ("counts", chart.pk, day),
        state=lambda: (charts_state(kind), occupants().state()),
        read=lambda: _counted(chart, tree, day),
    )


def _counted(chart: Chart, tree: Tree, day: date, part: frozenset[int] | None = None) -> dict[int, tuple[int, int]]:
    people: dict[int, set[int]] = {}
    for node, person in occupants().on(chart, day, units=part):
        people.setdefault(node, set()).add(person)
    # Each node is joined once, from the leaves up.
    below: dict[int, set[int]] = {}
    for node, _ in reversed(list(tree.walk())):
        below[node] = people.get(node, set()).union(*[below[child] for child in tree.children.get(node, ())])
    return {node: (len(people.get(node, ())), len(people_below)) for node, people_below in below.items()}


@dataclass(frozen=True)
class IndexRow:
    """A unit in the index of People."""

    node: Unit
    depth: int
    name: str
    folded: int


def index_rows(day: date, *, around: Unit | None = None, within: frozenset[int] | None = None) -> list[IndexRow]:
    """The main chart of units, folded where it is large; without counting anybody."""
    chart = Chart.objects.filter(kind=Chart.Kind.UNIT, is_main=True).first()
    if chart is None:
        return []
    tree = dated_chart(Unit, chart=chart.pk).on(day)
    walked = [(node, depth) for node, depth in tree.walk() if within is None or node in within]
    shown = _shown(tree, [node for node, _ in walked], around.pk if around else None)
    units = Unit.objects.in_bulk(list(shown))
    return [
        IndexRow(
            units[pk],
            depth,
            tree.name[pk],
            len(tree.below(pk)) - 1 if not shown & set(tree.children.get(pk, ())) else 0,
        )
        for pk, depth in walked
        if pk in shown
    ]


@dataclass(frozen=True)
class NodeSheet:
    """A unit or a position on a day: where it hangs, and what hangs below it."""

    path: str
    stands: bool
    children: list[Unit | Position]


def node_sheet(node: Unit | Position, day: date) -> NodeSheet:
    """What a node's sheet shows of a day."""
    tree = units_tree(day) if isinstance(node, Unit) else positions_tree(day)
    if node.pk not in tree.parent:
        return NodeSheet(node.name, False, [])
    children = type(node)._default_manager.in_bulk(tree.children.get(node.pk, []))
    return NodeSheet(tree.path(node.pk), True, [children[key] for key in tree.children.get(node.pk, [])])
