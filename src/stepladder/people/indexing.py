"""What the search knows of people."""

from __future__ import annotations

from django.urls import reverse

from stepladder import events
from stepladder.people.models import Person
from stepladder.search import index

__all__ = ["index_people"]


def index_people(keys: tuple[int, ...] | None) -> list[index.Document]:
    """The documents of these people, or of all."""
    people = Person.objects.all() if keys is None else Person.objects.filter(pk__in=keys)
    return [
        index.Document(
            "person",
            p.pk,
            p.name,
            f"{p.employee_number} {p.email}",
            reverse("people:person", args=[p.public_id]),
            p.employee_number,
        )
        for p in people
    ]


events.listen(events.EmploymentChanged, lambda event: index.refresh("person", event.people))
