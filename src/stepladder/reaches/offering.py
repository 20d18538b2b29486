"""What is offered to whoever is in a reach: for the policy, as a value for one object and as rows for a list."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any

from django.db import models
from django.db.models import Q

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.reach import members_on
from stepladder.people.permissions import person_of
from stepladder.reaches.stored import load_people, load_world, parse

__all__ = ["offered_by", "offered_to"]

# An object's key and the reach it is stored with; without one it is offered to everybody.
Offer = tuple[int, Mapping[str, Any] | None]


def offered_by(kind: type[models.Model], offers: Callable[[], Iterable[Offer]], *, refusal: str) -> None:
    """Hand in for a kind of object whom each is offered to today: the policy's relation OFFERED.

    Whoever is no person is in no reach. All reaches are evaluated on the facts of the one who asks, read once.
    """

    def rows(account: Any) -> Q:
        return Q(pk__in=offered_to(account, offers()))

    policy.relation_by_rows(kind, policy.OFFERED, rows, refusal)


def offered_to(account: Any, offers: Iterable[Offer]) -> list[int]:
    """The keys of what is offered to an account today."""
    today, person, world = clock.today(), person_of(account), load_world()
    asked = [(key, parse(reach) if reach is not None else None) for key, reach in offers]
    reaches = {reach for _, reach in asked if reach is not None}
    facts = load_people(reaches=reaches, world=world, people=[person.pk], known_on=today) if person else []
    held = {reach for reach in reaches if members_on(reach, facts, world, day=today)}
    return [key for key, reach in asked if reach is None or reach in held]
