"""Charts, their units and positions. What changes, changes from a day: a past day is seen as it was."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import date, timedelta
from typing import Any

from django.db import transaction
from django.db.models import Max

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.charts.dated_charts import core_branch, stored_branches
from stepladder.charts.errors import NodeInUse, NodeThere, NotInChartThen, OtherChangePlanned, UnderItself
from stepladder.charts.models import BEGINNING, Chart, Position, PositionBranch, Site, Unit, UnitBranch
from stepladder.charts.occupants import occupants
from stepladder.charts.queries import nodes_below_ever, nodes_of
from stepladder.core.charts import ChartError, DatedChart
from stepladder.facts import Fact
from stepladder.journal.actions import Actor, Named, record
from stepladder.refusals import NameThere
from stepladder.web.templatetags.web import day as written

__all__ = [
    "add_chart",
    "add_node",
    "add_nodes",
    "change_site",
    "close_node",
    "keep_names_true",
    "lock_node",
    "make_main_charts",
    "move_node",
    "order_nodes",
    "rename_chart",
    "rename_node",
]

Node = Unit | Position


def _about(node: Node) -> Named:
    return Named(_kind(node), node.public_id, node.name)


def _kind(node: Node) -> str:
    return "unit" if isinstance(node, Unit) else "position"


def _since(from_day: date) -> str:
    return "the beginning" if from_day == BEGINNING else written(from_day)


def _branches(node: Node) -> Any:
    return stored_branches(type(node)).known_now().filter(node=node)


def _dated(node: Node) -> DatedChart:
    rows = stored_branches(type(node)).known_now().filter(node__chart=node.chart_id)
    return DatedChart(core_branch(row) for row in rows)


@transaction.atomic
def make_main_charts(*, organisation: str, by: Actor) -> None:
    """A main chart of units, with the organisation at its top, and one of positions, still empty."""
    units = Chart.objects.create(kind=Chart.Kind.UNIT, name="Units", is_main=True)
    Chart.objects.create(kind=Chart.Kind.POSITION, name="Positions", is_main=True)
    add_node(chart=units, under=None, name=organisation, by=by)


@transaction.atomic
def add_chart(*, kind: str, name: str, by: Actor) -> Chart:
    """A further chart, of units or of positions; the first of its kind is the main one. Raises NameThere."""
    policy.require(by, "change charts")
    if Chart.objects.filter(name__iexact=name).exists():
        raise NameThere(name)
    first = not Chart.objects.filter(kind=kind).exists()
    chart = Chart.objects.create(kind=kind, name=name, is_main=first)
    record("add_chart", by=by, about=Named("chart", str(chart.pk), name))
    return chart


@transaction.atomic
def rename_chart(*, chart: Chart, name: str, by: Actor) -> None:
    """Another name for a chart. Raises NameThere."""
    policy.require(by, "change charts", chart)
    if Chart.objects.filter(name__iexact=name).exclude(pk=chart.pk).exists():
        raise NameThere(name)
    before, chart.name = chart.name, name
    chart.save(update_fields=["name"])
    record("rename_chart", by=by, about=Named("chart", str(chart.pk), name), data={"before": before, "after": name})


@transaction.atomic
def add_node(
    *,
    chart: Chart,
    under: Node | None,
    name: str,
    by: Actor,
    from_day: date = BEGINNING,
    site: Site | None = None,
) -> Node:
    """A unit or a position, by the chart's kind, last below *under* (None: at the top). Raises NodeThere, NotInChartThen."""
    policy.require(by, "change charts", chart)
    node, branch = _added(chart, under, name, from_day, site)
    data = {"chart": chart.name, "under": under.name if under else "", "day": _since(from_day)}
    record("add_node", by=by, about=_about(node), data=data, rows=[branch])
    return node


