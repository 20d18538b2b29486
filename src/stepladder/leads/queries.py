"""Reading leads: who answers to whom on a day, and where nobody leads. Rule: 2."""

from __future__ import annotations

from collections.abc import Callable, Collection, Hashable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from functools import cache
from typing import Any, TypeVar

from django.db.models import Count, Exists, OuterRef, Q, QuerySet

from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.models import PositionBranch, Unit, UnitBranch
from stepladder.core.days import FOREVER, Span
from stepladder.core.leads import (
    AUnit,
    LeadBook,
    Named,
    OwnUnit,
    PositionsBelow,
    Post,
    Power,
    ReportingLine,
    whom_to_ask,
)
from stepladder.core.leads import Lead as CoreLead
from stepladder.core.reach import members_on
from stepladder.fact_cache import cached, state_of
from stepladder.leads.models import Lead
from stepladder.leads.powers import in_words
from stepladder.people.models import Employment, Person, Placement
from stepladder.people.name_order import PeopleByName
from stepladder.people.queries import active_on, valid_on
from stepladder.reaches.stored import load_people, load_world

__all__ = [
    "Answering",
    "Gaps",
    "LeadRow",
    "TeamRow",
    "asked_of",
    "describe_lead",
    "direct_leaders",
    "gaps",
    "holds_lead",
    "in_fields",
    "in_fields_of",
    "lead_book",
    "lead_rows",
    "leaders_of_units",
    "leads_held",
    "led_by",
    "nearest_leaders",
    "reporting_lines",
    "whom_they_answer_to",
]

Value = TypeVar("Value")


def _with_names(leads: QuerySet[Lead]) -> QuerySet[Lead]:
    """Leads with all that their sentence names."""
    return leads.select_related("holder_position", "holder_person", "unit", "group")


def _group_members(wanted: set[int | None], day: date) -> dict[int, frozenset[int]]:
    """Group → who is in it on the day; everybody is looked at only where a lead names a group."""
    keys = [key for key in wanted if key is not None]
    if not keys:
        return {}
    world = load_world()
    people = load_people(reaches=[world.groups[key] for key in keys], world=world, known_on=day)
    return {key: frozenset(members_on(world.groups[key], people, world, day=day)) for key in keys}


# The columns of a lead that the core asks for: there are thousands in a large company, and most pages ask for all of them.
LEAD_COLUMNS = (
    *("pk", "field", "unit_id", "named", "group_id", "powers"),
    *("holder_position_id", "holder_person_id", "from_day", "to_day"),
)


def _core(row: tuple[Any, ...], groups: Mapping[int, frozenset[int]]) -> CoreLead:
    key, kind, unit, named, group, powers, position, person, first, last = row
    what: OwnUnit | AUnit | PositionsBelow | Named
    if kind == Lead.Field.OWN_UNIT:
        what = OwnUnit()
    elif kind == Lead.Field.UNIT:
        what = AUnit(unit)
    elif kind == Lead.Field.POSITIONS:
        what = PositionsBelow()
    else:
        what = Named(frozenset(named) | groups.get(group or 0, frozenset()))
    return CoreLead(key, what, _powers(tuple(powers)), position, person, Span(first, last or FOREVER))


@cache
def _powers(names: tuple[str, ...]) -> frozenset[Power]:
    return frozenset(Power(name) for name in names)


def _posts(day: date, condition: Q) -> list[Post]:
    rows = Placement.objects.filter(valid_on(day), condition, Exists(active_on(day).filter(person=OuterRef("person"))))
    return [Post(*row) for row in rows.order_by("pk").values_list("person_id", "unit_id", "position_id")]


