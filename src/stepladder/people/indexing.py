"""What the search knows of people."""

from __future__ import annotations

from django.urls import reverse

from stepladder import events
from stepladder.people.models import Person
from stepladder.search import index

__all__ = ["index_people"]


MARK = "0-0"
COLUMNS = ("pk", "public_id", "employee_number", "given_name", "family_name", "email")


def index_people(keys: tuple[int, ...] | None) -> list[index.Document]:
    """The documents of these people, or of all."""
    # One address is resolved for all: there may be fifty thousand of them.
    address = reverse("people:person", args=[MARK])
    people = Person.objects.all() if keys is None else Person.objects.filter(pk__in=keys)
    return [
        index.Document(
            "person",
            pk,
            f"{given} {family}",
            f"{number} {email}",
            address.replace(MARK, public_id),
            number,
        )
        for pk, public_id, number, given, family, email in people.values_list(*COLUMNS)
    ]


def on_change(event: events.EmploymentChanged, act: events.Act) -> None:
    """What the search knows is brought up to date."""
    index.refresh("person", event.people)
