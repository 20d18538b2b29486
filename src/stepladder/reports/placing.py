"""Where people were placed on the day of a row, and which rows a reach means. Rules: 3, 16."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from functools import cached_property
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder import clock
from stepladder.arrays import Column, Holds, read_arrays
from stepladder.charts.dated_charts import position_chart, unit_chart
from stepladder.charts.models import Chart, Position, Unit
from stepladder.core.charts import Tree
from stepladder.core.columns import is_one_of
from stepladder.core.reports import Facts, Groups, NodesOverTime, Placements, nodes_over_time
from stepladder.fact_cache import cached, state_of
from stepladder.facts import FactQuerySet
from stepladder.people.models import Placement
from stepladder.reaches.models import Group
from stepladder.reaches.queries import members_of

__all__ = ["LEVELS", "Placed", "Reach", "main_chart", "placements"]

# The levels of the unit chart by which one groups, from the top; 0: everybody in their own unit.
LEVELS = (1, 2, 3, 0)


def placements(known_on: date | None = None) -> Placements:
    """Everybody's placements as known on a day (None: now), kept until one is written or revoked."""
    rows = Placement.objects.known_on(known_on) if known_on else Placement.objects.known_now()
    return cached(("placements as arrays", known_on), state=lambda: state_of(Placement), read=lambda: _read(rows))


def _read(rows: FactQuerySet) -> Placements:
    found = read_arrays(
        rows,
        {
            "person": Column("person_id"),
            "unit": Column("unit_id"),
            "position": Column("position_id"),
            "first": Column("from_day", Holds.DAYS),
            "last": Column("to_day", Holds.DAYS),
        },
    )
    order = np.lexsort((found["first"], found["person"]))
    return Placements(**{name: column[order].astype(np.int64) for name, column in found.items()})


def main_chart() -> Chart | None:
    """The chart of units by which reports group."""
    return Chart.objects.filter(kind=Chart.Kind.UNIT).order_by("-is_main", "pk").first()


@dataclass(frozen=True)
class Reach:
    """Whom a report is about: everybody, a unit and below on the day of the row, or who is in a group today; and whom the asker may see
    (None: all)."""

    unit: Unit | None = None
    group: Group | None = None
    scope: frozenset[int] | None = None
    # What is asked for each period of a report, and is the same in all of them.
    kept: dict[Any, Any] = field(default_factory=dict, compare=False)

    def placements(self, known_on: date | None) -> Placements:
        """Everybody's placements, as they were when the report began: whether they are still so is asked once."""
        if known_on not in self.kept:
            self.kept[known_on] = placements(known_on)
        found: Placements = self.kept[known_on]
        return found

    @property
    def is_everybody(self) -> bool:
        return self.unit is None and self.group is None and self.scope is None

    @cached_property
    def people(self) -> frozenset[int] | None:
        """Of whom rows count wherever they are placed; None: of everybody."""
        if self.group is None:
            return self.scope
        members = frozenset(members_of(self.group, clock.today()).values_list("pk", flat=True))
        return members if self.scope is None else members & self.scope


@dataclass(eq=False)
class Placed:
    """The rows of facts that a reach means, and the placements that their people had on the day."""

    facts: Facts
    row: NDArray[np.int64]
    placement: NDArray[np.int64]
    placements: Placements
    _nodes: dict[Any, NodesOverTime] = field(default_factory=dict)

    @classmethod
    def of(cls, facts: Facts, reach: Reach, *, needs_places: bool) -> Placed:
        """*needs_places*: whether anybody will ask where people were placed."""
        if reach.people is not None:
            facts = facts.picked((facts.person > 0) & is_one_of(facts.person, reach.people))
        every = reach.placements(facts.known_on)
        none = np.zeros(0, dtype=np.int64)
        if reach.unit is None and not needs_places:
            return cls(facts, none, none, every)
        row, placement = every.on_the_day(facts)
        if reach.unit is None:
            return cls(facts, row, placement, every)
        whole = cls(facts, row, placement, every)
        unit = reach.unit
        inside = whole.codes_of(
            "unit",
            ("below", unit.pk),
            lambda tree: dict.fromkeys(tree.below(unit.pk), 1) if unit.pk in tree.parent else {unit.pk: 1},
        )
        keep = inside == 1
        kept, new = np.unique(row[keep], return_inverse=True)
        return cls(facts.picked(kept), new, placement[keep], every)

    def codes_of(self, kind: str, what: Any, codes_on: Callable[[Tree], Mapping[int, int]]) -> NDArray[np.int64]:
        """For each pair of row and placement the code that its unit, or position, has on the row's day."""
        nodes = self.placements.unit if kind == "unit" else self.placements.position
        days = self.facts.day[self.row]
        if (kind, what) not in self._nodes:
            chart = unit_chart(self.facts.known_on) if kind == "unit" else position_chart(self.facts.known_on)
            most = int(nodes.max(initial=0))
            self._nodes[kind, what] = nodes_over_time(chart, days, most, codes_on)
        return self._nodes[kind, what].at(days, nodes[self.placement])

    def groups(self, kind: str, what: Any, codes_on: Callable[[Tree], Mapping[int, int]]) -> Groups:
        """In which units, or positions, each row is."""
        return Groups.of_pairs(self.row, self.codes_of(kind, what, codes_on), len(self.facts))

    def units_at(self, level: int, chart: Chart | None) -> Groups:
        """In which units of a level of a chart each row is; whoever is placed above it counts in their own. 0: each in their own."""
        in_chart = set(Unit.objects.filter(chart=chart).values_list("pk", flat=True)) if chart else set()
        return self.groups("unit", ("at", level), lambda tree: _at_level(tree, level, in_chart))

    def positions(self) -> Groups:
        """At which position each row's person was."""
        in_chart = set(Position.objects.values_list("pk", flat=True))
        return self.groups("position", "own", lambda tree: {node: node for node in tree.parent if node in in_chart})


def _at_level(tree: Tree, level: int, in_chart: set[int]) -> dict[int, int]:
    found: dict[int, int] = {}
    for node, deep in tree.walk():
        if node in in_chart:
            found[node] = node if not level or deep < level else found[tree.parent[node] or node]
    return found