def lead_book(day: date, *, units: Iterable[int] | None = None) -> LeadBook:
    """The leads of a day with whoever holds them, in few queries, however many people there are.

    *units*: only who is placed in these is asked about, so that of those who lead their own unit only the ones above matter; in a
    large company there are thousands of others.
    """
    rows = list(Lead.objects.filter(valid_on(day)).order_by("pk").values_list(*LEAD_COLUMNS))
    groups = _group_members({row[4] for row in rows}, day)
    leads = [_core(row, groups) for row in rows]
    tree = units_tree(day)
    named = {lead.person for lead in leads if lead.person}
    own_unit_positions = {lead.position for lead in leads if lead.position and isinstance(lead.field, OwnUnit)}
    other = {lead.position for lead in leads if lead.position and not isinstance(lead.field, OwnUnit)}
    at_own = Q(position__in=own_unit_positions)
    if units is not None:
        at_own &= Q(unit__in={above for unit in units if unit in tree.parent for above in tree.upwards(unit)})
    active = active_on(day).filter(person__in=named).values_list("person_id", flat=True)
    return LeadBook(
        leads,
        holders=_posts(day, at_own | Q(position__in=other) | Q(person__in=named)),
        active=frozenset(active),
        units=tree,
        positions=positions_tree(day),
    )


def _own_posts(people: Sequence[int] | None, day: date) -> tuple[dict[int, list[Post]], LeadBook]:
    """The posts of each of these people (None: all) who is active on the day, and the leads that matter to them."""
    active = active_on(day) if people is None else active_on(day).filter(person__in=people)
    posts_of: dict[int, list[Post]] = {person: [] for person in active.values_list("person_id", flat=True)}
    posts = _posts(day, Q() if people is None else Q(person__in=people))
    for post in posts:
        posts_of.setdefault(post.person, []).append(post)
    return posts_of, lead_book(day, units=None if people is None else {post.unit for post in posts})


def reporting_lines(people: Sequence[int] | None, day: date) -> list[ReportingLine]:
    """Whom these people (None: all who are active) answer to on a day."""
    posts_of, book = _own_posts(people, day)
    return [line for person, posts in posts_of.items() for line in book.lines(person, posts)]


def direct_leaders(people: Sequence[int] | None, day: date) -> dict[int, set[int]]:
    """Person → whom they answer to directly on a day; empty where they answer to nobody at all."""
    posts_of, book = _own_posts(people, day)
    return {person: book.direct(person, posts) for person, posts in posts_of.items()}


def asked_of(person: Person, power: Power, day: date) -> list[Person]:
    """Who gets somebody's requests, or notices about them."""
    keys = whom_to_ask(reporting_lines([person.pk], day), power)
    people = Person.objects.in_bulk(keys)
    return [people[key] for key in keys]


@dataclass(frozen=True)
class Answering:
    """That somebody answers to leaders: how, by which lead as one reads it, with which powers."""

    leaders: list[Person]
    direct: bool
    by: str
    powers: list[str]


def whom_they_answer_to(person: Person, day: date) -> list[Answering]:
    """A person's lines on a day, lead by lead, the direct ones first."""
    lines = reporting_lines([person.pk], day)
    people = Person.objects.in_bulk([line.leader for line in lines])
    leads = {lead.pk: lead for lead in _with_names(Lead.objects.filter(pk__in={line.lead for line in lines}))}
    by_lead: dict[tuple[bool, int], list[ReportingLine]] = {}
    for line in lines:
        by_lead.setdefault((not line.direct, line.lead), []).append(line)
    return [
        Answering(
            sorted((people[line.leader] for line in lines_of_lead), key=lambda p: (p.family_name, p.given_name)),
            not indirect,
            describe_lead(leads[lead]),
            in_words(lines_of_lead[0].powers),
        )
        for (indirect, lead), lines_of_lead in sorted(by_lead.items())
    ]


def describe_lead(lead: Lead) -> str:
    """A lead as one reads it: "Master, for the unit they are placed in and below"."""
    holder = str(lead.holder_position or lead.holder_person)
    what = {
        Lead.Field.OWN_UNIT: "for the unit they are placed in, and below",
        Lead.Field.UNIT: f"for {lead.unit}, and below",
        Lead.Field.POSITIONS: "for all positions below",
        Lead.Field.NAMED: f"for the group {lead.group}" if lead.group_id else f"for {len(lead.named)} by name",
    }
    return f"{holder}, {what[Lead.Field(lead.field)]}"


@dataclass(frozen=True)
class TeamRow:
    """Somebody who answers to a leader, with the powers the leader has for them."""

    person: int
    direct: bool
    powers: frozenset[str] = field(default_factory=frozenset)


