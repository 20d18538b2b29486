"""What stands against taking back acts on charts, and what follows when they were."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from stepladder import events
from stepladder.charts.models import BEGINNING, PositionBranch, UnitBranch
from stepladder.charts.occupants import occupants
from stepladder.charts.queries import nodes_below_ever
from stepladder.facts import Fact
from stepladder.journal import undoing
from stepladder.web.templatetags.web import day

__all__ = ["days_in_words", "register"]


def _hangs_there(column: str) -> Callable[[list[Fact]], list[str]]:
    """Nodes that would be gone though people are placed there, or others hang below."""

    def reasons(rows: list[Fact]) -> list[str]:
        branches: Any = rows
        revoked_now = {row.node_id for row in branches if row.is_revoked}
        found = []
        for row in branches:
            if row.is_revoked or row.node_id in revoked_now or (row.from_day > BEGINNING and _others(row)):
                continue
            placed = occupants().ever_at(column, [row.node_id])
            below = type(row)._default_manager.known_now().filter(parent=row.node_id).exists()
            if placed or below:
                what = "people are placed there" if placed else "others hang below it"
                found.append(f"{row.name} is in use: {what}.")
        return found

    return reasons


def _others(row: Any) -> bool:
    return bool(type(row)._default_manager.known_now().filter(node=row.node_id).exclude(pk=row.pk).exists())


def _rehung(column: str) -> Callable[[list[Fact], events.Act], None]:
    def after(rows: list[Fact], act: events.Act) -> None:
        branches: Any = rows
        people = occupants().ever_at(column, nodes_below_ever(column, {row.node_id for row in branches}))
        if people:
            events.announce(events.ChartChanged(tuple(people)), act)

    return after


def days_in_words(row: Any) -> str:
    """Of a row with first and last day: "from 1 Feb 2026 to 3 Mar 2026"."""
    first = "the beginning" if row.from_day == BEGINNING else day(row.from_day)
    return f"from {first}" + (f" to {day(row.to_day)}" if row.to_day else "")


def _branch(row: Any) -> str:
    return f"{row.name}: below {row.parent.name if row.parent else 'nothing'}, {days_in_words(row)}"


def register() -> None:
    """Branches, and the verbs that write them."""
    branches: list[tuple[str, type[Fact]]] = [("unit", UnitBranch), ("position", PositionBranch)]
    for column, branch in branches:
        undoing.add_table(branch, describe=_branch, depends=_hangs_there(column), after=_rehung(column))
    undoing.add_verbs("change charts", "add_node", "add_nodes", "move_node", "rename_node", "change_site", "close_node")
