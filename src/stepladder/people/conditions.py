"""Conditions that people are found by, as the apps that know them hand them in: who has a placement, who leads somebody."""

from __future__ import annotations

from collections.abc import Callable
from datetime import date

from django.db.models import Exists, Q, QuerySet

from stepladder.people.models import Person

__all__ = ["add_condition", "condition_names", "narrowed"]

# What a list calls it → whether it holds of the person in the outer query, on a day.
_conditions: dict[str, Callable[[date], Q | Exists]] = {}


def add_condition(name: str, holds: Callable[[date], Q | Exists]) -> None:
    """Hand in a condition; *holds* is asked of `people_person` rows: of "pk", or of OuterRef("pk") within Exists."""
    _conditions[name] = holds


def condition_names() -> list[str]:
    """The conditions one may choose from, in the order in which they were handed in."""
    return list(_conditions)


def narrowed(people: QuerySet[Person], name: str, day: date) -> QuerySet[Person]:
    """Those of whom the condition of that name holds on a day; all of them where there is none of that name."""
    return people.filter(_conditions[name](day)) if name in _conditions else people
