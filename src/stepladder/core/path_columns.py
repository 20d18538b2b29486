"""How everybody stands with a learning path. Rule: 4.

The same rule as `paths.path_link`, over columns: a path holds as one link does, so that its reasons are judged as a course's are.
"""

from __future__ import annotations

from datetime import date

import numpy as np

from stepladder.core.columns import Days, LinkColumns, WaiverColumns, keys_of
from stepladder.core.paths import Plan

__all__ = ["path_columns"]

EVER = np.iinfo(np.int32).max


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


def _all(value: int, rows: Days) -> Days:
    return np.full(len(rows), value, dtype=np.int32)
