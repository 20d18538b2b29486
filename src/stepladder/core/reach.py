"""Who is meant: conditions over people and their placements. Rule: 3.

A condition is evaluated for everyone at once and for all days at once: it gives, for each *row* (a person's placement, or the
person alone), the days on which it holds. `all` cuts rows, `any` joins rows, `none` speaks of whole people. The set of
one day, and the explanation for one person, are read off the same spans, so they cannot disagree.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta
from decimal import Decimal
from typing import Any, Literal

from stepladder.core.charts import ALWAYS, DatedChart
from stepladder.core.days import FOREVER, Span, join_spans
from stepladder.core.skills import LevelNeeds, days_held

__all__ = [
    "AllOf",
    "AnyOf",
    "AtSite",
    "Condition",
    "FieldIs",
    "Finding",
    "GroupCircle",
    "Hired",
    "HoldsCompletion",
    "HoldsSkill",
    "InGroup",
    "InPosition",
    "InUnit",
    "NoneOf",
    "OfKind",
    "PersonFacts",
    "PlacedWithin",
    "Placement",
    "Reach",
    "ReachError",
    "World",
    "asks_skills",
    "check_groups",
    "courses_asked",
    "explain",
    "members_on",
    "membership",
    "placement_behind",
]


class ReachError(ValueError):
    """A reach that means nobody or everybody by mistake, or that refers to itself."""


class GroupCircle(ReachError):
    """A group that asks, through others or at once, who is in itself: the groups on the way, the first again last."""

    def __init__(self, groups: Sequence[int]) -> None:
        self.groups = tuple(groups)
        super().__init__("This group would ask who is in itself. Take the condition on the group out.")


@dataclass(frozen=True)
class Placement:
    """A person's place in a unit and at a position, over days."""

    unit: int
    position: int | None
    days: Span
    key: int = 0


@dataclass(frozen=True)
class PersonFacts:
    """What the conditions may ask about one person. *holds* gives a course's valid spans, whatever counts as it; *earned* those
    by completions of the course itself, which alone give credits (rule 4)."""

    key: int
    hired: date
    left: date | None = None
    placements: tuple[Placement, ...] = ()
    kind: str = "employee"
    holds: Mapping[int, Sequence[Span]] = field(default_factory=dict)
    fields: Mapping[str, str] = field(default_factory=dict)
    earned: Mapping[int, Sequence[Span]] = field(default_factory=dict)

    @property
    def active(self) -> Span | None:
        """From the day hired to the day left, both included; None where that is no day at all."""
        last = self.left if self.left is not None else FOREVER
        return Span(self.hired, last) if self.hired <= last else None


@dataclass(frozen=True)
class World:
    """The charts, with their sites, that conditions refer to, and what each group means."""

    units: DatedChart
    positions: DatedChart
    groups: Mapping[int, Reach] = field(default_factory=dict)


@dataclass(frozen=True)
class InUnit:
    unit: int
    below: bool = True


@dataclass(frozen=True)
class InPosition:
    position: int
    below: bool = False


@dataclass(frozen=True)
class AtSite:
    site: int


@dataclass(frozen=True)
class PlacedWithin:
    """The placement began within *days* days before the day asked about."""

    days: int


@dataclass(frozen=True)
class InGroup:
    group: int


@dataclass(frozen=True)
class OfKind:
    kind: str


@dataclass(frozen=True)
class Hired:
    """Hired strictly before or after a day, or within N days before the day asked about."""

    how: Literal["before", "after", "within"]
    day: date | None = None
    days: int = 0


@dataclass(frozen=True)
class HoldsCompletion:
    course: int


@dataclass(frozen=True)
class HoldsSkill:
    """A level of a skill, or one above it, which needs it: *needs* are those of the level and of all below, the lowest first."""

    level: int
    needs: tuple[LevelNeeds, ...] = ()


@dataclass(frozen=True)
class FieldIs:
    """A custom field compared, by its key; an empty field meets only "is empty". Numbers and days are ordered as such."""

    field: str
    how: Literal["is", "is not", "is empty", "at least", "at most"]
    value: str = ""
    kind: Literal["text", "number", "day", "choice"] = "text"


@dataclass(frozen=True)
class AllOf:
    parts: tuple[Condition, ...] = ()


@dataclass(frozen=True)
class AnyOf:
    parts: tuple[Condition, ...] = ()


@dataclass(frozen=True)
class NoneOf:
    parts: tuple[Condition, ...] = ()


OfPlacement = InUnit | InPosition | AtSite | PlacedWithin
OfPerson = OfKind | Hired | HoldsCompletion | HoldsSkill | FieldIs
Condition = OfPlacement | OfPerson | InGroup | AllOf | AnyOf | NoneOf

# Row 0 is the person alone: what holds of nobody's placement. The others are placements in their order.
Rows = list[list[Span]]


