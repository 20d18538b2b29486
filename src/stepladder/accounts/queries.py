"""Reading accounts."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from django.conf import settings

from stepladder.accounts import policy
from stepladder.accounts.models import Account, Role

__all__ = ["DemoPerson", "demo_people"]

SAYS = {
    Role.ADMINISTRATOR: "runs training: everything",
    Role.UNIT_ADMINISTRATOR: "runs training for one part",
    Role.MANAGER: "sees who of their people is late",
    Role.INSTRUCTOR: "teaches, and signs the roster",
    Role.AUTHOR: "builds modules and courses",
    Role.AUDITOR: "reads the evidence, changes nothing",
    Role.LEARNER: "does what is due next",
}


@dataclass(frozen=True)
class DemoPerson:
    """One account a role that the demo's sign-in page offers."""

    public_id: str
    name: str
    role: str
    description: str


def demo_people() -> list[DemoPerson]:
    """For each role an account that no role before it took; none outside the demo."""
    if not settings.DEMO:
        return []
    found: list[DemoPerson] = []
    for role in Role:
        # Nobody is a path builder and nothing else.
        if role is Role.PATH_BUILDER:
            continue
        account = next((a for a in _candidates(role) if a.public_id not in {p.public_id for p in found}), None)
        if account:
            found.append(DemoPerson(account.public_id, account.name, role.label, SAYS[role]))
    return found


def _candidates(role: Role) -> Iterator[Account]:
    """Whoever has the role; managers are known by what they lead, and are nothing else beside learners."""
    active = Account.objects.filter(is_active=True).order_by("pk")
    if role is not Role.MANAGER:
        yield from active.filter(grants__role=role)
        return
    others = active.exclude(grants__role__in=[r for r in Role if r is not Role.LEARNER])
    yield from (account for account in others if role in policy.roles_of(account))
