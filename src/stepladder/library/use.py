"""Who uses modules: apps nearer the roof hand in which modules they use, so that one can ask for those that nobody does."""

from __future__ import annotations

from collections.abc import Callable

from django.db.models import Q

from stepladder import events
from stepladder.library.models import Module

__all__ = ["add_user", "courses_with", "is_used"]

_users: list[Callable[[], Q]] = []


def add_user(rows: Callable[[], Q]) -> None:
    """Hand in a condition on modules that holds for those which the app uses."""
    _users.append(rows)


def is_used() -> Q:
    """Of modules: those that anything uses."""
    wanted = Q(pk__in=[])
    for rows in _users:
        wanted |= rows()
    return wanted


def courses_with(module: Module) -> list[str]:
    """The released courses that have it as a step. The library does not know courses: who uses a module says so."""
    return [line.text for line in events.propose(events.ModuleWithdrawalProposed(module.pk)) if line.refuses]
