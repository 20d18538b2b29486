"""Facts of people that say the same thing twice, or two things at once: for `ladder verify`."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from itertools import pairwise
from typing import Any

from stepladder.core.charts import ChartError
from stepladder.people.models import Lead, Placement, Position, Unit
from stepladder.people.queries.dated_charts import dated_chart
from stepladder.web.templatetags.web import day

__all__ = ["doubles"]


def doubles() -> Iterator[str]:
    """A sentence for each; the database's own constraints hold what they can."""
    yield from _placements()
    yield from _leads()
    for kind, name in ((Unit, "units"), (Position, "positions")):
        try:
            dated_chart(kind).check()
        except ChartError as error:
            yield f"The chart of {name} is no tree: {error}"


def _placements() -> Iterator[str]:
    known = Placement.objects.known_now().select_related("person", "unit")
    rows = sorted(known, key=lambda row: (row.person_id, row.unit_id, row.position_id or 0, row.from_day))
    for one, other in pairwise(rows):
        same = (one.person_id, one.unit_id, one.position_id) == (other.person_id, other.unit_id, other.position_id)
        if same and other.from_day <= (one.to_day or date.max):
            yield f"{one.person.name} is placed twice in {one.unit} on {day(other.from_day)}."


def _leads() -> Iterator[str]:
    seen: dict[Any, Lead] = {}
    for row in Lead.objects.known_now().select_related("holder_position", "holder_person").order_by("from_day", "pk"):
        said = (row.holder_position_id, row.holder_person_id, row.field, row.unit_id, str(row.named), row.group_id)
        before = seen.get(said)
        if before is not None and row.from_day <= (before.to_day or date.max) and row.powers == before.powers:
            yield f"The lead {row} holds twice on {day(row.from_day)}."
        seen[said] = row
