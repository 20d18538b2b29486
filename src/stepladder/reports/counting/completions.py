"""What was completed, with which score, and how long that took. Rule: 16."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder.core.columns import is_one_of
from stepladder.core.reports import Count, Facts, Mean, Middle
from stepladder.learning.completion_arrays import completion_arrays, known_on
from stepladder.reports.completion_times import completion_days, days_known_on
from stepladder.reports.counted import Counted, Span

__all__ = ["COMPLETIONS"]


def read(span: Span) -> Facts:
    """Every completion of the span's days that was not revoked, or was not yet by the day of knowledge."""
    written = completion_arrays()
    if span.known_on is None:
        found, taken = written.known, completion_days(written)
    else:
        known = known_on(written, span.known_on)
        found = {name: column[known] for name, column in written.arrays.items()}
        taken = days_known_on(written, known, span.known_on)
    day = found["day"].astype(np.int64)
    keep = (day >= span.first.toordinal()) & (day <= span.last.toordinal())
    if span.courses is not None:
        keep &= is_one_of(found["course"], span.courses)
    key, person, course, day, score, taken = (
        _where(column, keep) for column in (found["key"], found["person"], found["course"], day, found["score"], taken)
    )
    return Facts(key, person, day, {"course": course, "score": score, "days_taken": taken}, None, span.known_on)


def _where(column: NDArray[Any], keep: NDArray[np.bool_]) -> NDArray[Any]:
    return column if keep.all() else column[keep]


COMPLETIONS = Counted(
    "completions",
    "what was completed",
    (
        Count("completions", "completions"),
        Count("people", "people", once="person"),
        Middle("days_taken", "days taken", value="days_taken"),
        Mean("score", "mean score", value="score"),
    ),
    read,
    (
        "Completions by the day from which they count; what was revoked is none.",
        "Days taken: from the opening of the requirement to the first completion that covers it; renewals are left out.",
        "The mean score of fewer than 5 people is “few”.",
    ),
    frozenset({"course", "topic"}),
    by_both_clocks=True,
)
