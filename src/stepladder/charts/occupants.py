"""Who is placed at the nodes of charts: asked of the app that knows it, which hands it in."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterable
from datetime import date
from typing import Protocol

from stepladder.charts.models import Chart

__all__ = ["Occupants", "occupants", "register"]


class Occupants(Protocol):
    """Who is placed where, by what is known now. *kind* is "unit" or "position", nodes and people are given by key."""

    def ever_at(self, kind: str, nodes: Collection[int]) -> list[int]:
        """Whoever was, is or will be placed at one of these nodes."""

    def after(self, kind: str, node: int, last: date) -> int:
        """How many people are placed at the node on a day after *last*."""

    def on(self, chart: Chart, day: date, *, units: Collection[int] | None = None) -> Iterable[tuple[int, int]]:
        """(node, person) of every placement of a day at a node of the chart; of those in *units* only, where they are given."""

    def state(self) -> Hashable:
        """What tells two states of all this apart."""


class _Nobody:
    """Charts without an app that places people in them."""

    def ever_at(self, kind: str, nodes: Collection[int]) -> list[int]:
        return []

    def after(self, kind: str, node: int, last: date) -> int:
        return 0

    def on(self, chart: Chart, day: date, *, units: Collection[int] | None = None) -> Iterable[tuple[int, int]]:
        return ()

    def state(self) -> Hashable:
        return None


_handed_in: list[Occupants] = [_Nobody()]


def register(knows: Occupants) -> None:
    """Hand in who knows where people are placed."""
    _handed_in[:] = [knows]


def occupants() -> Occupants:
    """Who knows where people are placed."""
    return _handed_in[0]