NO_GROUPS: Mapping[int, Reach] = {}


@dataclass(frozen=True)
class Reach:
    """A condition, named people added to the whole, named people taken off last. None: only the named."""

    condition: Condition | None
    named_in: frozenset[int] = frozenset()
    named_out: frozenset[int] = frozenset()

    @property
    def asks_groups(self) -> bool:
        """Whether a condition of it asks who is in a group."""
        return any(isinstance(part, InGroup) for part in _walk(self.condition))

    def check(self, *, own_courses: frozenset[int] = frozenset(), groups: Mapping[int, Reach] = NO_GROUPS) -> None:
        """Refuse an empty reach and one that asks, itself or by a group, for completions of the courses it is to assign."""
        if self.condition is None and not self.named_in:
            raise ReachError("This reach names nobody. Add a condition or name at least one person.")
        for part in _walk(self.condition):
            if isinstance(part, AnyOf) and not part.parts:
                raise ReachError("A group “any of” has nothing in it, so it means nobody. Add a condition to it.")
        if courses_asked(self, groups) & own_courses:
            raise ReachError("This reach asks who has completed the very course it assigns. Take that condition out.")


def courses_asked(reach: Reach, groups: Mapping[int, Reach]) -> frozenset[int]:
    """The courses whose completions a reach looks at, itself or by the groups it asks for."""
    found: set[int] = set()
    for part in _walk(reach.condition):
        if isinstance(part, HoldsCompletion):
            found.add(part.course)
        elif isinstance(part, HoldsSkill):
            found |= {course for needs in part.needs for course in needs.courses}
        elif isinstance(part, InGroup) and part.group in groups:
            found |= courses_asked(groups[part.group], groups)
    return frozenset(found)


def asks_skills(reach: Reach, groups: Mapping[int, Reach]) -> bool:
    """Whether a reach looks at levels of skills, itself or by the groups it asks for."""
    return any(
        isinstance(part, HoldsSkill)
        or (isinstance(part, InGroup) and part.group in groups and asks_skills(groups[part.group], groups))
        for part in _walk(reach.condition)
    )


def membership(reach: Reach, person: PersonFacts, world: World) -> list[Span]:
    """The days on which the person is in the reach, as few spans as possible; only days of being active."""
    active = person.active
    # Asked before who is named in: whoever is named both ways is out.
    if active is None or person.key in reach.named_out:
        return []
    if person.key in reach.named_in:
        return [active]
    if reach.condition is None:
        return []
    return _cut(_of_person(_rows(reach.condition, person, world)), [active])


def members_on(reach: Reach, people: Iterable[PersonFacts], world: World, *, day: date) -> set[int]:
    """The keys of the people in the reach on *day*."""
    return {p.key for p in people if any(day in span for span in membership(reach, p, world))}


def placement_behind(reach: Reach, person: PersonFacts, world: World, *, day: date) -> Placement | None:
    """The placement that brings the person in on *day*: of those that fit, the one that began last."""
    if reach.condition is None or person.key in reach.named_in:
        fitting = [p for p in person.placements if day in p.days]
    else:
        rows = _rows(reach.condition, person, world)
        fitting = [
            p
            for p, spans in zip(person.placements, rows[1:], strict=True)
            if day in p.days and any(day in s for s in spans)
        ]
    return max(fitting, key=lambda p: p.days.first, default=None)


@dataclass(frozen=True)
class Finding:
    """One condition and whether it holds for the person on the day; groups carry the findings of their parts."""

    condition: Condition | Literal["named in", "named out", "inactive"]
    holds: bool
    parts: tuple[Finding, ...] = ()


def explain(reach: Reach, person: PersonFacts, world: World, *, day: date) -> Finding:
    """Why the person is in the reach on *day*, or is not."""
    active = person.active
    if active is None or day not in active:
        return Finding("inactive", False)
    if person.key in reach.named_out:
        return Finding("named out", False)
    if person.key in reach.named_in:
        return Finding("named in", True)
    if reach.condition is None:
        return Finding("named in", False)
    return _explain(reach.condition, person, world, day)


def _explain(condition: Condition, person: PersonFacts, world: World, day: date) -> Finding:
    holds = any(day in span for span in _of_person(_rows(condition, person, world)))
    parts: tuple[Finding, ...] = ()
    if isinstance(condition, AllOf | AnyOf | NoneOf):
        parts = tuple(_explain(part, person, world, day) for part in condition.parts)
    return Finding(condition, holds, parts)


def _walk(condition: Condition | None) -> Iterable[Condition]:
    if condition is None:
        return
    yield condition
    if isinstance(condition, AllOf | AnyOf | NoneOf):
        for part in condition.parts:
            yield from _walk(part)


