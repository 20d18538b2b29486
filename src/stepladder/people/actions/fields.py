"""Custom fields, and what they say of people."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from django.db import transaction
from django.db.models import Max

from stepladder import events
from stepladder.accounts import policy
from stepladder.facts import Fact
from stepladder.journal.actions import Actor, Named, record
from stepladder.people.actions.placing import about
from stepladder.people.errors import ChoiceInUse, Shortened
from stepladder.people.models import FieldValue, Person, PersonField
from stepladder.refusals import NameThere

__all__ = ["add_field", "change_field", "set_values"]


def _about(field: PersonField) -> Named:
    return Named("field", field.public_id, field.name)


@transaction.atomic
def add_field(*, name: str, kind: str, choices: Sequence[str], by: Actor) -> PersonField:
    """A further field of people. Raises NameThere."""
    policy.require(by, "change fields")
    if PersonField.objects.filter(name__iexact=name).exists():
        raise NameThere(name)
    place = (PersonField.objects.aggregate(last=Max("place"))["last"] or 0) + 1
    field = PersonField.objects.create(name=name, kind=kind, choices=list(choices), place=place)
    record("add_field", by=by, about=_about(field), data={"kind": kind})
    return field


@transaction.atomic
def change_field(*, field: PersonField, name: str, choices: Sequence[str], is_ended: bool, by: Actor) -> None:
    """Its name, what may be chosen, and whether it is still asked for. Raises NameThere, ChoiceInUse."""
    policy.require(by, "change fields", field)
    if PersonField.objects.filter(name__iexact=name).exclude(pk=field.pk).exists():
        raise NameThere(name)
    gone = set(field.choices) - set(choices)
    used = FieldValue.objects.known_now().filter(field=field, value__in=gone).values_list("value", flat=True)
    if used:
        raise ChoiceInUse(sorted(set(used))[0])
    field.name, field.choices, field.is_ended = name, list(choices), is_ended
    field.save()
    record("change_field", by=by, about=_about(field))


@transaction.atomic
def set_values(*, person: Person, values: Mapping[int, str], by: Actor) -> None:
    """What fields (by key) say of a person from now on; "" empties one. Values are read already. Raises Shortened."""
    policy.require(by, "change people", person)
    if person.shortened_on is not None:
        raise Shortened(person.name)
    known = {value.field_id: value for value in FieldValue.objects.known_now().filter(person=person)}
    rows: list[Fact] = []
    for field, value in values.items():
        old = known.get(field)
        if (old.value if old else "") == value:
            continue
        if old:
            rows += [old, *old.replaced_by(*([{"value": value}] if value else []))]
        elif value:
            rows.append(FieldValue.objects.create(person=person, field_id=field, value=value))
    if rows:
        entry = record("set_values", by=by, about=about(person), rows=rows)
        events.announce(events.EmploymentChanged((person.pk,)), entry.act)
