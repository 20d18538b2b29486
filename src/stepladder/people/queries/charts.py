"""Reading charts: as they change, and the tree of a day."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import Q, QuerySet

from stepladder import clock
from stepladder.core.charts import Branch, DatedChart, Tree
from stepladder.core.days import FOREVER, Span
from stepladder.facts import FactQuerySet
from stepladder.people.models import Branch as StoredBranch
from stepladder.people.models import Chart, Placement, Position, PositionBranch, Site, Unit, UnitBranch

__all__ = [
    "ChartRow",
    "IndexRow",
    "branches_of",
    "chart_rows",
    "charts",
    "core_branch",
    "core_branches",
    "index_rows",
    "nodes_of",
    "people_under",
    "position_chart",
    "positions_tree",
    "stored_branches",
    "unit_chart",
    "units_tree",
]


def stored_branches(kind: type[Unit] | type[Position]) -> FactQuerySet:
    """Every branch of units, or of positions, in the order of their charts."""
    rows: FactQuerySet = (UnitBranch if kind is Unit else PositionBranch).objects.all()
    return rows.order_by("node__chart_id", "node__place", "node_id", "from_day", "pk")


def core_branch(row: StoredBranch) -> Branch:
    """The core's branch of a stored one."""
    columns: Any = row
    return Branch(
        columns.node_id,
        columns.parent_id,
        Span(row.from_day, row.to_day or FOREVER),
        row.name,
        getattr(columns, "site_id", None),
    )


def core_branches(rows: FactQuerySet) -> Iterator[Branch]:
    """The core's branches of stored rows, read as plain columns: a large chart is read on almost every page."""
    columns = ["node_id", "parent_id", "from_day", "to_day", "name"]
    has_site = rows.model is UnitBranch
    for node, parent, first, last, name, *site in rows.values_list(*columns, *(["site_id"] if has_site else [])):
        yield Branch(node, parent, Span(first, last or FOREVER), name, site[0] if site else None)


def unit_chart(known_on: date | None = None) -> DatedChart:
    """All charts of units, as known on a day (None: now)."""
    return _dated(Unit, known_on)


def position_chart(known_on: date | None = None) -> DatedChart:
    """All charts of positions, as known on a day (None: now)."""
    return _dated(Position, known_on)


def _dated(kind: type[Unit] | type[Position], known_on: date | None) -> DatedChart:
    rows = stored_branches(kind)
    return DatedChart(core_branches(rows.known_on(known_on) if known_on else rows.known_now()))


def units_tree(day: date | None = None, known_on: date | None = None) -> Tree:
    """All units that stand on a day (None: today), as known on a day (None: now)."""
    return unit_chart(known_on).on(day or clock.today())


def positions_tree(day: date | None = None, known_on: date | None = None) -> Tree:
    """All positions that stand on a day (None: today), as known on a day (None: now)."""
    return position_chart(known_on).on(day or clock.today())


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


def people_under(kind: str, nodes: Iterable[int]) -> list[int]:
    """Whoever was, is or will be placed at one of these nodes, by what is known now."""
    rows = Placement.objects.known_now().filter(**{f"{kind}__in": list(nodes)})
    return sorted(set(rows.values_list("person_id", flat=True)))


# A chart with more nodes than this is shown folded: the way to one node, and what hangs beside it.
MOST_OPEN = 120


@dataclass(frozen=True)
class ChartRow:
    """A node of a chart with how deep it stands, how many people are in it and with those below it, and how many nodes are
    folded away below it."""

    node: Unit | Position
    depth: int
    here: int
    below: int
    name: str = ""
    site: str = ""
    parent: str = ""
    folded: int = 0


def chart_rows(
    chart: Chart, day: date, *, around: Unit | Position | None = None, within: frozenset[int] | None = None
) -> list[ChartRow]:
    """A chart of a day from the top down, each person counted once in every node.

    *within*: only these nodes. A large chart is folded but for the way to *around* and what hangs below that.
    """
    kind = Unit if chart.kind == Chart.Kind.UNIT else Position
    branches = list(core_branches(stored_branches(kind).known_now().filter(node__chart=chart)))
    tree = DatedChart(branches).on(day)
    walked = [(node, depth) for node, depth in tree.walk() if within is None or node in within]
    shown = _shown(tree, [node for node, _ in walked], around.pk if around else None)
    nodes: dict[int, Unit | Position] = nodes_of(chart).in_bulk(list(shown | {tree.parent[n] for n in shown} - {None}))
    site_of = {b.node: b.site for b in branches if b.site and day in b.days}
    sites = dict(Site.objects.values_list("pk", "name"))
    people = _people_at(chart, day)
    below = _below(tree, people)
    return [
        ChartRow(
            nodes[pk],
            depth,
            len(people.get(pk, ())),
            len(below[pk]),
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
    own = set(nodes)
    tops = {node for node in nodes if tree.parent[node] not in own}
    opened = set(tree.upwards(around)) & own if around in own else tops if len(tops) == 1 else set()
    return tops | {child for node in opened for child in tree.children.get(node, ())}


def _people_at(chart: Chart, day: date) -> dict[int, set[int]]:
    """Node → who is placed at it on the day."""
    there = Q(revoked_on__isnull=True, from_day__lte=day) & (Q(to_day__isnull=True) | Q(to_day__gte=day))
    placed = Placement.objects.filter(there, **{f"{chart.kind}__chart": chart})
    people: dict[int, set[int]] = {}
    for node_id, person_id in placed.values_list(f"{chart.kind}_id", "person_id"):
        people.setdefault(node_id, set()).add(person_id)
    return people


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
    branches = stored_branches(Unit).known_now().filter(node__chart=chart)
    tree = DatedChart(core_branches(branches)).on(day)
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


def _below(tree: Tree, people: dict[int, set[int]]) -> dict[int, set[int]]:
    """Node → everybody at it or below it; each node is joined once, from the leaves up."""
    found: dict[int, set[int]] = {}
    for node, _ in reversed(list(tree.walk())):
        found[node] = set(people.get(node, ())).union(*[found[child] for child in tree.children.get(node, ())])
    return found
