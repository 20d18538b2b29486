"""In which groups the rows of a report are. Rule: 16."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder.core.charts import DatedChart, Tree
from stepladder.core.reports.facts import each_once

__all__ = ["NO_GROUP", "Groups", "NodesOverTime", "grouped", "groups_of_codes", "groups_through", "nodes_over_time"]

# The code of a row that is in no group: it is shown as such, so that nothing is missing from the sum.
NO_GROUP = -1


@dataclass(frozen=True, eq=False)
class Groups:
    """Pairs of a row and the code of a group that it is in, each once, in order of rows. Every row is in one at least."""

    row: NDArray[np.int64]
    code: NDArray[np.int64]

    @classmethod
    def of_pairs(cls, row: NDArray[Any], code: NDArray[Any], count: int) -> Groups:
        """Of pairs in any order, some of them alike; of *count* rows those that are in none are in NO_GROUP."""
        known = code != NO_GROUP
        row, code = row[known].astype(np.int64), code[known].astype(np.int64)
        without = np.ones(count, dtype=bool)
        without[row] = False
        rest = np.flatnonzero(without)
        base = int(code.max(initial=0)) + 2
        # Each pair once: two placements below the same unit are one of it.
        keys = each_once(np.concatenate([row * base + code + 1, rest * base]))
        return cls(keys // base, keys % base - 1)


def groups_of_codes(codes: NDArray[Any]) -> Groups:
    """Each row in the one group whose code it has."""
    return Groups(np.arange(len(codes)), codes.astype(np.int64))


def groups_through(codes: NDArray[Any], leads_to: Mapping[int, Sequence[int]]) -> Groups:
    """Each row in every group that its code leads to: a course to its topics."""
    found_rows, found_codes = [np.zeros(0, dtype=np.int64)], [np.zeros(0, dtype=np.int64)]
    for code in np.unique(codes).tolist():
        rows = np.flatnonzero(codes == code)
        for group in leads_to.get(code, ()):
            found_rows.append(rows)
            found_codes.append(np.full(len(rows), group, dtype=np.int64))
    return Groups.of_pairs(np.concatenate(found_rows), np.concatenate(found_codes), len(codes))


@dataclass(frozen=True, eq=False)
class NodesOverTime:
    """For each node of charts the code that it has on a day: *codes* has a row for each stretch of days that begins on *starts*."""

    starts: NDArray[np.int64]
    codes: NDArray[np.int64]

    def at(self, day: NDArray[Any], node: NDArray[Any]) -> NDArray[np.int64]:
        """The codes of nodes on days; NO_GROUP where a node did not stand."""
        stretch = np.maximum(np.searchsorted(self.starts, day, side="right") - 1, 0)
        found: NDArray[np.int64] = self.codes[stretch, node]
        return found


def nodes_over_time(
    chart: DatedChart, days: NDArray[Any], most: int, codes_on: Callable[[Tree], Mapping[int, int]]
) -> NodesOverTime:
    """What *codes_on* says of the tree of each of these days, for nodes with keys up to *most*. Trees that are alike are asked once."""
    changes = np.array([day.toordinal() for day in chart.days_of_change()], dtype=np.int64)
    # Only of the stretches that a row falls into.
    stretches = np.unique(np.searchsorted(changes, each_once(days), side="right"))
    starts = np.array([changes[n - 1] if n else 0 for n in stretches.tolist()], dtype=np.int64)
    table = np.full((max(len(starts), 1), most + 1), NO_GROUP, dtype=np.int64)
    for place, start in enumerate(starts.tolist()):
        tree = chart.on(date.fromordinal(start) if start else date.min)
        for node, code in codes_on(tree).items():
            if node <= most:
                table[place, node] = code
    return NodesOverTime(starts if len(starts) else np.zeros(1, dtype=np.int64), table)


def grouped(
    groupings: Sequence[Groups], count: int
) -> tuple[NDArray[np.int64], NDArray[np.int64], list[tuple[int, ...]]]:
    """(row, place, codes): every row in every combination of its groups; *place* is that of the combination in *codes*.

    Without groupings all *count* rows are in one, the empty combination.
    """
    if not groupings:
        return np.arange(count), np.zeros(count, dtype=np.int64), [()]
    if len(groupings) == 1:
        codes, place = _places(groupings[0].code)
        return groupings[0].row, place, [(code,) for code in codes.tolist()]
    first, second = groupings
    # The pairs of the second that belong to the row of each pair of the first.
    start = np.searchsorted(second.row, first.row, side="left")
    times = np.searchsorted(second.row, first.row, side="right") - start
    pair = np.repeat(np.arange(len(first.row)), times)
    other = start[pair] + np.arange(len(pair)) - np.repeat(np.cumsum(times) - times, times)
    base = int(second.code.max(initial=0)) + 2
    keys = (first.code[pair] + 1) * base + second.code[other] + 1
    found, place = np.unique(keys, return_inverse=True)
    return first.row[pair], place, [(key // base - 1, key % base - 1) for key in found.tolist()]


def _places(codes: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """The different codes in order, and the place of each among them. Codes are keys of rows, so a table of them is small."""
    least, most = int(codes.min(initial=0)), int(codes.max(initial=0))
    if most - least > 4 * len(codes) + 1_000:
        different, place = np.unique(codes, return_inverse=True)
        return different, place
    there = np.zeros(most - least + 1, dtype=bool)
    there[codes - least] = True
    table = np.cumsum(there) - 1
    return np.flatnonzero(there) + least, table[codes - least]
