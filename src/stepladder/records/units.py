"""The units of boards and lists, and who is in them, as arrays."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np

from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.models import Chart, Position, Unit
from stepladder.charts.tree_choice import MANY_NODES
from stepladder.core.board import Membership
from stepladder.core.columns import is_one_of
from stepladder.people.models import Placement

__all__ = ["Units", "unit_choices", "units_on"]


@dataclass(frozen=True)
class Units:
    """The units of a chart on a day in the order in which one reads them, each after its parent, and who is in them."""

    names: list[str]
    public_ids: list[str]
    depths: list[int]
    members: Membership


def units_on(day: date, known_on: date, chart: Chart | None, scope: frozenset[int] | None = None) -> Units:
    """The units, or positions, of a chart (None: none), and the people placed in them among those *seen* (None: all)."""
    if chart is None:
        return Units([], [], [], Membership(*(np.zeros(0, dtype=np.int32) for _ in range(3))))
    of_units = chart.kind == Chart.Kind.UNIT
    tree = units_tree(day, known_on) if of_units else positions_tree(day, known_on)
    kind: Any = Unit if of_units else Position
    public_ids = dict(kind.objects.filter(chart=chart).values_list("pk", "public_id"))
    walked = [(key, depth) for key, depth in tree.walk() if key in public_ids]
    place = {key: n for n, (key, _) in enumerate(walked)}
    parent = [place.get(tree.parent[key] or 0, -1) for key, _ in walked]
    rows = Placement.objects.known_on(known_on).filter(from_day__lte=day).exclude(to_day__lt=day)
    at = "unit_id" if of_units else "position_id"
    pairs_of = rows.filter(**{f"{at}__isnull": False}).values_list("person_id", at)
    placed = np.array(list(pairs_of), dtype=np.int64).reshape(-1, 2)
    places = np.full(max(int(placed[:, 1].max(initial=0)), max(place, default=0)) + 1, -1, dtype=np.int64)
    places[list(place)] = list(place.values())
    placed[:, 1] = places[placed[:, 1]]
    keep = placed[:, 1] >= 0
    if scope is not None:
        keep &= is_one_of(placed[:, 0], scope)
    # Each pair once, in order of people.
    pairs = np.unique((placed[keep, 0] << 32) | placed[keep, 1])
    return Units(
        [tree.name[key] for key, _ in walked],
        [public_ids[key] for key, _ in walked],
        [depth for _, depth in walked],
        Membership(
            (pairs >> 32).astype(np.int32), (pairs & 0xFFFFFFFF).astype(np.int32), np.array(parent, dtype=np.int32)
        ),
    )


def unit_choices(chosen: Unit | None) -> list[tuple[Unit, int]]:
    """Units to choose from, with their depth; of a chart of many the top, and what is around the chosen unit."""
    tree = units_tree()
    walked = list(tree.walk())
    if len(walked) > MANY_NODES:
        above = set(tree.upwards(chosen.pk)) if chosen and chosen.pk in tree.parent else set()
        walked = [(key, depth) for key, depth in walked if depth < 2 or key in above or tree.parent[key] in above]
    nodes = Unit.objects.in_bulk([key for key, _ in walked])
    return [(nodes[key], depth) for key, depth in walked]
