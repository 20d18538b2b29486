"""People's facts as they were known on any day, loaded once."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

from stepladder.charts.dated_charts import core_branch, stored_branches
from stepladder.charts.models import Position, Unit
from stepladder.core.charts import DatedChart
from stepladder.core.days import FOREVER, Span
from stepladder.core.reach import PersonFacts, Reach, World, courses_asked
from stepladder.core.reach import Placement as PlacementFact
from stepladder.people.models import Employment, FieldValue, Leave, Person, Placement
from stepladder.reaches.models import GroupRule
from stepladder.reaches.stored import parse

__all__ = ["PersonHistories", "PersonHistory", "WorldHistory", "load_histories"]

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
    fields: list[Dated] = field(default_factory=list)

    def changes(self) -> set[date]:
        """The days on which something about the person was recorded or revoked."""
        dated = [*self.employments, *self.placements, *self.leave, *self.fields]
        return {day for recorded, revoked, _ in dated for day in (recorded, revoked) if day}

    def facts(
        self,
        day: date,
        holds: Mapping[int, Sequence[Span]] | None = None,
        earned: Mapping[int, Sequence[Span]] | None = None,
    ) -> PersonFacts | None:
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
            earned=earned or {},
            fields=dict(_known(self.fields, day)),
        )

    def leave_on(self, day: date) -> list[Span]:
        return _known(self.leave, day)


def _known(dated: Iterable[Dated], day: date) -> list[Any]:
    return [fact for recorded, revoked, fact in dated if recorded <= day and (revoked is None or revoked > day)]


PersonHistories = dict[int, PersonHistory]


def load_histories(people: Iterable[int] | None = None) -> PersonHistories:
    """The histories of these people (None: of everybody), in few queries."""
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
    fill(FieldValue, "fields", ("field_id", "value"), lambda key, value: (str(key), value))
    fill(Leave, "leave", ("from_day", "to_day"), lambda first, last: Span(first, last or FOREVER))
    return found


class WorldHistory:
    """Charts and groups as they were known on any day, loaded once; equal between two changes."""

    def __init__(self) -> None:
        self._units = [(b.recorded_on, b.revoked_on, core_branch(b)) for b in stored_branches(Unit)]
        self._positions = [(b.recorded_on, b.revoked_on, core_branch(b)) for b in stored_branches(Position)]
        self._groups = [(r.recorded_on, r.revoked_on, (r.group_id, parse(r.reach))) for r in GroupRule.objects.all()]
        every = [*self._units, *self._positions, *self._groups]
        self._changes = sorted({day for recorded, revoked, _ in every for day in (recorded, revoked) if day})
        self._cache: dict[int, World] = {}

    def world_on(self, day: date) -> World:
        """The world as known on a day."""
        number = bisect_right(self._changes, day)
        if number not in self._cache:
            self._cache[number] = World(
                DatedChart(_known(self._units, day)),
                DatedChart(_known(self._positions, day)),
                dict(_known(self._groups, day)),
            )
        return self._cache[number]

    def asks_completions(self, reach: Reach) -> bool:
        """Whether the reach looks at completions, itself or by what a group ever meant."""
        if courses_asked(reach, {}):
            return True
        ever = [rule for _, _, (_, rule) in self._groups]
        return reach.asks_groups and any(courses_asked(rule, {}) for rule in ever)

    def changes_for(self, person: PersonHistory) -> set[date]:
        """The days on which what is known of a group, or of the charts above the person's placements, became something else."""
        placements = [fact for _, _, fact in person.placements]
        units = {p.unit for p in placements}
        positions = {p.position for p in placements if p.position is not None}
        return {day for day in self._changes if self._differs(day, units, positions)}

    def _differs(self, day: date, units: set[int], positions: set[int]) -> bool:
        before, after = self.world_on(day - timedelta(days=1)), self.world_on(day)
        return (
            before.groups != after.groups
            or any(before.units.under(unit) != after.units.under(unit) for unit in units)
            or any(before.units.sites(unit) != after.units.sites(unit) for unit in units)
            or any(before.positions.under(node) != after.positions.under(node) for node in positions)
        )
