"""Trees of units and of positions, on one day and over time. Rule: 2."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import cached_property

from stepladder.core.days import FOREVER, Span, join_spans

__all__ = ["ALWAYS", "Branch", "ChartError", "DatedChart", "Tree"]

ALWAYS = Span(date.min, FOREVER)
# How many days' trees a chart keeps at most: one lives as long as a server does, and is asked for any day.
MOST_TREES = 100


class ChartError(ValueError):
    """A chart whose nodes stand under themselves or under a node that is not there."""


@dataclass(frozen=True)
class Tree:
    """A chart as node → parent (None for a top node). Several charts may share one Tree: ids are unique."""

    parent: Mapping[int, int | None]
    name: Mapping[int, str] = field(default_factory=dict)

    def __post_init__(self) -> None:
        for node in self.parent:
            seen: set[int] = set()
            above: int | None = node
            while above is not None:
                if above in seen:
                    raise ChartError(f"Node {node} stands under itself.")
                if above not in self.parent:
                    raise ChartError(f"Node {node} stands under {above}, which is not in the chart.")
                seen.add(above)
                above = self.parent[above]

    @cached_property
    def children(self) -> dict[int | None, list[int]]:
        """Parent → its nodes in the order of the chart."""
        found: dict[int | None, list[int]] = {}
        for node, parent in self.parent.items():
            found.setdefault(parent, []).append(node)
        return found

    def below(self, node: int) -> frozenset[int]:
        """The node itself and all nodes below it."""
        found, waiting = set(), [node]
        while waiting:
            node_below = waiting.pop()
            found.add(node_below)
            waiting.extend(self.children.get(node_below, ()))
        return frozenset(found)

    def upwards(self, node: int) -> Iterator[int]:
        """The node, then each node above it up to the top."""
        above: int | None = node
        while above is not None:
            yield above
            above = self.parent[above]

    def path(self, node: int) -> str:
        """The names from the top down: "Fleet › Dunlin"."""
        return " › ".join(self.name[step] for step in reversed(list(self.upwards(node))))

    def walk(self) -> Iterator[tuple[int, int]]:
        """Every node with its depth, parents before children, in the order of the chart."""
        # What is put in last is taken out first, so children are put in from the last to the first.
        waiting = [(node, 0) for node in reversed(self.children.get(None, []))]
        while waiting:
            node, depth = waiting.pop()
            yield node, depth
            waiting.extend((child, depth + 1) for child in reversed(self.children.get(node, [])))


@dataclass(frozen=True)
class Branch:
    """Where a node hangs over some days: under *parent* (None: at the top), by what name, at which site of its own."""

    node: int
    parent: int | None
    days: Span = ALWAYS
    name: str = ""
    site: int | None = None


class DatedChart:
    """Charts as they change: each node's branches, in the order of the chart. Several charts may share one."""

    def __init__(self, branches: Iterable[Branch]) -> None:
        self._of: dict[int, list[Branch]] = {}
        for branch in branches:
            self._of.setdefault(branch.node, []).append(branch)
        # What was answered before: whole, never changed after, so that threads may share a chart.
        self._under: dict[int, Mapping[int, Sequence[Span]]] = {}
        self._trees: dict[date, Tree] = {}

    @classmethod
    def always(cls, tree: Tree, sites: Mapping[int, int] | None = None) -> DatedChart:
        """A chart that never changes."""
        names, at = tree.name, sites or {}
        return cls(Branch(node, up, ALWAYS, names.get(node, ""), at.get(node)) for node, up in tree.parent.items())

    def branches(self, node: int) -> Sequence[Branch]:
        """The node's branches, in the order they were given."""
        return self._of.get(node, ())

    def days_of_change(self) -> list[date]:
        """The first days of trees that differ from the day before, the first tree's included."""
        starts = {branch.days.first for branches in self._of.values() for branch in branches}
        ends = {
            date.fromordinal(branch.days.last.toordinal() + 1)
            for branches in self._of.values()
            for branch in branches
            if branch.days.last != FOREVER
        }
        return sorted(starts | ends)

    def on(self, day: date) -> Tree:
        """The tree of a day. Raises ChartError where it is none."""
        tree = self._trees.get(day)
        if tree is None:
            of_day = [branch for branches in self._of.values() for branch in branches if day in branch.days]
            tree = Tree({b.node: b.parent for b in of_day}, {b.node: b.name for b in of_day})
            # Another dictionary, not an emptied one: a thread that reads the old one goes on reading it.
            if len(self._trees) >= MOST_TREES:
                self._trees = {}
            self._trees[day] = tree
        return tree

    def check(self) -> None:
        """Raises ChartError if a node stands under itself, or under nothing, or at two places, on any day."""
        for node, branches in self._of.items():
            for first, second in zip(spans := sorted(b.days for b in branches), spans[1:], strict=False):
                if first.last >= second.first:
                    raise ChartError(f"Node {node} stands at two places on {second.first}.")
        for day in self.days_of_change():
            self.on(day)

    def under(self, node: int) -> Mapping[int, Sequence[Span]]:
        """Every node at or above this one, with the days on which it is. A node is always at itself."""
        if node not in self._under:
            found: dict[int, list[Span]] = {}
            for branch, days in self._upwards(node):
                if branch.parent is not None:
                    found.setdefault(branch.parent, []).append(days)
            self._under[node] = {node: (ALWAYS,), **{above: join_spans(spans) for above, spans in found.items()}}
        return self._under[node]

    def sites(self, node: int) -> list[tuple[Span, int]]:
        """The node's site, or that of the nearest node above that has one, with the days on which it is."""
        climb = self._upwards(node, stop=lambda branch: branch.site is not None)
        return sorted((days, branch.site) for branch, days in climb if branch.site is not None)

    def _upwards(self, node: int, stop: Callable[[Branch], bool] = lambda _: False) -> Iterator[tuple[Branch, Span]]:
        """The node's branches, then those of what it hangs under, each with the days on which that is the way up.

        The days narrow on the way: two nodes may change places, each above the other on days of its own. Raises ChartError
        where a node stands under itself on a day.
        """
        waiting = [(node, ALWAYS, frozenset({node}))]
        while waiting:
            at, days, passed = waiting.pop()
            for branch in self._of.get(at, ()):
                part = branch.days.cut(days)
                if part is None:
                    continue
                yield branch, part
                if branch.parent is None or stop(branch):
                    continue
                if branch.parent in passed:
                    raise ChartError(f"Node {branch.parent} stands under itself on {part.first}.")
                waiting.append((branch.parent, part, passed | {branch.parent}))

    def name(self, node: int, day: date) -> str:
        """What the node is called on a day; outside its days, what it was called last."""
        branches = self._of.get(node, [])
        named = [b for b in branches if day in b.days] or branches[-1:]
        return named[0].name if named else ""

    def path(self, node: int, day: date) -> str:
        """The names from the top down on a day: "Fleet › Dunlin"."""
        tree = self.on(day)
        return tree.path(node) if node in tree.parent else self.name(node, day)
