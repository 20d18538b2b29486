"""Facts of people that an act ends and begins, gathered so that each table is written at once."""

from __future__ import annotations

from datetime import date
from typing import Any

from stepladder.facts import Fact, insert_facts, revoke_many
from stepladder.people.models import Employment, FieldValue, Placement

__all__ = ["Changes"]


class Changes:
    """What is revoked, by key, and what is recorded, column → value; nothing is written before `write`."""

    def __init__(self) -> None:
        self._gone: dict[type[Fact], set[int]] = {Employment: set(), Placement: set(), FieldValue: set()}
        self._made: dict[type[Fact], list[dict[str, Any]]] = {Employment: [], Placement: [], FieldValue: []}

    def revoke(self, model: type[Fact], key: int) -> None:
        self._gone[model].add(key)

    def employ(self, person: int, hired: date, left: date | None) -> None:
        self._made[Employment].append({"person_id": person, "hired_on": hired, "left_on": left})

    def place(self, person: int, unit: int, position: int | None, first: date, last: date | None) -> None:
        self._made[Placement].append(
            {"person_id": person, "unit_id": unit, "position_id": position, "from_day": first, "to_day": last}
        )

    def end(self, placement: Placement, last: date) -> None:
        """The same placement with a last day: facts do not change, so it is another."""
        self.revoke(Placement, placement.pk)
        self.place(placement.person_id, placement.unit_id, placement.position_id, placement.from_day, last)

    def say(self, person: int, field: int, value: str) -> None:
        self._made[FieldValue].append({"person_id": person, "field_id": field, "value": value})

    def write(self) -> tuple[list[Fact], list[tuple[str, int, str]]]:
        """What was revoked, and what was written, as the journal takes them."""
        revoked = [row for model, keys in self._gone.items() for row in revoke_many(model, keys)]
        return revoked, [one for model, rows in self._made.items() for one in insert_facts(model, rows)]
