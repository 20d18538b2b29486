"""How everybody stands with a learning path. Rule: 4.

The same rule as `paths.path_link`, over columns: a path holds as one link does, so that its reasons are judged as a course's are.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np

from stepladder.core.columns import Days, LinkColumns, RequirementColumns, WaiverColumns, keys_of
from stepladder.core.paths import DONE, Plan
from stepladder.core.requirements import LATE

__all__ = ["StageCount", "path_columns", "stage_counts"]

EVER = np.iinfo(np.int32).max


@dataclass(frozen=True)
class StageCount:
    """How many stand in a stage: the first in which they have something to do; and how many of them are late with it."""

    here: int
    late: int


def path_columns(
    plan: Plan, path: int, people: Days, latest: LinkColumns, waivers: WaiverColumns, *, day: date
) -> tuple[LinkColumns, WaiverColumns]:
    """For these people (in order, each once) the link of a path where it holds or held, and a waiver of the day where all of it is
    waived; *course* is the path in both. *latest* are the links that speak on the day, *waivers* those known then.
    """
    today = day.toordinal()
    waived_keys = waivers.where((waivers.first <= today) & (today <= waivers.last)).keys
    asked, held = np.zeros(len(people), dtype=np.int32), np.zeros(len(people), dtype=np.int32)
    # The link of the course that expires first, so far.
    best = np.full(len(people), -1, dtype=np.int64)
    until, window = np.full(len(people), EVER, dtype=np.int64), np.zeros(len(people), dtype=np.int64)
    for course in plan.courses:
        keys = keys_of(people, np.full(len(people), course, dtype=np.int64))
        at, has_link = latest.places_of(keys)
        is_asked = ~np.isin(keys, waived_keys)
        asked += is_asked
        has_link &= is_asked
        held += has_link
        row, place = np.flatnonzero(has_link), at[has_link]
        valid_until, opens = latest.valid_until[place], latest.window[place]
        sooner = (valid_until < until[row]) | ((valid_until == until[row]) & (opens > window[row]))
        row, place = row[sooner], place[sooner]
        best[row], until[row], window[row] = place, valid_until[sooner], opens[sooner]
    whole = (held == asked) & (held > 0)
    place, waived = best[whole], people[asked == 0]
    return (
        LinkColumns(
            person=people[whole],
            course=_all(path, place),
            first=_all(today, place),
            taken=latest.taken[place],
            valid_until=latest.valid_until[place],
            window=latest.window[place],
            grace=latest.grace[place],
            known_from=_all(0, place),
            known_to=_all(EVER, place),
        ),
        WaiverColumns(
            person=waived,
            course=_all(path, waived),
            first=_all(today, waived),
            last=_all(today, waived),
            known_from=_all(0, waived),
            known_to=_all(EVER, waived),
        ),
    )


def stage_counts(plan: Plan, people: Days, asked: RequirementColumns) -> list[StageCount]:
    """Where these people stand on a path, stage by stage; who is in none has reached its top.

    *asked* are the requirements of the day, the path's courses among them. A course that is asked of somebody no more holds
    nobody up.
    """
    counts, to_do, late = [], ~asked.stands(DONE), asked.stands(LATE)
    climbing = np.ones(len(people), dtype=bool)
    for stage in plan.stages:
        has_to_do, is_late = np.zeros(len(people), dtype=bool), np.zeros(len(people), dtype=bool)
        for course in stage.courses:
            at, is_asked = asked.places_of(keys_of(people, np.full(len(people), course, dtype=np.int64)))
            has_to_do[is_asked] |= to_do[at[is_asked]]
            is_late[is_asked] |= late[at[is_asked]]
        here = climbing & has_to_do
        counts.append(StageCount(int(here.sum()), int((here & is_late).sum())))
        climbing &= ~has_to_do
    return counts


def _all(value: int, rows: Days) -> Days:
    return np.full(len(rows), value, dtype=np.int32)
