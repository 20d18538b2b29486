"""What the rules would tell in the time to come, if nothing were done until then: to how many, and on which days. Rule: 13."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, timedelta

import numpy as np
from numpy.typing import NDArray

from stepladder import clock
from stepladder.core.telling import Moment, to_come
from stepladder.telling.findings import quiet_days, running_rules
from stepladder.telling.levels import Level, asked_on
from stepladder.telling.models import NoticeRule
from stepladder.telling.tasks import told_today

__all__ = ["Forecast", "OfRule", "forecast"]

YEAR = 365
WEEK = 7
# What is told in the next weeks is told week by week.
NEXT_WEEKS = 6


@dataclass(frozen=True)
class OfRule:
    """What one rule would tell: of how many people with the next run, of how many within four weeks, and how often."""

    next_run: int
    people: int
    times: int
    # What will be completed, or handed in, nobody knows.
    is_foretold: bool = True


@dataclass(frozen=True)
class Forecast:
    """Of each week of the year to come how many people would be told something; the next run; and the most within four weeks: on one
    day, and to one person."""

    weeks: list[tuple[date, int]]
    next_run: date
    next_people: int
    fullest: tuple[date, int] | None
    most_for_one: int
    rules: dict[int | None, OfRule]

    @property
    def soon(self) -> list[tuple[date, int]]:
        return self.weeks[:NEXT_WEEKS]

    @property
    def highest(self) -> int:
        return max((people for _, people in self.weeks), default=0)


def forecast(draft: NoticeRule | None = None) -> Forecast:
    """What the running rules would tell, with a *draft* in place of the rule that it is a change of, or beside them. The draft's
    numbers stand under its key, or None."""
    first = clock.today() + timedelta(days=1) if told_today() else clock.today()
    rules = [rule for rule in running_rules() if draft is None or rule.pk != draft.pk] + ([draft] if draft else [])
    quiet, asked = quiet_days(), asked_on(clock.today())
    days = [first + timedelta(days=n) for n in range(YEAR)]
    by_day: list[list[NDArray[np.int64]]] = [[] for _ in days]
    of_rules: dict[int | None, OfRule] = {}
    of_rules |= {rule.pk: OfRule(0, 0, 0, is_foretold=False) for rule in rules if rule.moment not in set(Moment)}
    next_run = quiet.after(first)
    at_next = (next_run - first).days
    for moment in Moment:
        of_moment = [rule for rule in rules if rule.moment == moment]
        level = Level(of_moment, asked)
        for rule in of_moment:
            told: list[list[NDArray[np.int64]]] = [[] for _ in days]
            for _, rows in level.rows_of(rule):
                for at, places in enumerate(to_come(rows, moment, rule.offset, days=days, quiet=quiet)):
                    told[at].append(rows.person[places].astype(np.int64))
            soon = [person for one in told[: 4 * WEEK] for person in one]
            of_rules[rule.pk] = OfRule(
                _people(told[at_next]),
                _people(soon),
                sum(len(np.unique(np.concatenate(one))) for one in told[: 4 * WEEK]),
            )
            for at, one in enumerate(told):
                by_day[at] += one
    a_day = [np.unique(np.concatenate(one)) if one else np.zeros(0, dtype=np.int64) for one in by_day]
    weeks = [(days[at], _people(a_day[at : at + WEEK])) for at in range(0, YEAR - WEEK + 1, WEEK)]
    soon = a_day[: 4 * WEEK]
    fullest = max(range(len(soon)), key=lambda at: len(soon[at]))
    every = np.concatenate(soon)
    return Forecast(
        weeks,
        next_run,
        len(a_day[at_next]),
        (days[fullest], len(soon[fullest])) if len(soon[fullest]) else None,
        int(np.unique(every, return_counts=True)[1].max(initial=0)),
        of_rules,
    )


def _people(arrays: Sequence[NDArray[np.int64]]) -> int:
    """How many different people are in these."""
    return len(np.unique(np.concatenate(arrays))) if arrays else 0