@transaction.atomic
def add_nodes(*, nodes: Sequence[tuple[Chart, Node | None, str]], by: Actor) -> list[Node]:
    """Several nodes as one act: each in a chart, below a node (None: at the top), under a name. Raises NodeThere, NotInChartThen."""
    for chart in {chart for chart, _, _ in nodes}:
        policy.require(by, "change charts", chart)
    made = [_added(chart, under, name, BEGINNING, None) for chart, under, name in nodes]
    names = ", ".join(node.name for node, _ in made)
    about = Named("chart", str(nodes[0][0].pk), nodes[0][0].name)
    record("add_nodes", by=by, about=about, data={"names": names}, rows=[branch for _, branch in made])
    return [node for node, _ in made]


def _added(
    chart: Chart, under: Node | None, name: str, from_day: date, site: Site | None
) -> tuple[Node, UnitBranch | PositionBranch]:
    nodes = nodes_of(chart)
    _check_name(chart, under, name, from_day, without=None)
    if under is not None and under.pk not in _dated(under).on(from_day).parent:
        raise NotInChartThen(under.name, from_day)
    last = nodes.aggregate(last=Max("place"))["last"]
    node: Node = nodes.create(chart=chart, name=name, place=0 if last is None else last + 1)
    columns = {"node": node, "parent": under, "name": name, "from_day": from_day}
    branch = (
        UnitBranch.objects.create(**columns, site=site)
        if isinstance(node, Unit)
        else PositionBranch.objects.create(**columns)
    )
    return node, branch


def _check_name(chart: Chart, under: Node | None, name: str, day: date, *, without: int | None) -> None:
    """One name stands once at a place, among those that hang there on the day."""
    kind = Unit if chart.kind == Chart.Kind.UNIT else Position
    beside = stored_branches(kind).known_now().filter(node__chart=chart, parent=under, name__iexact=name)
    if any(day <= (b.to_day or date.max) for b in beside.exclude(node=without)):
        raise NodeThere(name, under.name if under else chart.name)


@transaction.atomic
def rename_node(*, node: Node, name: str, by: Actor, from_day: date | None = None) -> None:
    """Another name from a day on (None: from today); before it stays called as it was. Raises NodeThere, NotInChartThen."""
    policy.require(by, "change charts", node)
    day = from_day or clock.today()
    before = _branch_on(node, day)
    _check_name(node.chart, before.parent, name, day, without=node.pk)
    rows = _change(node, day, name=name)
    data = {"before": before.name, "after": name, "day": _since(day)}
    _name_of_today(node)
    record("rename_node", by=by, about=_about(node), data=data, rows=rows)


@transaction.atomic
def move_node(*, node: Node, under: Node | None, from_day: date, by: Actor) -> None:
    """Hang a node, and all below it, under another from a day on. Raises UnderItself, NodeThere, NotInChartThen, OtherChangePlanned."""
    policy.require(by, "change charts", node)
    old = _branch_on(node, from_day)
    tree = _dated(node).on(from_day)
    if under is not None:
        if under.pk not in tree.parent:
            raise NotInChartThen(under.name, from_day)
        if under.pk in tree.below(node.pk):
            raise UnderItself(node.name, under.name)
    _check_name(node.chart, under, old.name, from_day, without=node.pk)
    rows = _change(node, from_day, parent=under)
    # On each day, not on this one alone: a move planned for later may make a circle with it.
    _check_all_days(node)
    data = {"before": old.parent.name if old.parent else "the top", "after": under.name if under else "the top"}
    entry = record("move_node", by=by, about=_about(node), data={**data, "day": _since(from_day)}, rows=rows)
    _announce(node, entry.act)


@transaction.atomic
def change_site(*, node: Unit, site: Site | None, from_day: date, by: Actor) -> None:
    """Another site of its own from a day on; None: that of the nearest unit above that has one."""
    policy.require(by, "change charts", node)
    rows = _change(node, from_day, site=site)
    entry = record(
        "change_site",
        by=by,
        about=_about(node),
        data={"site": site.name if site else "", "day": _since(from_day)},
        rows=rows,
    )
    _announce(node, entry.act)


