"""People's facts as they were known on any day, loaded once."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from stepladder.core.days import FOREVER, Span
from stepladder.core.reach import PersonFacts
from stepladder.core.reach import Placement as PlacementFact
from stepladder.people.models import Employment, Leave, Person, Placement

__all__ = ["KnownPeople", "PersonHistory", "load_known"]

# (recorded, revoked or None, the fact)
Dated = tuple[date, date | None, Any]


@dataclass
class PersonHistory:
    """Everything ever recorded of one person that reaches and due days look at."""

    key: int
    kind: str
    employments: list[Dated] = field(default_factory=list)
    placements: list[Dated] = field(default_factory=list)
    leave: list[Dated] = field(default_factory=list)

    def changes(self) -> set[date]:
        """The days on which something about the person was recorded or revoked."""
        dated = [*self.employments, *self.placements, *self.leave]
        return {day for recorded, revoked, _ in dated for day in (recorded, revoked) if day}

    def facts(self, day: date, holds: Mapping[int, Sequence[Span]] | None = None) -> PersonFacts | None:
        """The person as known on *day*; None while nobody knew of them."""
        employed = _known(self.employments, day)
        if not employed:
            return None
        hired, left = employed[-1]
        return PersonFacts(
            key=self.key,
            hired=hired,
            left=left,
            placements=tuple(_known(self.placements, day)),
            kind=self.kind,
            holds=holds or {},
        )

    def leave_known(self, day: date) -> list[Span]:
        return _known(self.leave, day)


def _known(dated: Iterable[Dated], day: date) -> list[Any]:
    return [fact for recorded, revoked, fact in dated if recorded <= day and (revoked is None or revoked > day)]


KnownPeople = dict[int, PersonHistory]


def load_known(people: Iterable[int] | None = None) -> KnownPeople:
    """The histories of these people (None: of everybody), in four queries."""
    keys = None if people is None else sorted(set(people))

    def of(rows: Any, column: str = "person_id") -> Any:
        return rows if keys is None else rows.filter(**{f"{column}__in": keys})

    found = {
        pk: PersonHistory(pk, kind)
        for pk, kind in of(Person.objects.all(), "pk").order_by("pk").values_list("pk", "kind")
    }

    def fill(model: Any, name: str, columns: Sequence[str], make: Callable[..., Any]) -> None:
        rows = of(model.objects.all()).order_by("pk").values_list("person_id", "recorded_on", "revoked_on", *columns)
        for person, recorded, revoked, *values in rows:
            getattr(found[person], name).append((recorded, revoked, make(*values)))

    fill(Employment, "employments", ("hired_on", "left_on"), lambda hired, left: (hired, left))
    fill(
        Placement,
        "placements",
        ("unit_id", "position_id", "from_day", "to_day", "pk"),
        lambda unit, position, first, last, pk: PlacementFact(unit, position, Span(first, last or FOREVER), pk),
    )
    fill(Leave, "leave", ("from_day", "to_day"), lambda first, last: Span(first, last or FOREVER))
    return found
