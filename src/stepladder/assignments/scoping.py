"""Within what a unit administrator or a manager may assign, and whose an assignment is."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django.db.models import Q

from stepladder.accounts import policy
from stepladder.accounts.models import Account, Role
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.models import Assignment
from stepladder.charts.models import AdministeredPart, Unit
from stepladder.charts.parts import part_of
from stepladder.people.models import Person

__all__ = ["narrowed", "own_parts", "register"]


def own_parts(account: Any) -> list[Unit]:
    """The units that bound what the account assigns; none for whoever may assign to everybody."""
    if policy.sees_every(account, "assign"):
        return []
    return [part.unit for part in AdministeredPart.objects.filter(account=account.pk).select_related("unit")]


def narrowed(account: Any, reach: Mapping[str, Any]) -> dict[str, Any]:
    """The reach as far as the account may assign. Raises AssignmentError for people and conditions that are not theirs."""
    if policy.sees_every(account, "assign"):
        return dict(reach)
    named = set(reach.get("named_in", ()))
    theirs = set(policy.visible(account, "assign", Person.objects.filter(pk__in=named)).values_list("pk", flat=True))
    if named - theirs:
        names = ", ".join(p.name for p in Person.objects.filter(pk__in=named - theirs).order_by("family_name")[:5])
        raise AssignmentError(f"You cannot assign to {names}: they are not in your part or team.", "reach")
    condition = reach.get("in")
    parts = own_parts(account)
    if condition and not parts:
        raise AssignmentError("As a manager you assign to people by name. Take the conditions out.", "reach")
    if condition:
        within = {"kind": "any", "parts": [{"kind": "unit", "unit": u.pk, "below": True} for u in parts]}
        condition = {"kind": "all", "parts": [within, condition]}
    return {**reach, "in": condition}


def _own(account: Any) -> Q:
    return Q(owner=account.pk)


def _in_part(account: Any) -> Q:
    """Those made within units that are all in the account's part, and one's own."""
    beyond = Unit.objects.exclude(pk__in=part_of(account))
    bounded = Q(parts__isnull=False) & ~Q(pk__in=Assignment.objects.filter(parts__in=beyond).values("pk"))
    return Q(pk__in=Assignment.objects.filter(bounded).values("pk")) | _own(account)


def register() -> None:
    refusal = "Only who made this assignment, or administers its part, can change it."
    policy.relation_by_rows(Assignment, policy.PART, _in_part, refusal)
    policy.relation_by_rows(Assignment, policy.ASSIGNS, _own, refusal)


def is_manager_only(account: Account) -> bool:
    """Whether the account assigns as a manager only: by name, without conditions."""
    roles = policy.roles_of(account)
    return Role.MANAGER in roles and not roles & {Role.ADMINISTRATOR, Role.UNIT_ADMINISTRATOR}
