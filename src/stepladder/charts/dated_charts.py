"""Charts as the core walks them: read from their branches, and kept between requests until one is written."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any

from stepladder import clock
from stepladder.charts.models import Branch as StoredBranch
from stepladder.charts.models import Position, PositionBranch, Unit, UnitBranch
from stepladder.core.charts import Branch, DatedChart, Tree
from stepladder.core.days import FOREVER, Span
from stepladder.fact_cache import cached, state_of
from stepladder.facts import FactQuerySet

__all__ = [
    "charts_state",
    "core_branch",
    "dated_chart",
    "position_chart",
    "positions_tree",
    "stored_branches",
    "unit_chart",
    "units_tree",
]

Kind = type[Unit] | type[Position]


def stored_branches(kind: Kind) -> FactQuerySet:
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


def _core_branches(rows: FactQuerySet) -> Iterator[Branch]:
    """The core's branches of stored rows, read as plain columns: a large chart has thousands."""
    columns = ["node_id", "parent_id", "from_day", "to_day", "name"]
    has_site = rows.model is UnitBranch
    for node, parent, first, last, name, *site in rows.values_list(*columns, *(["site_id"] if has_site else [])):
        yield Branch(node, parent, Span(first, last or FOREVER), name, site[0] if site else None)


def dated_chart(kind: Kind, *, chart: int | None = None) -> DatedChart:
    """A chart (None: all of units, or of positions) as known now. Nearly every page walks one, and they seldom change."""
    rows = stored_branches(kind).known_now()
    rows = rows.filter(node__chart=chart) if chart is not None else rows
    return cached(
        ("chart", kind.__name__, chart),
        state=lambda: charts_state(kind),
        read=lambda: DatedChart(_core_branches(rows)),
    )


def charts_state(kind: Kind) -> tuple[Any, ...]:
    """What tells two states of the charts apart: their branches, and the order of their nodes."""
    places = kind._default_manager.order_by("pk").values_list("chart_id", "place")
    return (*state_of(UnitBranch if kind is Unit else PositionBranch), tuple(places))


def unit_chart(known_on: date | None = None) -> DatedChart:
    """All charts of units, as known on a day (None: now)."""
    return _dated(Unit, known_on)


def position_chart(known_on: date | None = None) -> DatedChart:
    """All charts of positions, as known on a day (None: now)."""
    return _dated(Position, known_on)


def _dated(kind: Kind, known_on: date | None) -> DatedChart:
    if known_on is None:
        return dated_chart(kind)
    rows = stored_branches(kind).known_on(known_on)
    return cached(
        ("chart", kind.__name__, "known on", known_on),
        state=lambda: charts_state(kind),
        read=lambda: DatedChart(_core_branches(rows)),
    )


def units_tree(day: date | None = None, known_on: date | None = None) -> Tree:
    """All units that stand on a day (None: today), as known on a day (None: now)."""
    return unit_chart(known_on).on(day or clock.today())


def positions_tree(day: date | None = None, known_on: date | None = None) -> Tree:
    """All positions that stand on a day (None: today), as known on a day (None: now)."""
    return position_chart(known_on).on(day or clock.today())
