"""What an act on people, charts or leads would do, before it is done.

The act itself is rehearsed: run in a transaction that is rolled back, with its events held. So what is foretold is what the
act does, its refusals included, and there is no second set of rules that could part from the first.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import date
from typing import Protocol

from django.db import transaction

from stepladder import events

__all__ = ["Comparison", "compare_by", "rehearse"]

OF_PEOPLE = (events.ChartChanged, events.EmploymentChanged, events.PlacementChanged)


class Comparison(Protocol):
    """Something of a day that is looked at before an act and after it. It is made before the act."""

    def look_after(self, people: list[int]) -> None:
        """The act is done, and touches these people."""

    def look_before(self) -> bool:
        """The act is not done (again); whether it has to be looked at once more after it."""

    def look_after_again(self) -> None:
        """The act is done for the second time; asked only where `look_before` wants it."""

    def lines(self) -> list[events.EffectLine]:
        """What differs."""


_comparisons: list[Callable[[date], Comparison]] = []


def compare_by(comparison: Callable[[date], Comparison]) -> None:
    """Hand in what is compared, for a day."""
    _comparisons.append(comparison)


def rehearse(act: Callable[[], object], *, day: date) -> list[events.EffectLine]:
    """What the act would do, seen on a day. Raises what the act raises."""
    compared = [comparison(day) for comparison in _comparisons]
    with _rolled_back(act) as people:
        for one in compared:
            one.look_after(people)
        foretold = events.propose(events.PeopleProposed(tuple(people))) if people else []
    unsure = [one for one in compared if one.look_before()]
    if unsure:
        with _rolled_back(act):
            for one in unsure:
                one.look_after_again()
    return [line for one in compared for line in one.lines()] + foretold


@contextmanager
def _rolled_back(act: Callable[[], object]) -> Iterator[list[int]]:
    """Within the block the act is done, and nobody was told; whom it touches."""
    with transaction.atomic():
        with events.held() as announced:
            act()
        yield sorted({key for event in announced if isinstance(event, OF_PEOPLE) for key in event.people})
        transaction.set_rollback(True)
