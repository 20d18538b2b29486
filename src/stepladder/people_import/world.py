"""What a file of people is held against: the charts by name, the custom fields, and the people it speaks of."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping
from datetime import date
from string import ascii_lowercase, ascii_uppercase
from typing import Any

from django.db.models import Count, Max, Q
from django.db.models.functions import Lower

from stepladder import clock
from stepladder.charts.dated_charts import charts_state, positions_tree, units_tree
from stepladder.charts.models import Position, Unit
from stepladder.core.charts import Tree
from stepladder.core.people_import import FieldAsked, KnownPerson, Place, World
from stepladder.leads.models import Lead
from stepladder.people.models import Employment, FieldValue, Person, PersonField, Placement
from stepladder.people.queries import valid_on
from stepladder.people_import.models import Meaning

__all__ = [
    "HeldWorld",
    "asked_fields",
    "identified",
    "known_people",
    "load_import_world",
    "mailed",
    "missing_numbers",
    "single_leads",
]


def asked_fields() -> list[FieldAsked]:
    """The custom fields that a column may fill."""
    rows = PersonField.objects.filter(is_ended=False)
    return [FieldAsked(f.pk, f.name, f.kind, tuple(f.choices)) for f in rows]  # type: ignore[arg-type]  # the choices of the model are the core's kinds


def _by_name(tree: Tree) -> dict[str, int | None]:
    """Name and path, casefolded → node; None where a name is there twice."""
    found: dict[str, int | None] = {}
    for node in tree.parent:
        name = tree.name[node].casefold()
        found[name] = None if name in found else node
    return found | {tree.path(node).casefold(): node for node in tree.parent}


def load_import_world() -> World:
    """Today's charts and the fields that are asked for."""
    units, positions = units_tree(), positions_tree()
    # What somebody said a word means; a name of the charts themselves means itself.
    meant = Meaning.objects.values_list("text", "unit_id", "position_id")
    meant_units = {text: unit for text, unit, _ in meant if unit in units.parent}
    meant_positions = {text: position for text, _, position in meant if position in positions.parent}
    return World(
        {**meant_units, **_by_name(units)},
        {**meant_positions, **_by_name(positions)},
        dict(units.name),
        dict(positions.name),
        {field.key: field for field in asked_fields()},
        frozenset(Unit.objects.filter(is_locked=True).values_list("pk", flat=True)),
    )


class HeldWorld:
    """The world of an import that goes on piece by piece, read again only when a chart or a field was changed since."""

    def __init__(self) -> None:
        self._held: tuple[Any, World] | None = None

    def now(self) -> World:
        """What cells may name now; asked before the piece has written anything."""
        locked = tuple(Unit.objects.filter(is_locked=True).order_by("pk").values_list("pk", flat=True))
        meant = tuple(Meaning.objects.aggregate(n=Count("pk"), last=Max("pk")).values())
        state = (charts_state(Unit), charts_state(Position), locked, tuple(asked_fields()), meant, clock.today())
        if self._held is None or self._held[0] != state:
            self._held = state, load_import_world()
        return self._held[1]


def known_people(numbers: Iterable[str]) -> Mapping[str, KnownPerson]:
    """The people with these numbers, by number casefolded, in a number of queries that does not grow with them."""
    wanted = sorted(
        {_lowered(form) for number in numbers for form in (number, number.lower(), number.casefold()) if form}
    )
    lowered = Person.objects.annotate(lowered=Lower("employee_number")).values_list(*COLUMNS)
    rows = [row for at in range(0, len(wanted), MANY) for row in lowered.filter(lowered__in=wanted[at : at + MANY])]
    keys = [row[0] for row in rows]
    employed = {
        person: (hired, left)
        for person, hired, left in Employment.objects.known_now()
        .filter(person__in=keys)
        .values_list("person_id", "hired_on", "left_on")
    }
    places: dict[int, list[Place]] = {}
    known = Placement.objects.known_now().filter(person__in=keys).order_by("from_day", "pk")
    for pk, person, unit, position, first, last in known.values_list(
        "pk", "person_id", "unit_id", "position_id", "from_day", "to_day"
    ):
        places.setdefault(person, []).append(Place(pk, unit, position, first, last))
    managers = _managers_by_name(keys)
    values: dict[int, dict[int, str]] = {}
    said = FieldValue.objects.known_now().filter(person__in=keys)
    for person, field, value in said.values_list("person_id", "field_id", "value"):
        values.setdefault(person, {})[field] = value
    return {
        number.casefold(): KnownPerson(
            key,
            number,
            given,
            family,
            email,
            kind,
            *employed.get(key, (None, None)),
            outside=outside or "",
            places=tuple(places.get(key, ())),
            values=values.get(key, {}),
            phone=phone,
            manager=managers.get(key, ""),
            is_shortened=shortened is not None,
        )
        for key, number, given, family, email, kind, outside, phone, shortened in rows
    }


