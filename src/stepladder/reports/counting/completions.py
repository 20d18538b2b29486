"""What was completed, with which score, and how long that took. Rule: 16."""

from __future__ import annotations

import numpy as np

from stepladder import clock
from stepladder.arrays import Column, Holds, read_arrays
from stepladder.assignments.columns import everything
from stepladder.core.reports import Count, Facts, Mean, Middle, days_taken
from stepladder.learning.models import Completion
from stepladder.reports.counted import Counted, Span

__all__ = ["COMPLETIONS"]


def read(span: Span) -> Facts:
    """Every completion of the span's days that was not revoked."""
    rows = Completion.objects.known_now().filter(day__gte=span.first, day__lte=span.last)
    if span.courses is not None:
        rows = rows.filter(course__in=span.courses)
    found = read_arrays(
        rows,
        {
            "key": Column("pk"),
            "person": Column("person_id"),
            "course": Column("course_id"),
            "day": Column("day", Holds.DAYS),
            "score": Column("score", Holds.SHARES),
        },
    )
    tables, today = everything().tables, clock.today()
    taken = days_taken(
        found["person"],
        found["course"],
        found["day"].astype(np.int64),
        reasons=tables.reasons.known_on(today),
        links=tables.links.known_on(today),
        today=today,
    )
    return Facts(
        found["key"],
        found["person"],
        found["day"].astype(np.int64),
        {"course": found["course"], "score": found["score"], "days_taken": taken},
    )


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
)