def led_by(person: Person, day: date) -> Sequence[TeamRow]:
    """Who answers to a person on a day, in a number of queries that does not grow with them."""
    return _unless_changed(("team", person.pk), day, lambda: _led_by(person, day))


def _unless_changed(what: Hashable, day: date, read: Callable[[], Value]) -> Value:
    """What leads come to on a day, kept while no fact that it follows from changes."""
    # Who is in a group follows from facts of every kind: what a lead of one comes to is not kept.
    if Lead.objects.filter(valid_on(day), group__isnull=False).exists():
        return read()
    kinds = (Lead, Employment, Placement, UnitBranch, PositionBranch)
    return cached((what, day), state=lambda: tuple(state_of(kind) for kind in kinds), read=read)


def _led_by(person: Person, day: date) -> tuple[TeamRow, ...]:
    people = sorted(in_fields_of([person.pk], day) - {person.pk})
    if not people:
        return ()
    posts_of, book = _own_posts(people, day)
    team = book.team_of(person.pk, posts_of)
    return tuple(TeamRow(key, direct, powers) for key, (direct, powers) in team.items())


def holds_lead(person: Person, day: date) -> bool:
    """Whether somebody holds a lead on a day: then they are a manager."""
    at = Placement.objects.filter(valid_on(day), person=person.pk, position__isnull=False)
    held = Q(holder_person=person.pk) | Q(holder_position__in=at.values("position"))
    return Lead.objects.filter(valid_on(day)).filter(held).exists() and active_on(day).filter(person=person.pk).exists()


@dataclass(frozen=True)
class Held:
    """A lead that somebody holds, as one reads it, with its powers."""

    description: str
    powers: list[str]


def leads_held(person: Person, day: date) -> list[Held]:
    """The leads that somebody holds on a day."""
    if not active_on(day).filter(person=person.pk).exists():
        return []
    at = Placement.objects.filter(valid_on(day), person=person.pk, position__isnull=False)
    held = Q(holder_person=person.pk) | Q(holder_position__in=at.values("position"))
    leads = _with_names(Lead.objects.filter(valid_on(day)).filter(held))
    return [Held(describe_lead(lead), in_words(lead.powers)) for lead in leads.order_by("from_day", "pk")]


def in_fields_of(people: Collection[int], day: date) -> set[int]:
    """Everybody in the fields of the leads that these people hold; some of them may not answer to them all the same."""
    posts = _posts(day, Q(person__in=people))
    held = Q(holder_person__in=people) | Q(holder_position__in={p.position for p in posts if p.position})
    return _reached(list(Lead.objects.filter(valid_on(day)).filter(held)), posts, day)


def in_fields(leads: Collection[int], day: date) -> set[int]:
    """Everybody in the fields of these leads, as far as they hold on a day and somebody holds them."""
    rows = list(Lead.objects.filter(valid_on(day), pk__in=leads))
    positions, named = {r.holder_position_id for r in rows} - {None}, {r.holder_person_id for r in rows} - {None}
    return _reached(rows, _posts(day, Q(position__in=positions) | Q(person__in=named)), day) if rows else set()


def _reached(leads: Sequence[Lead], own: Sequence[Post], day: date) -> set[int]:
    """Who is active and in the field of one of these leads, for holders with these posts."""
    if not leads:
        return set()
    units, positions, named = _fields(leads, own, day)
    placed = Placement.objects.filter(valid_on(day)).filter(Q(unit__in=units) | Q(position__in=positions))
    active = active_on(day).filter(Q(person__in=placed.values("person")) | Q(person__in=named))
    return set(active.values_list("person_id", flat=True))