def _rows(condition: Condition, person: PersonFacts, world: World) -> Rows:
    count = len(person.placements) + 1
    if isinstance(condition, AllOf):
        # Placement by placement: what is asked of a unit and of a position has to be met by one and the same.
        rows: Rows = [[ALWAYS] for _ in range(count)]
        for part in condition.parts:
            rows = [_cut(a, b) for a, b in zip(rows, _rows(part, person, world), strict=True)]
        return rows
    if isinstance(condition, AnyOf):
        rows = [[] for _ in range(count)]
        for part in condition.parts:
            rows = [join_spans([*a, *b]) for a, b in zip(rows, _rows(part, person, world), strict=True)]
        return rows
    if isinstance(condition, NoneOf):
        met: list[Span] = []
        for part in condition.parts:
            met += _of_person(_rows(part, person, world))
        # By no placement of theirs, so it is the same for each.
        return [_without(join_spans(met))] * count
    if isinstance(condition, InUnit | InPosition | AtSite | PlacedWithin):
        # The person alone is in no unit and at no position.
        return [[]] + [_of_placement(condition, p, world) for p in person.placements]
    if isinstance(condition, InGroup):
        # Which placement brings somebody into the group is the matter of the group.
        return [_of_group(condition.group, person, world)] * count
    return [_of_facts(condition, person)] * count


def _of_group(group: int, person: PersonFacts, world: World) -> list[Span]:
    """The days on which the person is in a group; a group that is gone means nobody."""
    reach = world.groups.get(group)
    if reach is None or person.key in reach.named_out:
        return []
    if person.key in reach.named_in:
        return [ALWAYS]
    return _of_person(_rows(reach.condition, person, world)) if reach.condition is not None else []


def check_groups(groups: Mapping[int, Reach]) -> None:
    """Raises GroupCircle if a group asks who is in itself."""

    def look(group: int, way: tuple[int, ...]) -> None:
        if group in way:
            raise GroupCircle((*way[way.index(group) :], group))
        reach = groups.get(group)
        for part in _walk(reach.condition) if reach else ():
            if isinstance(part, InGroup):
                look(part.group, (*way, group))

    for group in groups:
        look(group, ())


def _of_placement(condition: OfPlacement, placement: Placement, world: World) -> list[Span]:
    if isinstance(condition, PlacedWithin):
        near = Span(placement.days.first, placement.days.first + timedelta(days=condition.days))
        return _cut([placement.days], [near])
    if isinstance(condition, AtSite):
        return _cut(
            [placement.days], [span for span, site in world.units.sites(placement.unit) if site == condition.site]
        )
    chart, wanted, node = (
        (world.units, condition.unit, placement.unit)
        if isinstance(condition, InUnit)
        else (world.positions, condition.position, placement.position)
    )
    if node is None or not (condition.below or node == wanted):
        return []
    return _cut([placement.days], chart.under(node).get(wanted, ()))


def _of_facts(condition: OfPerson, person: PersonFacts) -> list[Span]:
    if isinstance(condition, HoldsCompletion):
        return join_spans(person.holds.get(condition.course, ()))
    if isinstance(condition, HoldsSkill):
        return days_held(condition.needs, person.earned)
    if isinstance(condition, Hired):
        if condition.how == "within":
            return [Span(person.hired, person.hired + timedelta(days=condition.days))]
        assert condition.day is not None
        met = person.hired < condition.day if condition.how == "before" else person.hired > condition.day
    elif isinstance(condition, OfKind):
        met = person.kind == condition.kind
    else:
        met = _field_met(condition, person.fields.get(condition.field, ""))
    return [ALWAYS] if met else []


def _field_met(condition: FieldIs, value: str) -> bool:
    if condition.how == "is empty" or value == "":
        return condition.how == "is empty" and value == ""
    of_person, asked = _comparable(condition.kind, value), _comparable(condition.kind, condition.value)
    if condition.how in ("is", "is not"):
        return bool(of_person == asked) == (condition.how == "is")
    return bool(of_person >= asked if condition.how == "at least" else of_person <= asked)


def _comparable(kind: str, value: str) -> Any:
    """A value as its kind is compared: numbers exactly, days in order, text without regard to case."""
    if kind == "number":
        return Decimal(value)
    return value.strip().casefold() if kind == "text" else value


def _of_person(rows: Rows) -> list[Span]:
    return join_spans(span for row in rows for span in row)


def _cut(a: Sequence[Span], b: Sequence[Span]) -> list[Span]:
    return join_spans(part for x in a for y in b if (part := x.cut(y)) is not None)


def _without(spans: Sequence[Span]) -> list[Span]:
    free, start = [], date.min
    for span in spans:
        if start < span.first:
            free.append(Span(start, span.first - timedelta(days=1)))
        # The day after it is no date.
        if span.last == FOREVER:
            return free
        start = span.last + timedelta(days=1)
    free.append(Span(start, FOREVER))
    return free
