"""Reaches as they are stored, with the facts that the core evaluates them on, and how they read.

A stored reach is plain JSON: `{"in": condition, "named_in": [...], "named_out": [...]}`, people and nodes by key.
Conditions on what apps nearer the roof know (valid completions) get their facts handed in by `add_holdings`.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from datetime import date
from typing import Any

from stepladder import clock
from stepladder.charts.dated_charts import position_chart, unit_chart
from stepladder.core import reach as core
from stepladder.core.days import FOREVER, Span
from stepladder.core.skills import LevelNeeds
from stepladder.people.models import Employment, FieldValue, Leave, Person, PersonField, Placement
from stepladder.reaches.models import Group, GroupRule

__all__ = [
    "Holdings",
    "add_holdings",
    "field_names",
    "group_names",
    "leave_of",
    "load_people",
    "load_world",
    "parse",
    "sentence",
    "skill_levels",
    "take_skills",
]

Holdings = Callable[[Sequence[int] | None, date, Collection[int]], Mapping[int, Mapping[int, Sequence[Span]]]]
_holdings: list[Holdings] = []
_earnings: list[Holdings] = []
# Level → what it and all below it need, the lowest first, and what it is called; None where it is gone.
Skills = Callable[[int], tuple[tuple[LevelNeeds, ...], str] | None]
_skills: list[Skills] = []


def add_holdings(held: Holdings, earned: Holdings) -> None:
    """Hand in who holds valid completions when: (people or None for all, known on, courses) → person → course → spans.

    *held* by whatever counts as the course, *earned* by completions of the course itself.
    """
    _holdings.append(held)
    _earnings.append(earned)


# Every level with what it is called.
Levels = Callable[[], list[tuple[int, str]]]
_levels: list[Levels] = []


def take_skills(skills: Skills, levels: Levels) -> None:
    """Hand in what levels of skills need, and which there are."""
    _skills[:], _levels[:] = [skills], [levels]


def skill_levels() -> list[tuple[int, str]]:
    """Every level of a skill, by key, with what it is called."""
    return _levels[0]() if _levels else []


def _level(key: int) -> tuple[tuple[LevelNeeds, ...], str] | None:
    return _skills[0](key) if _skills else None


def parse(stored: Mapping[str, Any]) -> core.Reach:
    """The reach that stored JSON means."""
    condition = _condition(stored["in"]) if stored.get("in") else None
    return core.Reach(condition, frozenset(stored.get("named_in", ())), frozenset(stored.get("named_out", ())))


def _condition(stored: Mapping[str, Any]) -> core.Condition:
    kind = stored["kind"]
    if kind in ("all", "any", "none"):
        parts = tuple(_condition(part) for part in stored["parts"])
        return core.AllOf(parts) if kind == "all" else core.AnyOf(parts) if kind == "any" else core.NoneOf(parts)
    if kind == "unit":
        return core.InUnit(stored["unit"], stored.get("below", True))
    if kind == "position":
        return core.InPosition(stored["position"], stored.get("below", False))
    if kind == "site":
        return core.AtSite(stored["site"])
    if kind == "hired within":
        return core.Hired("within", days=stored["days"])
    if kind == "placed within":
        return core.PlacedWithin(stored["days"])
    if kind == "employment":
        return core.OfKind(stored["value"])
    if kind == "group":
        return core.InGroup(stored["group"])
    if kind == "field":
        return core.FieldIs(stored["field"], stored["how"], stored.get("value", ""), stored["of"])
    if kind == "holds":
        return core.HoldsCompletion(stored["course"])
    if kind == "skill":
        found = _level(stored["level"])
        # A level that is gone is held by nobody.
        return core.HoldsSkill(stored["level"], found[0]) if found else core.AnyOf(())
    raise core.ReachError(f"A condition of the kind “{kind}” is not known.")


def load_world(known_on: date | None = None) -> core.World:
    """The charts with their sites, and what each group means, as known on a day (None: now)."""
    rules = GroupRule.objects.known_on(known_on) if known_on else GroupRule.objects.known_now()
    groups = {group: parse(reach) for group, reach in rules.values_list("group_id", "reach")}
    return core.World(unit_chart(known_on), position_chart(known_on), groups)


def load_people(
    *, reaches: Iterable[core.Reach], world: core.World, people: Iterable[int] | None = None, known_on: date
) -> list[core.PersonFacts]:
    """What these reaches may ask of people (None: of everybody), as known on a day, in few queries."""
    # In order, so that the same people make the same statement, which the database has at hand.
    keys = None if people is None else sorted(set(people))

    def of(rows: Any, column: str = "person_id") -> Any:
        return rows if keys is None else rows.filter(**{f"{column}__in": keys})

    placements: dict[int, list[core.Placement]] = {}
    for pk, person, unit, position, first, last in (
        of(Placement.objects.known_on(known_on))
        .order_by("from_day", "pk")
        .values_list("pk", "person_id", "unit_id", "position_id", "from_day", "to_day")
    ):
        placements.setdefault(person, []).append(core.Placement(unit, position, Span(first, last or FOREVER), pk))
    employed = {
        person: (hired, left)
        for person, hired, left in of(Employment.objects.known_on(known_on)).values_list(
            "person_id", "hired_on", "left_on"
        )
    }
    fields: dict[int, dict[str, str]] = {}
    for person, field, value in of(FieldValue.objects.known_on(known_on)).values_list("person_id", "field_id", "value"):
        fields.setdefault(person, {})[str(field)] = value
    # Completions are by far the most rows, and few reaches look at them: only those of the courses asked for are read.
    asked = frozenset[int]().union(*(core.courses_asked(reach, world.groups) for reach in reaches))
    holds: dict[int, dict[int, Sequence[Span]]] = {}
    for load in _holdings if asked else ():
        for person, courses in load(keys, known_on, asked).items():
            holds.setdefault(person, {}).update(courses)
    earned: dict[int, dict[int, Sequence[Span]]] = {}
    for load in _earnings if any(core.asks_skills(reach, world.groups) for reach in reaches) else ():
        for person, courses in load(keys, known_on, asked).items():
            earned.setdefault(person, {}).update(courses)
    return [
        core.PersonFacts(
            key=pk,
            hired=employed[pk][0],
            left=employed[pk][1],
            placements=tuple(placements.get(pk, ())),
            kind=kind,
            holds=holds.get(pk, {}),
            fields=fields.get(pk, {}),
            earned=earned.get(pk, {}),
        )
        for pk, kind in of(Person.objects, "pk").order_by("pk").values_list("pk", "kind")
        if pk in employed
    ]


def leave_of(people: Iterable[int] | None, *, known_on: date) -> dict[int, list[Span]]:
    """Person → leave, as known on a day."""
    rows = Leave.objects.known_on(known_on)
    if people is not None:
        rows = rows.filter(person_id__in=sorted(set(people)))
    found: dict[int, list[Span]] = {}
    for person, first, last in rows.values_list("person_id", "from_day", "to_day"):
        found.setdefault(person, []).append(Span(first, last or FOREVER))
    return found


def field_names() -> dict[str, str]:
    """The key of a custom field → its name."""
    return {str(key): name for key, name in PersonField.objects.values_list("pk", "name")}


def group_names() -> dict[int, str]:
    """Group → its name."""
    return dict(Group.objects.values_list("pk", "name"))


def sentence(
    condition: core.Condition, world: core.World, *, courses: Mapping[int, str], groups: Mapping[int, str] | None = None
) -> str:
    """A condition as one reads it: "in Fleet › Dunlin; Deckhand; hired within 90 days"."""
    # Handed down to the parts: each would read all names again.
    names = groups if groups is not None else group_names() if world.groups else {}
    if isinstance(condition, core.AllOf | core.AnyOf | core.NoneOf):
        word = {core.AllOf: "; ", core.AnyOf: " or ", core.NoneOf: " or "}[type(condition)]
        # One part joined with nothing is that part; of none of them the "not" has to stay.
        if len(condition.parts) == 1 and not isinstance(condition, core.NoneOf):
            return sentence(condition.parts[0], world, courses=courses, groups=names)
        inner = word.join(_bracketed(part, world, courses, names) for part in condition.parts)
        if isinstance(condition, core.NoneOf):
            return f"not {inner}" if inner else "everyone"
        return inner or ("everyone" if isinstance(condition, core.AllOf) else "nobody")
    if isinstance(condition, core.InUnit):
        only = "" if condition.below else " itself"
        return f"in {world.units.path(condition.unit, clock.today())}{only}"
    if isinstance(condition, core.InPosition):
        name = world.positions.name(condition.position, clock.today())
        return f"{name} or below" if condition.below else name
    if isinstance(condition, core.InGroup):
        return f"in the group {names.get(condition.group, 'that is gone')}"
    if isinstance(condition, core.FieldIs):
        name = field_names().get(condition.field, "a field that is gone")
        return f"{name} {condition.how} {condition.value}".rstrip()
    if isinstance(condition, core.AtSite):
        return "at the site"
    if isinstance(condition, core.PlacedWithin):
        return f"placed within {_days(condition.days)}"
    if isinstance(condition, core.Hired):
        return f"hired within {_days(condition.days)}"
    if isinstance(condition, core.OfKind):
        return "employees" if condition.kind == Person.Kind.EMPLOYEE else "outside learners"
    if isinstance(condition, core.HoldsCompletion):
        return f"holds {courses.get(condition.course, 'a course')}"
    if isinstance(condition, core.HoldsSkill):
        found = _level(condition.level)
        return f"holds {found[1]}" if found else "holds a skill that is gone"
    return str(condition)


def _days(count: int) -> str:
    return f"{count} day{'s' if count != 1 else ''}"


def _bracketed(part: core.Condition, world: core.World, courses: Mapping[int, str], groups: Mapping[int, str]) -> str:
    text = sentence(part, world, courses=courses, groups=groups)
    # "A; B or C" would leave open what the "or" joins.
    many = isinstance(part, core.AllOf | core.AnyOf) and len(part.parts) > 1
    return f"({text})" if many else text
