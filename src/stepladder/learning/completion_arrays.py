"""All completions as arrays: a large firm has millions of them."""

from __future__ import annotations

from stepladder.arrays import Column, Holds
from stepladder.fact_arrays import FactArrays, Facts
from stepladder.learning.models import Completion

__all__ = ["completion_arrays"]

_completions = FactArrays(
    Completion,
    {
        "person": Column("person_id"),
        "course": Column("course_id"),
        "day": Column("day", Holds.DAYS),
        "score": Column("score", Holds.SHARES),
    },
)


def completion_arrays() -> Facts:
    """Every completion that was ever recorded, with those that were revoked: key, person, course, day (an ordinal), score (nan: none)."""
    return _completions.read()
