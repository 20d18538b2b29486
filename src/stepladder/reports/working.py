"""What a report needs that takes long: days of how things stood, which the queue works out before it is shown."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import date
from typing import Any

from django.db import transaction
from django_tasks import task

from stepladder import clock
from stepladder.assignments.standing_days import Moment
from stepladder.core.reports import periods_of
from stepladder.learning.completion_arrays import completion_arrays
from stepladder.queue.actions import Queue, is_waiting, later
from stepladder.reports.completion_times import completion_days
from stepladder.reports.counted import every_counted
from stepladder.reports.sentences import Asked

__all__ = [
    "hand_over",
    "is_under_way",
    "make_ready",
    "moments_of",
    "to_work_out",
    "words_of_day",
    "work_out_day",
]

# So many days are worked out while a page waits: each takes a large firm half a second.
FEW_DAYS = 4
# Of so many months reports are asked most often.
MONTHS = 24


def moments_of(asked: Asked) -> list[Moment]:
    """The days on which it takes how things stand, each once."""
    if not asked.counted.is_state:
        return []
    days = sorted({asked.span.day, *(period.day for period in asked.periods)})
    return [Moment(day, asked.known_on) for day in days]


def to_work_out(asked: Asked) -> list[Moment]:
    """The days that it would have to work out, where they are too many to wait for."""
    missing = asked.counted.missing(moments_of(asked)) if asked.counted.missing else []
    return missing if len(missing) > FEW_DAYS else []


def hand_over(moments: Sequence[Moment]) -> None:
    """Have days worked out by the queue; asked again while that goes on it is as once."""
    with transaction.atomic():
        if not is_under_way():
            # Each by itself, so that who waits for something short waits for one of them only.
            for day, known_on in moments:
                known = known_on.isoformat() if known_on else ""
                later(work_out_day, queue=Queue.NOW, day=day.isoformat(), known=known)


def is_under_way() -> bool:
    """Whether the queue has days to work out."""
    return is_waiting(work_out_day)


@task()
def work_out_day(day: str, known: str = "") -> None:
    """Work out how things stood on a day, as known on a day ("": now), and keep it."""
    moment = Moment(date.fromisoformat(day), date.fromisoformat(known) if known else None)
    for counted in every_counted():
        if counted.work_out is not None:
            counted.work_out(moment)


@task()
def make_ready() -> None:
    """Every day: what most reports ask for is read before anybody waits for it, the ends of two years of months among it."""
    completion_days(completion_arrays())
    today = clock.today()
    first = today.replace(year=today.year - MONTHS // 12, day=1)
    months = periods_of("month", first, today, today=today, calendar=clock.calendar())
    for counted in every_counted():
        if counted.missing is not None and counted.work_out is not None:
            for moment in counted.missing(Moment(period.day) for period in months):
                counted.work_out(moment)


def words_of_day(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    return f"working out how things stood on {said.get('day', 'a day')}, for a report"
