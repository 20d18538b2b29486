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
    """For each role an account that no role before it took; none outside the demo."""
    if not settings.DEMO:
        return []
    found: list[DemoPerson] = []
    for role in Role:
        taken = [person.public_id for person in found]
        account = (
            Account.objects.filter(grants__role=role, is_active=True)
            .exclude(public_id__in=taken)
            .order_by("pk")
            .first()
        )
        if account:
            found.append(DemoPerson(account.public_id, account.name, role.label, SAYS[role]))
    return found
