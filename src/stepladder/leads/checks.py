"""Leads that say the same thing twice: for `ladder verify`."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from typing import Any

from stepladder.leads.models import Lead
from stepladder.web.templatetags.web import day

__all__ = ["led_twice"]


def led_twice() -> Iterator[str]:
    """A sentence for each; the database's own constraints hold what they can."""
    by_saying: dict[Any, Lead] = {}
    for row in Lead.objects.known_now().select_related("holder_position", "holder_person").order_by("from_day", "pk"):
        said = (row.holder_position_id, row.holder_person_id, row.field, row.unit_id, str(row.named), row.group_id)
        before = by_saying.get(said)
        if before is not None and row.from_day <= (before.to_day or date.max) and row.powers == before.powers:
            yield f"The lead {row} holds twice on {day(row.from_day)}."
        by_saying[said] = row
