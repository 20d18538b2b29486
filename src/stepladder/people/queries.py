"""Reading people and where they are placed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

from django.db.models import Exists, OuterRef, Prefetch, Q, QuerySet, Subquery

from stepladder import clock
from stepladder.charts.dated_charts import units_tree
from stepladder.charts.models import Position, Unit
from stepladder.people.conditions import narrowed
from stepladder.people.models import Employment, FieldValue, Leave, Person, PersonField, Placement
from stepladder.search.words import words_of

__all__ = [
    "PersonSheet",
    "active_on",
    "find_people",
    "first_days",
    "person_sheet",
    "place_in_words",
    "placed_in_position",
    "placed_on",
    "places_of",
    "reckoned_on",
    "valid_on",
    "values_in",
    "values_of",
    "with_placements",
]


def valid_on(day: date) -> Q:
    """Of placements known now: those valid on *day*."""
    return Q(revoked_on__isnull=True, from_day__lte=day) & (Q(to_day__isnull=True) | Q(to_day__gte=day))


def placed_on(day: date) -> Exists:
    """Of people in an outer query: whether they have a placement on *day*."""
    return Exists(Placement.objects.filter(valid_on(day), person=OuterRef("pk")))


def places_of(people: Iterable[int], day: date, *, known_on: date | None = None) -> dict[int, str]:
    """Person → where they are placed on a day, as known on a day (None: now), in words; who is nowhere is left out."""
    rows: Any = Placement.objects.known_now() if known_on is None else Placement.objects.known_on(known_on)
    rows = rows.filter(from_day__lte=day, person__in=list(people)).exclude(to_day__lt=day)
    found: dict[int, list[str]] = {}
    for key, *names in rows.order_by("from_day", "pk").values_list("person_id", "unit__name", "position__name"):
        found.setdefault(key, []).append(place_in_words(*names))
    return {key: "; ".join(places) for key, places in found.items()}


def place_in_words(unit: str, position: str | None) -> str:
    """A placement as lists write it: “Dunlin, Deckhand”."""
    return f"{unit}, {position}" if position else unit


def placed_in_position(position: Position, day: date) -> int:
    """How many people are placed in a position on a day."""
    return Placement.objects.filter(valid_on(day), position=position).values("person").distinct().count()


def active_on(day: date) -> QuerySet[Any]:
    """The employments of whoever is active on *day*, as known now."""
    known = Employment.objects.known_now().filter(hired_on__lte=day)
    return known.filter(Q(left_on__isnull=True) | Q(left_on__gte=day))


def first_days(people: Sequence[int] | None, day: date) -> dict[int, date]:
    """The people to come, of these (None: all): person → their first day, which lies after *day*."""
    rows = Employment.objects.known_now().filter(hired_on__gt=day)
    if people is not None:
        rows = rows.filter(person__in=people)
    return dict(rows.values_list("person_id", "hired_on"))


def reckoned_on(people: Sequence[int] | None, day: date) -> list[tuple[date, Sequence[int] | None]]:
    """As of which day it is reckoned what is asked of whom: *day*, and of people to come their first day. Rule: 4.

    The first is for everybody else (None: all, of whom those to come have nothing on *day*).
    """
    coming: dict[date, list[int]] = {}
    for person, first in first_days(people, day).items():
        coming.setdefault(first, []).append(person)
    later = {person for who in coming.values() for person in who}
    present = None if people is None else [person for person in people if person not in later]
    return [(day, present), *sorted(coming.items())]


def with_placements(people: QuerySet[Person], day: date) -> QuerySet[Any]:
    """People with `current_placements`, those of *day*, `coming_placements`, those after it, and hired_on and left_on."""
    coming = Placement.objects.known_now().filter(from_day__gt=day).select_related("unit", "position")
    current = Placement.objects.filter(valid_on(day)).select_related("unit", "position").order_by("-from_day")
    known = Employment.objects.known_now().filter(person=OuterRef("pk"))
    return people.annotate(
        hired_on=Subquery(known.values("hired_on")[:1]), left_on=Subquery(known.values("left_on")[:1])
    ).prefetch_related(
        Prefetch("placements", queryset=current, to_attr="current_placements"),
        Prefetch("placements", queryset=coming.order_by("from_day", "pk"), to_attr="coming_placements"),
    )


def _still_to_come(day: date) -> Q:
    return Q(revoked_on__isnull=True) & (Q(to_day__isnull=True) | Q(to_day__gt=day))


def find_people(
    *,
    text: str = "",
    unit: Unit | None = None,
    position: Position | None = None,
    state: str = "active",
    field: PersonField | None = None,
    value: str = "",
    who: str = "",
    day: date,
) -> QuerySet[Any]:
    """The list of people: by name or number, unit and below, position, state (active, to come, left, all), and a custom field.

    *who* is the name of a condition (people.conditions). A field without a value: whoever has any.
    """
    people = with_placements(Person.objects.all(), day)
    for word in words_of(text):
        people = people.filter(
            Q(given_name__icontains=word)
            | Q(family_name__icontains=word)
            | Q(employee_number__icontains=word)
            | Q(email__icontains=word)
        )
    if field:
        said = FieldValue.objects.known_now().filter(field=field)
        people = people.filter(pk__in=(said.filter(value__iexact=value) if value else said).values("person"))
    if unit or position:
        # Who is to come has no place on the day, but one that they come to.
        places = Placement.objects.filter(valid_on(day) if state != "to come" else _still_to_come(day))
        if unit:
            tree = units_tree(day)
            places = places.filter(unit__in=tree.below(unit.pk) if unit.pk in tree.parent else [unit.pk])
        if position:
            places = places.filter(position=position)
        people = people.filter(pk__in=places.values("person"))
    days = {
        "active": Q(left_on__isnull=True, hired_on__lte=day) | Q(left_on__gte=day, hired_on__lte=day),
        "to come": Q(hired_on__gt=day),
        "left": Q(left_on__lt=day),
    }
    if state in days:
        # Asked for each person in turn: the first page ends with its last row, however many more there are.
        known = Employment.objects.known_now().filter(days[state], person=OuterRef("pk"))
        people = people.filter(Exists(known))
    return narrowed(people, who, day)


def values_in(fields: Sequence[PersonField], people: Sequence[int]) -> dict[int, list[tuple[str, str]]]:
    """Person → (name, what it says) of each of these fields, empty where it says nothing: one query for a page of people."""
    if not fields:
        return {}
    said = FieldValue.objects.known_now().filter(field__in=fields, person__in=people)
    found = {(person, field): value for person, field, value in said.values_list("person_id", "field_id", "value")}
    return {person: [(field.name, found.get((person, field.pk), "")) for field in fields] for person in people}


def values_of(person: Person) -> list[tuple[PersonField, str]]:
    """Every field that is asked for, with what it says of the person."""
    known = dict(FieldValue.objects.known_now().filter(person=person).values_list("field_id", "value"))
    return [(field, known.get(field.pk, "")) for field in PersonField.objects.filter(is_ended=False)]


@dataclass(frozen=True)
class PersonSheet:
    """What a person's sheet shows of them: placements by time, employment, leave."""

    employment: Employment | None
    present: list[Placement]
    to_come: list[Placement]
    past: list[Placement]
    leave: list[Leave]

    @property
    def state(self) -> str:
        today = clock.today()
        if self.employment is None:
            return "taken back"
        if self.employment.hired_on > today:
            return "to come"
        if self.employment.left_on and self.employment.left_on < today:
            return "left"
        return "active"

    @property
    def on_leave(self) -> bool:
        today = clock.today()
        return any(x.from_day <= today and (x.to_day is None or x.to_day >= today) for x in self.leave)


def person_sheet(person: Person, day: date) -> PersonSheet:
    """A person's placements, employment and leave as known now."""
    placements = list(
        Placement.objects.known_now().filter(person=person).select_related("unit", "position").order_by("-from_day")
    )
    return PersonSheet(
        employment=Employment.objects.known_now().filter(person=person).first(),
        present=[p for p in placements if p.from_day <= day and (p.to_day is None or p.to_day >= day)],
        to_come=[p for p in placements if p.from_day > day],
        past=[p for p in placements if p.to_day is not None and p.to_day < day],
        leave=list(Leave.objects.known_now().filter(person=person).order_by("-from_day")),
    )
