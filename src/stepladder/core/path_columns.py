"""How everybody stands with a learning path. Rule: 4.

The same rule as `paths.path_link`, over columns: a path holds as one link does, so that its reasons are judged as a course's are.
"""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

import numpy as np
from numpy.typing import NDArray

from stepladder.core.columns import Days, LinkColumns, RequirementColumns, WaiverColumns, keys_of
from stepladder.core.paths import DONE, Plan
from stepladder.core.requirements import LATE

__all__ = ["StageCount", "path_columns", "stage_counts"]

EVER = np.iinfo(np.int32).max
_NEVER_ENDS = np.iinfo(np.int64).max
# No window is so long: a link's last day and window in one number, to be compared as `paths.path_link` compares them.
_LONGER_THAN_WINDOWS = 1 << 20


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
    none = np.zeros(len(people), dtype=np.int64)
    asked, held, waived_of = none.copy(), none.copy(), none.copy()
    # The link that lasts least, so far: its place, and how long it lasts.
    best, least = np.full(len(people), -1, dtype=np.int64), np.full(len(people), _NEVER_ENDS, dtype=np.int64)

    def ask(place: Days, lasts: Days, is_asked: NDArray[np.bool_]) -> None:
        nonlocal asked, held, best, least
        asked += is_asked
        is_held = is_asked & (place >= 0)
        held += is_held
        sooner = is_held & (lasts < least)
        best, least = np.where(sooner, place, best), np.where(sooner, lasts, least)

    for stage in plan.stages:
        for course in stage.courses:
            place, lasts, is_waived = _held(course, people, latest, waived_keys)
            waived_of += is_waived
            ask(place, lasts, ~is_waived)
        if not stage.electives:
            continue
        columns = [_held(course, people, latest, waived_keys) for course in stage.electives]
        places, lasting = (np.stack([column[n] for column in columns]) for n in (0, 1))
        waived_here = np.sum([column[2] for column in columns], axis=0)
        waived_of += waived_here
        owed = np.minimum(stage.choose, len(columns) - waived_here)
        # Those that last longest first: what is waived, or not held, lasts not at all.
        longest = np.argsort(-lasting, axis=0, kind="stable")
        for nth in range(min(stage.choose, len(columns))):
            at = longest[nth : nth + 1]
            ask(np.take_along_axis(places, at, 0)[0], np.take_along_axis(lasting, at, 0)[0], owed > nth)
    whole = (held == asked) & (held > 0)
    place, waived = best[whole], people[waived_of == len(plan.courses)]
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


def stage_counts(
    plan: Plan,
    people: Days,
    asked: RequirementColumns,
    path: RequirementColumns,
    latest: LinkColumns,
    waivers: WaiverColumns,
    *,
    day: date,
) -> list[StageCount]:
    """Where these people stand on a path, stage by stage; who is in none has reached its top.

    *asked* are the requirements of the day, the path's courses among them; *path* how each person stands with it. A course that is
    asked of somebody no more holds nobody up. Who lacks but electives is late when the path is.
    """
    today = day.toordinal()
    waived_keys = waivers.where((waivers.first <= today) & (today <= waivers.last)).keys
    late_with_path = np.isin(people, path.person[path.stands(LATE)])
    counts, to_do, late = [], ~asked.stands(DONE), asked.stands(LATE)
    climbing = np.ones(len(people), dtype=bool)
    for stage in plan.stages:
        has_to_do, is_late = np.zeros(len(people), dtype=bool), np.zeros(len(people), dtype=bool)
        for course in stage.courses:
            at, is_asked = asked.places_of(keys_of(people, np.full(len(people), course, dtype=np.int64)))
            has_to_do[is_asked] |= to_do[at[is_asked]]
            is_late[is_asked] |= late[at[is_asked]]
        if stage.electives:
            columns = [_held(course, people, latest, waived_keys) for course in stage.electives]
            covered = np.sum([_until(latest, place) >= today for place, _, _ in columns], axis=0)
            owed = np.minimum(stage.choose, len(columns) - np.sum([waived for _, _, waived in columns], axis=0))
            is_late |= (covered < owed) & late_with_path
            has_to_do |= covered < owed
        here = climbing & has_to_do
        counts.append(StageCount(int(here.sum()), int((here & is_late).sum())))
        climbing &= ~has_to_do
    return counts


def _held(course: int, people: Days, latest: LinkColumns, waived_keys: Days) -> tuple[Days, Days, NDArray[np.bool_]]:
    """Of a course, for each person: the place of the link that speaks (-1: none, or waived), how long it lasts as a number to
    compare, and whether it is waived."""
    keys = keys_of(people, np.full(len(people), course, dtype=np.int64))
    at, has_link = latest.places_of(keys)
    is_waived = np.isin(keys, waived_keys)
    counts = has_link & ~is_waived
    place, lasts = np.full(len(people), -1, dtype=np.int64), np.full(len(people), -1, dtype=np.int64)
    place[counts] = held = at[counts]
    lasts[counts] = latest.valid_until[held].astype(np.int64) * _LONGER_THAN_WINDOWS - latest.window[held]
    return place, lasts, is_waived


def _until(latest: LinkColumns, place: Days) -> Days:
    """The last day on which the links at these places are valid; before every day where there is none."""
    until = np.full(len(place), -1, dtype=np.int64)
    until[place >= 0] = latest.valid_until[place[place >= 0]]
    return until


def _all(value: int, rows: Days) -> Days:
    return np.full(len(rows), value, dtype=np.int32)