@transaction.atomic
def close_node(*, node: Node, to_day: date, by: Actor) -> None:
    """The last day of a unit or a position. Raises NodeInUse while something hangs or is placed there after it."""
    policy.require(by, "change charts", node)
    branch = _branch_on(node, to_day)
    after = to_day + timedelta(days=1)
    later = stored_branches(type(node)).known_now().exclude(to_day__lt=after)
    below = [b.name for b in later.filter(parent=node)]
    people = occupants().after(_kind(node), node.pk, to_day)
    if below or people:
        raise NodeInUse(node.name, to_day, below, people)
    rows: list[Fact] = []
    # What was planned for after its last day would bring it back.
    for planned in _branches(node).filter(from_day__gt=to_day):
        planned.revoke()
        rows.append(planned)
    rows += _replace(branch, [{"to_day": to_day}])
    record("close_node", by=by, about=_about(node), data={"day": written(to_day)}, rows=rows)


@transaction.atomic
def lock_node(*, node: Node, is_locked: bool, by: Actor) -> None:
    """Locked: only who may manage the charts may place people there; who is there stays."""
    policy.require(by, "change charts", node)
    if node.is_locked == is_locked:
        return
    node.is_locked = is_locked
    node.save(update_fields=["is_locked"])
    record("lock_node" if is_locked else "unlock_node", by=by, about=_about(node))


@transaction.atomic
def order_nodes(*, chart: Chart, node: Node, after: Node | None, by: Actor) -> None:
    """Put a node beside another of the chart, behind it (None: before all). The order holds for all days; it says nothing of anybody."""
    policy.require(by, "change charts", chart)
    order = [n for n in nodes_of(chart).order_by("place", "name") if n.pk != node.pk]
    behind = next((i + 1 for i, n in enumerate(order) if after is not None and n.pk == after.pk), 0)
    order.insert(behind, node)
    for place, one in enumerate(order):
        one.place = place
    nodes_of(chart).bulk_update(order, ["place"], batch_size=500)
    record("order_nodes", by=by, about=_about(node), data={"after": after.name if after else "", "chart": chart.name})


@transaction.atomic
def keep_names_true() -> int:
    """The daily run: a name that holds from today on becomes the one that is shown. How many changed."""
    today, changed = clock.today(), 0
    for kind in (Unit, Position):
        names = {b.node_id: b.name for b in stored_branches(kind).known_now() if b.from_day <= today}
        for node in kind._default_manager.filter(pk__in=names):
            if node.name != names[node.pk]:
                node.name = names[node.pk]
                node.save(update_fields=["name"])
                changed += 1
    return changed


def _name_of_today(node: Node) -> None:
    begun = [b for b in _branches(node) if b.from_day <= clock.today()]
    if begun and begun[-1].name != node.name:
        node.name = begun[-1].name
        node.save(update_fields=["name"])


def _branch_on(node: Node, day: date) -> Any:
    """The branch that holds on a day. Raises NotInChartThen."""
    for branch in _branches(node).select_related("parent"):
        if branch.from_day <= day and (branch.to_day is None or branch.to_day >= day):
            return branch
    raise NotInChartThen(node.name, day)


def _change(node: Node, from_day: date, **changes: Any) -> list[Fact]:
    """What holds on the day holds changed from then on, until the next change that is planned already."""
    branch = _branch_on(node, from_day)
    # From its first day on nothing is left of what it was: two versions would be one without days.
    if branch.from_day == from_day:
        return _replace(branch, [changes])
    return _replace(branch, [{"to_day": from_day - timedelta(days=1)}, {"from_day": from_day, **changes}])


def _replace(branch: Any, versions: Sequence[dict[str, Any]]) -> list[Fact]:
    """The branch, and those that take its place."""
    return [branch, *branch.replaced_by(*versions)]


def _check_all_days(node: Node) -> None:
    chart = _dated(node)
    for day in chart.days_of_change():
        try:
            chart.on(day)
        except ChartError:
            raise OtherChangePlanned(node.name, day) from None
    chart.check()


def _announce(node: Node, act: events.Act) -> None:
    """Everybody at the node, or at what hangs below it on whatever day: who comes below it later is concerned as well."""
    people = occupants().ever_at(_kind(node), nodes_below_ever(_kind(node), {node.pk}))
    if people:
        events.announce(events.ChartChanged(tuple(people)), act)
