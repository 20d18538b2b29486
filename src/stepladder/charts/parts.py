"""The part of the chart that a unit administrator has."""

from __future__ import annotations

from typing import Any

from django.db.models import Q

from stepladder.accounts import policy
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import AdministeredPart, Unit

__all__ = ["NOT_IN_PART", "part_of", "register"]

NOT_IN_PART = "This is outside the part that you administer."


def part_of(account: Any) -> frozenset[int]:
    """The units that an account administers today, with all below them; looked up once for each loaded account."""
    if not hasattr(account, "_part"):
        administered = AdministeredPart.objects.filter(account=account.pk).values_list("unit_id", flat=True)
        tree = units_tree()
        found = [tree.below(unit) if unit in tree.parent else {unit} for unit in administered]
        account._part = frozenset().union(*found)
    part: frozenset[int] = account._part
    return part


def register() -> None:
    """Units are in the part of whoever administers them."""
    policy.relation(
        Unit,
        policy.PART,
        holds=lambda account, unit: unit.pk in part_of(account),
        rows=lambda account: Q(pk__in=part_of(account)),
        refusal=NOT_IN_PART,
    )
