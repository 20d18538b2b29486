"""Getting into a course or path: how one gets in, and who decides on a request when. Rules: 12, 20."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from datetime import date, timedelta
from enum import StrEnum

__all__ = [
    "ASK_AGAIN_DAYS",
    "NEXT_CIRCLE_DAYS",
    "Admission",
    "ask_again_from",
    "asked_circles",
    "circles",
    "next_circle_on",
]

# On this day after the asking without a decision the next circle is asked as well.
NEXT_CIRCLE_DAYS = 7
# Whoever was refused may ask again from this day after the refusal on.
ASK_AGAIN_DAYS = 30


class Admission(StrEnum):
    """How one gets into a course or a path. An assignment enrols whatever it is."""

    OPEN = "open"
    ON_APPROVAL = "on approval"
    BY_NOMINATION = "by nomination"
    ASSIGNED_ONLY = "assigned only"


def circles(candidates: Sequence[Collection[int]], *, own: int | None) -> list[frozenset[int]]:
    """Who may be asked, circle by circle from the nearest: direct lines, indirect ones, administrators of the part, all of them.

    *candidates* are those circles as accounts, of today; *own* is the asker's. Nobody decides on their own request unless nobody
    else could. Circles that are empty, or bring nobody new, are left out.
    """
    found: list[frozenset[int]] = []
    known: set[int] = set()
    for circle in candidates:
        others = frozenset(circle) - {own}
        if others - known:
            found.append(frozenset(others - known))
            known |= others
    if found or own is None or not any(own in circle for circle in candidates):
        return found
    return [frozenset({own})]


def asked_circles(asked_on: date, today: date, *, of: int, days: int = NEXT_CIRCLE_DAYS) -> int:
    """Of so many circles, how many have been asked: one at once, and one more on each *days*-th day without a decision."""
    return min(of, 1 + max((today - asked_on).days, 0) // days)


def next_circle_on(asked_on: date, today: date, *, of: int, days: int = NEXT_CIRCLE_DAYS) -> date | None:
    """The day on which the next circle is asked as well; None where there is no further one."""
    reached = asked_circles(asked_on, today, of=of, days=days)
    return asked_on + timedelta(days=reached * days) if reached < of else None


def ask_again_from(refused_on: date) -> date:
    """The first day on which whoever was refused may ask again."""
    return refused_on + timedelta(days=ASK_AGAIN_DAYS)
