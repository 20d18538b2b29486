"""Whose people are: those in an administrator's part, and those who answer to a manager."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from django.db import models
from django.db.models import Q

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Role
from stepladder.charts.parts import NOT_IN_PART
from stepladder.core.leads import Power
from stepladder.leads.queries import TeamRow, holds_lead, led_by
from stepladder.people.models import Person
from stepladder.people.permissions import in_part, person_of

__all__ = ["of_persons", "register", "team_of_account"]

NOT_LED = "Only who leads somebody, with the power for it, can do this."


def team_of_account(account: Any) -> Sequence[TeamRow]:
    """Who answers to the account today; looked up once for each loaded account."""
    if not hasattr(account, "_team"):
        person = person_of(account)
        account._team = led_by(person, clock.today()) if person else ()
    found: Sequence[TeamRow] = account._team
    return found


def _led(power: Power) -> Callable[[Any], Q]:
    return lambda account: Q(pk__in=[row.person for row in team_of_account(account) if power in row.powers])


def _manager(account: Any) -> frozenset[str]:
    person = person_of(account)
    return frozenset({Role.MANAGER}) if person and holds_lead(person, clock.today()) else frozenset()


# Of people: how far a manager's powers reach.
LED = (
    (policy.SEES, _led(Power.SEE_RECORDS)),
    (policy.ASSIGNS, _led(Power.ASSIGN)),
    (policy.SIGNS, _led(Power.SIGN_OFF)),
)


def of_persons(kind: type[models.Model], column: str) -> None:
    """Rows that belong to a person are in a part, or answer to a manager, as the person is."""

    def by(people: Callable[[Any], Q]) -> Callable[[Any], Q]:
        return lambda account: Q(**{f"{column}__in": Person.objects.filter(people(account))})

    policy.relation_by_rows(kind, policy.PART, by(in_part), NOT_IN_PART)
    for scope, people in LED:
        policy.relation_by_rows(kind, scope, by(people), NOT_LED)


def register() -> None:
    """Whoever holds a lead is a manager, and reaches whom they lead."""
    policy.derive_roles(_manager)
    for scope, people in LED:
        policy.relation_by_rows(Person, scope, people, NOT_LED)
