"""How many days every completion took, kept between reports: of those whose rows change only theirs are reckoned again. Rule: 16."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from threading import Lock

import numpy as np
from django.db import connection
from numpy.typing import NDArray

from stepladder import clock
from stepladder.assignments.column_cache import cache_arrays, cached_arrays
from stepladder.assignments.columns import everything, moved_since
from stepladder.core.columns import is_one_of
from stepladder.core.reports import days_taken
from stepladder.fact_arrays import Facts

__all__ = ["completion_days", "days_known_on"]

WHAT = "days taken"
# Where so many are in it, the array is kept on disk.
WORTH_STORING = 200_000


@dataclass(frozen=True, eq=False)
class _Kept:
    """The days of all facts in their order, of those that were revoked too; as known on a *day*, after a *change* of what is asked."""

    state: tuple[str, int, int]
    change: int
    day: date
    taken: NDArray[np.float64]


_held: list[_Kept] = []
_reckoning = Lock()


def completion_days(facts: Facts) -> NDArray[np.float64]:
    """For each of the completions that are known the days it took from the opening of what it covers; nan where that says nothing."""
    with _reckoning:
        kept = _up_to_date(facts)
    return kept.taken if not len(facts.revoked) else kept.taken[facts.is_known]


def _up_to_date(facts: Facts) -> _Kept:
    # The columns first: their number says up to which change they are.
    asked, today = everything(), clock.today()
    old = _held[0] if _held else _from_disk()
    if old and (old.state, old.change, old.day) == (facts.state, asked.change, today):
        return _keep(old)
    moved = moved_since(old.change, asked.change) if old and old.day == today and len(old.taken) <= len(facts) else None
    if old is None or moved is None:
        new = _Kept(facts.state, asked.change, today, _reckoned(facts, np.ones(len(facts), dtype=bool), today))
    else:
        # What is recorded or revoked moves its person as well; a new row has no number to stand on until it is reckoned.
        taken = np.concatenate([old.taken, np.full(len(facts) - len(old.taken), np.nan)])
        rows = is_one_of(facts.arrays["person"], moved)
        rows[len(old.taken) :] = True
        taken[rows] = _reckoned(facts, rows, today)
        new = _Kept(facts.state, asked.change, today, taken)
    return _keep(new)


def days_known_on(facts: Facts, rows: NDArray[np.bool_], day: date) -> NDArray[np.float64]:
    """The same of some of all completions, as it was known at the end of a day."""
    return _reckoned(facts, rows, day)


def _reckoned(facts: Facts, rows: NDArray[np.bool_], today: date) -> NDArray[np.float64]:
    tables = everything().tables
    person, course, day = (
        facts.arrays[name] if rows.all() else facts.arrays[name][rows] for name in ("person", "course", "day")
    )
    return days_taken(
        person,
        course,
        day.astype(np.int64),
        reasons=tables.reasons.known_on(today),
        links=tables.links.known_on(today),
        today=today,
    )


def _keep(kept: _Kept) -> _Kept:
    # Within a transaction nothing is: it may be rolled back.
    if not connection.in_atomic_block:
        if len(kept.taken) >= WORTH_STORING and (not _held or _held[0].day != kept.day):
            _store(kept)
        _held[:] = [kept]
    return kept


def _store(kept: _Kept) -> None:
    cache_arrays(WHAT, kept.change, {"taken": kept.taken}, state=kept.state, day=kept.day.isoformat())


def _from_disk() -> _Kept | None:
    found = cached_arrays(WHAT)
    if found is None:
        return None
    last_id, count, total = found.stated["state"]
    day = date.fromisoformat(found.stated["day"])
    return _Kept((last_id, count, total), found.change, day, found.arrays["taken"])
