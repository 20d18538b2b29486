"""Trees of units and of positions."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property

__all__ = ["ChartError", "Tree"]


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
            here: int | None = node
            while here is not None:
                if here in seen:
                    raise ChartError(f"Node {node} stands under itself.")
                if here not in self.parent:
                    raise ChartError(f"Node {node} stands under {here}, which is not in the chart.")
                seen.add(here)
                here = self.parent[here]

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
            here = waiting.pop()
            found.add(here)
            waiting.extend(self.children.get(here, ()))
        return frozenset(found)

    def upwards(self, node: int) -> Iterator[int]:
        """The node, then each node above it up to the top."""
        here: int | None = node
        while here is not None:
            yield here
            here = self.parent[here]

    def path(self, node: int) -> str:
        """The names from the top down: "Fleet › Dunlin"."""
        return " › ".join(self.name[step] for step in reversed(list(self.upwards(node))))

    def walk(self) -> Iterator[tuple[int, int]]:
        """Every node with its depth, parents before children, in the order of the chart."""
        waiting = [(node, 0) for node in reversed(self.children.get(None, []))]
        while waiting:
            node, depth = waiting.pop()
            yield node, depth
            waiting.extend((child, depth + 1) for child in reversed(self.children.get(node, [])))