def _managers_by_name(people: Collection[int]) -> dict[int, str]:
    """Person → the number of who leads them alone and by name, as files of people say it."""
    wanted, found = set(people), dict[int, str]()
    for named, number in single_leads().values_list("named", "holder_person__employee_number"):
        if named[0] in wanted:
            found[named[0]] = number
    return found


def single_leads() -> Any:
    """The open leads of one person over one other by name: what a file means by somebody's manager."""
    leads = Lead.objects.known_now().filter(field=Lead.Field.NAMED, group__isnull=True, holder_person__isnull=False)
    return leads.filter(to_day__isnull=True, named__0__isnull=False, named__1__isnull=True)


def mailed(emails: Iterable[str]) -> Mapping[str, tuple[str, str]]:
    """E-mail, in small letters → (number, casefolded, and name) of who has it."""
    wanted = sorted({email.lower() for email in emails} - {""})
    rows = Person.objects.annotate(lowered=Lower("email")).values_list(
        "lowered", "employee_number", "given_name", "family_name"
    )
    return {
        email: (number.casefold(), f"{given} {family} ({number})")
        for at in range(0, len(wanted), MANY)
        for email, number, given, family in rows.filter(lowered__in=wanted[at : at + MANY])
    }


def identified(identifiers: Iterable[str]) -> Mapping[str, tuple[str, str]]:
    """Identifier → (number, casefolded, and name) of who has it."""
    wanted = sorted(set(identifiers) - {""})
    columns = ("outside_id", "employee_number", "given_name", "family_name")
    rows = Person.objects.values_list(*columns)
    return {
        identifier: (number.casefold(), f"{given} {family} ({number})")
        for at in range(0, len(wanted), MANY)
        for identifier, number, given, family in rows.filter(outside_id__in=wanted[at : at + MANY])
        if identifier is not None
    }


def missing_numbers(there: Collection[str], *, day: date, unit: Unit | None) -> list[str]:
    """The numbers, in order, of employees who are here after a day and whose number, casefolded, is not among *there*.

    *unit*: only of those who are placed in it or below. People from outside are in no file of the company's own.
    """
    after = Employment.objects.known_now().filter(Q(left_on__isnull=True) | Q(left_on__gt=day), hired_on__lte=day)
    people = Person.objects.filter(kind=Person.Kind.EMPLOYEE, pk__in=after.values("person")).exclude(employee_number="")
    if unit is not None:
        tree = units_tree()
        below = tree.below(unit.pk) if unit.pk in tree.parent else [unit.pk]
        people = people.filter(
            pk__in=Placement.objects.filter(valid_on(clock.today()), unit__in=below).values("person")
        )
    numbers = people.order_by("employee_number").values_list("employee_number", flat=True)
    return [number for number in numbers if number.casefold() not in there]


# The database makes only the plain letters small.
_SMALL = str.maketrans(ascii_uppercase, ascii_lowercase)


def _lowered(number: str) -> str:
    return number.translate(_SMALL)


# So many values fit well into one condition.
MANY = 10_000
COLUMNS = ("pk", "employee_number", "given_name", "family_name", "email", "kind", "outside_id", "phone", "shortened_on")
