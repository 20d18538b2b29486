"""Whose people and units are: a unit administrator's part, and those who answer to a manager."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import models
from django.db.models import F, Q

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Role
from stepladder.core.leads import Power
from stepladder.people.models import AdministeredPart, Person, Placement, Unit
from stepladder.people.queries import TeamRow, led_by, units_tree
from stepladder.people.queries.leading import holds_lead

__all__ = ["hand_in", "of_persons", "part_of", "person_of", "team_of_account", "visible_people"]

NOT_IN_PART = "This is outside the part that you administer."
NOT_LED = "Only who leads somebody, with the power for it, can do this."


def person_of(account: Any) -> Person | None:
    """Who the account is as a person; looked up once for each loaded account."""
    if not hasattr(account, "_person"):
        account._person = Person.objects.filter(account=account.pk).first()
    found: Person | None = account._person
    return found


def part_of(account: Any) -> frozenset[int]:
    """The units that an account administers today, with all below them."""
    if not hasattr(account, "_part"):
        own = AdministeredPart.objects.filter(account=account.pk).values_list("unit_id", flat=True)
        tree = units_tree()
        found = [tree.below(unit) if unit in tree.parent else {unit} for unit in own]
        account._part = frozenset().union(*found)
    part: frozenset[int] = account._part
    return part


def _placed_in(units: frozenset[int]) -> Q:
    """People placed in these units today or from a later day on, and those whom leaving took out of them."""
    today = clock.today()
    left = Q(
        person__employments__revoked_on__isnull=True,
        person__employments__left_on__isnull=False,
        to_day__gte=F("person__employments__left_on"),
    )
    placed = Placement.objects.known_now().filter(unit__in=units)
    here = placed.filter(Q(to_day__isnull=True) | Q(to_day__gte=today) | left)
    return Q(pk__in=here.values("person"))


def _in_part(account: Any) -> Q:
    return _placed_in(part_of(account))


def team_of_account(account: Any) -> list[TeamRow]:
    """Who answers to the account today; looked up once for each loaded account."""
    if not hasattr(account, "_team"):
        person = person_of(account)
        account._team = led_by(person, clock.today()) if person else []
    found: list[TeamRow] = account._team
    return found


def _led(power: Power) -> Callable[[Any], Q]:
    return lambda account: Q(pk__in=[row.person for row in team_of_account(account) if power in row.powers])


def _manager(account: Any) -> frozenset[str]:
    person = person_of(account)
    return frozenset({Role.MANAGER}) if person and holds_lead(person, clock.today()) else frozenset()


def visible_people(account: Any) -> models.QuerySet[Person]:
    """The people whom the account sees."""
    return policy.visible(account, "see people", Person.objects.all())


def of_persons(kind: type[models.Model], column: str) -> None:
    """Rows that belong to a person are in a part, or answer to a manager, as the person is."""

    def by(rows: Callable[[Any], Q]) -> Callable[[Any], Q]:
        return lambda account: Q(**{f"{column}__in": Person.objects.filter(rows(account))})

    for scope, rows, refusal in _scopes():
        policy.relation_by_rows(kind, scope, by(rows), refusal)


def _scopes() -> list[tuple[str, Callable[[Any], Q], str]]:
    return [
        (policy.PART, _in_part, NOT_IN_PART),
        (policy.SEES, _led(Power.SEE_RECORDS), NOT_LED),
        (policy.ASSIGNS, _led(Power.ASSIGN), NOT_LED),
    ]


def hand_in() -> None:
    policy.derive_roles(_manager)
    for scope, rows, refusal in _scopes():
        policy.relation_by_rows(Person, scope, rows, refusal)
    policy.relation(
        Unit,
        policy.PART,
        holds=lambda account, unit: unit.pk in part_of(account),
        rows=lambda account: Q(pk__in=part_of(account)),
        refusal=NOT_IN_PART,
    )
