"""Whose rows a board or a list shows to an account."""

from __future__ import annotations

from typing import Any

from stepladder.accounts import policy
from stepladder.people.models import Person

__all__ = ["people_in_scope"]


def people_in_scope(account: Any) -> frozenset[int] | None:
    """The people whom an account sees in Records; None: everybody."""
    if policy.sees_every(account, "open records"):
        return None
    scope = policy.visible(account, "open records", Person.objects.all())
    return frozenset(scope.values_list("pk", flat=True))
