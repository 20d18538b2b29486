"""Whose names are kept no longer: those who left more than the organisation's years ago."""

from __future__ import annotations

from datetime import date, timedelta

from django.db.models import QuerySet

from stepladder import clock
from stepladder.accounts.organisation import organisation
from stepladder.core.days import Period, add
from stepladder.people.models import Employment, Person

__all__ = ["due", "due_on", "left_on", "obstacle"]


def left_on(person: Person) -> date | None:
    """The last day of somebody; None while they are here, or where it is not known."""
    known = Employment.objects.known_now().filter(person=person).first()
    return known.left_on if known else None


def due_on(left: date) -> date | None:
    """From which day on only the number of whoever left on a day is kept; None: it is kept for ever."""
    years = organisation().keep_years
    if years is None:
        return None
    first = add(left, Period(months=12 * years))
    # Of a 29 February the day after the 28th, so that never too few days have gone by.
    return first if add(first, Period(months=-12 * years)) >= left else first + timedelta(days=1)


def due(day: date, years: int) -> QuerySet[Person]:
    """Who left so many years before a day, or earlier, and is not a number yet; who left first comes first."""
    last = add(day, Period(months=-12 * years))
    known = Employment.objects.known_now().filter(left_on__lte=last)
    rows = Person.objects.filter(shortened_on__isnull=True, employments__in=known)
    return rows.order_by("employments__left_on", "pk")


def obstacle(person: Person) -> str:
    """What stands against shortening somebody, "" where nothing does."""
    left = left_on(person)
    if person.shortened_on is not None:
        return f"{person.name} is kept as a number already."
    if left is None:
        return f"{person.name} has not left. Only who left is shortened to a number."
    if left >= clock.today():
        return f"{person.name} is here until their last day. They can be shortened to a number from the day after it."
    return ""
