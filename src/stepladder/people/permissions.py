"""Who an account is as a person, and whom it sees."""

from __future__ import annotations

from typing import Any

from django.db import models
from django.db.models import F, Q

from stepladder import clock
from stepladder.accounts import policy
from stepladder.charts.parts import NOT_IN_PART, part_of
from stepladder.people.models import Person, Placement, PositionRole
from stepladder.people.queries import valid_on

__all__ = ["in_part", "people_seen", "person_of", "register", "roles_by_position", "visible_people"]


def person_of(account: Any) -> Person | None:
    """Who the account is as a person; looked up once for each loaded account."""
    if not hasattr(account, "_person"):
        account._person = Person.objects.filter(account=account.pk).first()
    found: Person | None = account._person
    return found


def _placed_in(units: frozenset[int]) -> Q:
    """People placed in these units today or from a later day on, and those whom leaving took out of them."""
    today = clock.today()
    left = Q(
        person__employments__revoked_on__isnull=True,
        person__employments__left_on__isnull=False,
        to_day__gte=F("person__employments__left_on"),
    )
    placed = Placement.objects.known_now().filter(unit__in=units)
    placed_now = placed.filter(Q(to_day__isnull=True) | Q(to_day__gte=today) | left)
    return Q(pk__in=placed_now.values("person"))


def in_part(account: Any) -> Q:
    """Of people: those in the part that an account administers."""
    return _placed_in(part_of(account))


def visible_people(account: Any) -> models.QuerySet[Person]:
    """The people whom the account sees."""
    return policy.visible(account, "see people", Person.objects.all())


def people_seen(account: Any, verb: str) -> frozenset[int] | None:
    """The keys of the people to whom an account may do something, None: everybody. Looked up once for each loaded account."""
    if policy.sees_every(account, verb):
        return None
    by_verb: dict[str, frozenset[int]] = account.__dict__.setdefault("_people_seen", {})
    if verb not in by_verb:
        rows = policy.visible(account, verb, Person.objects.all())
        by_verb[verb] = frozenset(rows.values_list("pk", flat=True))
    return by_verb[verb]


def _by_position(account: Any) -> frozenset[str]:
    """The roles that come with where the account's person is placed today."""
    person = person_of(account)
    return roles_by_position(person) if person else frozenset()


def roles_by_position(person: Person) -> frozenset[str]:
    """The roles that somebody has by where they are placed today."""
    placed = Placement.objects.filter(valid_on(clock.today()), person=person).values("position")
    return frozenset(PositionRole.objects.known_now().filter(position__in=placed).values_list("role", flat=True))


def register() -> None:
    """People are in the part of whoever administers where they are placed."""
    policy.relation_by_rows(Person, policy.PART, in_part, NOT_IN_PART)
    policy.derive_roles(_by_position)