def _fields(leads: Sequence[Lead], own: Sequence[Post], day: date) -> tuple[set[int], set[int], set[int]]:
    """The units, positions and named people that leads come to for holders with these posts."""
    units_on, positions_on = units_tree(day), positions_tree(day)
    groups = _group_members({lead.group_id for lead in leads}, day)
    units: set[int] = set()
    positions: set[int] = set()
    named: set[int] = set()
    for lead in leads:
        posts = [p for p in own if p.person == lead.holder_person_id or p.position == (lead.holder_position_id or 0)]
        if lead.field == Lead.Field.OWN_UNIT:
            for unit in {post.unit for post in posts} - units:
                units |= units_on.below(unit) if unit in units_on.parent else {unit}
        elif lead.unit_id is not None and lead.unit_id in units_on.parent:
            units |= units_on.below(lead.unit_id)
        elif lead.field == Lead.Field.POSITIONS:
            for position in {post.position for post in posts if post.position}:
                if position in positions_on.parent:
                    positions |= positions_on.below(position) - {position}
        elif lead.field == Lead.Field.NAMED:
            named |= set(lead.named) | groups.get(lead.group_id or 0, frozenset())
    return units, positions, named


def leaders_of_units(book: LeadBook, units: Iterable[int]) -> dict[int, list[Person]]:
    """Of these units, unit → who leads it on the book's day, at the unit itself."""
    leading = {unit: {leader for leader, _ in book.of_unit[unit]} for unit in units if unit in book.of_unit}
    people = Person.objects.in_bulk({leader for leaders in leading.values() for leader in leaders})
    return {
        unit: sorted((people[key] for key in leaders), key=lambda p: p.family_name) for unit, leaders in leading.items()
    }


def unled_units(book: LeadBook, day: date, *, units: Iterable[int] | None = None) -> dict[int, int]:
    """Units (of these; None: all) with people in them that nobody leads, at them or above: unit → how many people."""
    placements = Placement.objects.filter(valid_on(day), *([] if units is None else [Q(unit__in=list(units))]))
    counted = placements.values("unit").annotate(n=Count("person", distinct=True))
    placed = dict(counted.order_by("unit").values_list("unit", "n"))
    return {unit: placed[unit] for unit in book.units_without(placed)}


@dataclass(frozen=True)
class LeadRow:
    """A lead with who holds it today."""

    lead: Lead
    description: str
    holders: list[Person]
    powers: list[str]
    state: str


def lead_rows(day: date) -> list[LeadRow]:
    """Every lead known now that has not ended, those to come last; who holds it on the day."""
    rows = _with_names(Lead.objects.known_now().filter(Q(to_day__isnull=True) | Q(to_day__gte=day)))
    book = lead_book(day)
    people = Person.objects.in_bulk({key for keys in book.holders.values() for key in keys})
    found = []
    for lead in rows.order_by("from_day", "pk"):
        holders = sorted((people[key] for key in book.holders.get(lead.pk, ())), key=lambda p: p.family_name)
        state = "to come" if lead.from_day > day else "" if holders else "nobody holds it"
        found.append(LeadRow(lead, describe_lead(lead), holders, in_words(lead.powers), state))
    return found


@dataclass(frozen=True)
class Gaps:
    """Where the leads leave something open on a day: units with how many people they have, and people."""

    units: list[tuple[Unit, int]]
    people: PeopleByName


def gaps(day: date) -> Gaps:
    """Units with people in them that nobody leads, and active people who answer to nobody."""
    placed, alone = _unless_changed("gaps", day, lambda: _gaps(day))
    units = Unit.objects.in_bulk(placed)
    return Gaps([(units[key], count) for key, count in placed.items()], PeopleByName(alone))


def _gaps(day: date) -> tuple[dict[int, int], list[int]]:
    posts_of, book = _own_posts(None, day)
    return unled_units(book, day), [person for person, posts in posts_of.items() if not book.direct(person, posts)]


def nearest_leaders(unit: Unit, day: date) -> tuple[list[Person], str]:
    """Who leads a unit on a day, and the name of the unit above where they lead; "" where it is the unit itself."""
    tree = units_tree(day)
    if unit.pk not in tree.parent:
        return [], ""
    book = lead_book(day)
    nearest = next((up for up in tree.upwards(unit.pk) if book.of_unit.get(up)), None)
    if nearest is None:
        return [], ""
    leaders = Person.objects.filter(pk__in={leader for leader, _ in book.of_unit[nearest]})
    return list(leaders.order_by("family_name", "given_name")), "" if nearest == unit.pk else tree.name[nearest]
