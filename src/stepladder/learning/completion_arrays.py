"""All completions as arrays: a large firm has millions of them."""

from __future__ import annotations

from datetime import date

import numpy as np
from numpy.typing import NDArray

from stepladder.arrays import Column, Holds
from stepladder.fact_arrays import FactArrays, Facts
from stepladder.learning.models import Completion

__all__ = ["completion_arrays", "known_on"]

_completions = FactArrays(
    Completion,
    {
        "person": Column("person_id"),
        "course": Column("course_id"),
        "day": Column("day", Holds.DAYS),
        "score": Column("score", Holds.SHARES),
        "recorded": Column("recorded_on", Holds.DAYS),
    },
)


def completion_arrays() -> Facts:
    """Every completion that was ever recorded, with those that were revoked: key, person, course, day (an ordinal), score (nan: none), and
    the day on which it was recorded."""
    return _completions.read()


def known_on(written: Facts, day: date) -> NDArray[np.bool_]:
    """Which of them were recorded by a day and not revoked by then."""
    known = written.arrays["recorded"] <= day.toordinal()
    # Not by a range of keys beside it: the database would look through the table.
    rows = Completion.objects.order_by().filter(revoked_on__lte=day).values_list("pk", flat=True)
    revoked = np.fromiter(rows, dtype=np.int64)
    known[np.searchsorted(written.arrays["key"], revoked[revoked <= written.last])] = False
    return known
