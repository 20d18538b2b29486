"""How many days a completion took from the opening of the requirement that it covers. Rule: 16."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder.core.columns import LinkColumns, ReasonColumns, keys_of
from stepladder.core.reports.facts import each_once

__all__ = ["days_taken"]

# Days of the calendar fit into so many bits.
_BITS = 22
_NEVER = np.iinfo(np.int64).max


def days_taken(
    person: NDArray[Any],
    course: NDArray[Any],
    day: NDArray[Any],
    *,
    reasons: ReasonColumns,
    links: LinkColumns,
    today: date,
) -> NDArray[np.float64]:
    """For each completion the days since the opening of the requirement that it was the first to cover; nan for renewals, and for
    what nobody had asked for.

    Of several reasons open on its day the mandatory ones count where there are any, of these that which was opened first. One that was
    taken before the opening and valid on it covers it too: 0 days. *reasons* and *links* as known, in order.
    """
    keys = keys_of(person, course)
    chains = _ordered(links, keys)
    before, valid_until = _before(chains, day)
    start = np.searchsorted(reasons.keys, keys, side="left")
    count = np.searchsorted(reasons.keys, keys, side="right") - start
    row = np.repeat(np.arange(len(keys)), count)
    reason = start[row] + np.arange(len(row)) - np.repeat(np.cumsum(count) - count, count)
    opened = reasons.opened[reason].astype(np.int64)
    taken = day[row]
    counts = (taken >= reasons.taken_from[reason]) & (opened <= today.toordinal())
    # What was held on the opening, by a day that counts, covers it already.
    held = (before[row] >= 0) & (before[row] >= reasons.taken_from[reason]) & (valid_until[row] >= opened)
    is_open = (opened <= taken) & (reasons.first[reason] <= taken) & (taken <= reasons.last[reason])
    is_first = counts & is_open & (before[row] < opened) & ~held
    found = np.full(len(keys), np.nan)
    earlier = counts & (opened > taken) & (_valid_until(chains, day)[row] >= opened)
    _set_least(found, row[earlier], np.zeros(int(earlier.sum()), dtype=np.int64))
    for is_mandatory in (False, True):
        some = is_first & (reasons.mandatory[reason] == is_mandatory)
        _set_least(found, row[some], opened[some], of=day)
    return found


def _set_least(
    found: NDArray[np.float64], row: NDArray[Any], opened: NDArray[Any], of: NDArray[Any] | None = None
) -> None:
    """Give rows the days since the earliest of their openings (without *of*: 0)."""
    least = np.full(len(found), _NEVER)
    np.minimum.at(least, row, opened)
    has = least != _NEVER
    found[has] = np.maximum(of[has] - least[has], 0) if of is not None else 0


@dataclass(frozen=True, eq=False)
class _Chains:
    """The links by key and day taken, as one number each; and for the asked keys the number that theirs begin with."""

    number: NDArray[np.int64]
    taken: NDArray[Any]
    valid_until: NDArray[Any]
    base: NDArray[np.int64]


def _ordered(links: LinkColumns, keys: NDArray[np.int64]) -> _Chains:
    of_links = links.keys
    every = each_once(np.concatenate([of_links, keys]))
    number = (np.searchsorted(every, of_links) << _BITS) | links.taken
    order = np.argsort(number, kind="stable")
    return _Chains(number[order], links.taken[order], links.valid_until[order], np.searchsorted(every, keys) << _BITS)


def _before(chains: _Chains, day: NDArray[Any]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The day of the last completion before each of these, and until when that was valid; -1 where there is none."""
    if not len(chains.number):
        none = np.full(len(day), -1, dtype=np.int64)
        return none, none
    at = np.searchsorted(chains.number, chains.base | day, side="left") - 1
    there = (at >= 0) & (chains.number[np.maximum(at, 0)] >= chains.base)
    at = np.maximum(at, 0)
    return np.where(there, chains.taken[at], -1), np.where(there, chains.valid_until[at], -1)


def _valid_until(chains: _Chains, day: NDArray[Any]) -> NDArray[np.int64]:
    """Until when each of these completions is valid; -1 where no link is of its day."""
    if not len(chains.number):
        return np.full(len(day), -1, dtype=np.int64)
    at = np.searchsorted(chains.number, chains.base | day, side="right") - 1
    same = (at >= 0) & (chains.number[np.maximum(at, 0)] == (chains.base | day))
    return np.where(same, chains.valid_until[np.maximum(at, 0)], -1)
