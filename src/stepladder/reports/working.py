"""What a report needs that takes long: days of how things stood, which the queue works out before it is shown."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django_tasks import task

from stepladder import clock
from stepladder.core.reports import periods_of
from stepladder.learning.completion_arrays import completion_arrays
from stepladder.queue.actions import Queue, is_waiting, later
from stepladder.reports.completion_times import completion_days
from stepladder.reports.counted import every_counted
from stepladder.reports.sentences import Asked

__all__ = [
    "days_of_report",
    "days_to_work_out",
    "hand_over_days",
    "is_under_way",
    "make_ready",
    "words_of_day",
    "work_out_day",
]

# So many days are worked out while a page waits: each takes a large firm half a second.
FEW_DAYS = 4
# Of so many months reports are asked most often.
MONTHS = 24


def days_of_report(asked: Asked) -> list[date]:
    """The days on which it takes how things stand, each once."""
    if not asked.counted.is_state:
        return []
    return sorted({asked.span.day, *(period.day for period in asked.periods)})


def days_to_work_out(asked: Asked) -> list[date]:
    """The days that it would have to work out, where they are too many to wait for."""
    missing = asked.counted.days_missing(days_of_report(asked)) if asked.counted.days_missing else []
    return missing if len(missing) > FEW_DAYS else []


def hand_over_days(days: Sequence[date]) -> None:
    """Have days worked out by the queue; asked again while that goes on it is as once."""
    with transaction.atomic():
        if not is_under_way():
            # Each by itself, so that who waits for something short waits for one of them only.
            for day in days:
                later(work_out_day, queue=Queue.NOW, day=day.isoformat())


def is_under_way() -> bool:
    """Whether the queue has days to work out."""
    return is_waiting(work_out_day)


@task()
def work_out_day(day: str) -> None:
    """Work out how things stood on a day, and keep it."""
    for counted in every_counted():
        if counted.work_out is not None:
            counted.work_out(date.fromisoformat(day))


@task()
def make_ready() -> None:
    """Every day: what most reports ask for is read before anybody waits for it, the ends of two years of months among it."""
    completion_days(completion_arrays())
    today = clock.today()
    first = today.replace(year=today.year - MONTHS // 12, day=1)
    months = periods_of("month", first, today, today=today, calendar=clock.calendar())
    for counted in every_counted():
        if counted.days_missing is not None and counted.work_out is not None:
            for day in counted.days_missing(period.day for period in months):
                counted.work_out(day)


def words_of_day(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    return f"working out how things stood on {said.get('day', 'a day')}, for a report"
