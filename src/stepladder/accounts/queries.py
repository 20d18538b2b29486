"""Reading accounts."""

from __future__ import annotations

from dataclasses import dataclass

from django.conf import settings

from stepladder.accounts.models import Account, Role

__all__ = ["DemoPerson", "demo_people"]

SAYS = {
    Role.ADMINISTRATOR: "runs training: everything",
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
    says: str


def demo_people() -> list[DemoPerson]:
    """The first account of each role, in the order of the roles; none outside the demo."""
    if not settings.DEMO:
        return []
    found = []
    for role in Role:
        account = Account.objects.filter(grants__role=role, is_active=True).order_by("pk").first()
        if account:
            found.append(DemoPerson(account.public_id, account.name, role.label, SAYS[role]))
    return found
