"""Daily work: apps hand in a task each; the worker enqueues it once a day of the organisation, and catches up.

What has to be seen to more often hands in what enqueues it, which is asked twice a minute.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.queue.actions import Queue, later
from stepladder.web.models import DailyRun

__all__ = ["add", "add_frequent", "enqueue_due", "enqueue_frequent", "tasks"]

_tasks: dict[str, Any] = {}
_frequent: list[Callable[[], None]] = []


def add(name: str, task: Any) -> None:
    """Hand in a task that is to run once a day. It must come to the same however often it runs."""
    _tasks[name] = task


def tasks() -> dict[str, Any]:
    """Name → task."""
    return _tasks


@transaction.atomic
def enqueue_due() -> list[str]:
    """Enqueue what has not been enqueued for today; the names of what was. Missed days need no run of their own."""
    today = clock.today()
    due = []
    for name, task in _tasks.items():
        row, is_new = DailyRun.objects.get_or_create(name=name, defaults={"day": today})
        if is_new or row.day < today:
            DailyRun.objects.filter(pk=row.pk).update(day=today)
            later(task, queue=Queue.BULK)
            due.append(name)
    return due


def add_frequent(enqueue: Callable[[], None]) -> None:
    """Hand in what looks, twice a minute, whether there is something to enqueue, and does; it must be quick."""
    if enqueue not in _frequent:
        _frequent.append(enqueue)


def enqueue_frequent() -> None:
    """Ask everything that was handed in."""
    for enqueue in _frequent:
        enqueue()
