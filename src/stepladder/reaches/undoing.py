"""What follows when another meaning of a group is taken back."""

from __future__ import annotations

from stepladder import events
from stepladder.facts import Fact
from stepladder.journal import undoing
from stepladder.reaches.models import GroupRule

__all__ = ["register"]


def _group_means(rows: list[Fact], act: events.Act) -> None:
    for group in sorted({row.group_id for row in rows if isinstance(row, GroupRule)}):
        events.announce(events.GroupChanged(group), act)


def register() -> None:
    """What groups mean, and the verb that writes it."""
    undoing.add_table(GroupRule, describe=lambda row: f"{row.group}: whom it means", after=_group_means)
    undoing.add_verbs("change groups", "change_group")
