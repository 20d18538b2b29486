"""Whose sheets an account may open: for pages that name people."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from stepladder.accounts import policy
from stepladder.people.models import Person

__all__ = ["sheets_open_to"]


def sheets_open_to(account: Any, people: Iterable[Person]) -> set[int]:
    """Of these people, those whose sheet the account may open: the others are named without a link."""
    shown = policy.visible(account, "see people", Person.objects.filter(pk__in={person.pk for person in people}))
    return set(shown.values_list("pk", flat=True))
