"""Placements that say the same thing twice: for `ladder verify`."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from itertools import pairwise

from stepladder.people.models import Placement
from stepladder.web.templatetags.web import day

__all__ = ["placed_twice"]


def placed_twice() -> Iterator[str]:
    """A sentence for each; the database's own constraints hold what they can."""
    known = Placement.objects.known_now().select_related("person", "unit")
    rows = sorted(known, key=lambda row: (row.person_id, row.unit_id, row.position_id or 0, row.from_day))
    for one, other in pairwise(rows):
        same = (one.person_id, one.unit_id, one.position_id) == (other.person_id, other.unit_id, other.position_id)
        if same and other.from_day <= (one.to_day or date.max):
            yield f"{one.person.name} is placed twice in {one.unit} on {day(other.from_day)}."
