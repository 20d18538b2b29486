"""How people stand with what is asked of them on a day. Rules: 5, 16."""

from __future__ import annotations

import numpy as np

from stepladder import clock
from stepladder.core.columns import RANK
from stepladder.core.reports import Count, Facts, Rate
from stepladder.core.requirements import LATE, Status
from stepladder.records.attending import requirement_columns
from stepladder.reports.codes import of_courses
from stepladder.reports.counted import Counted, Span

__all__ = ["REQUIREMENTS", "course_of_key"]


def read(span: Span) -> Facts:
    """Every open mandatory requirement on the span's day, as known today."""
    columns = requirement_columns(day=span.day, known_on=clock.today())
    columns = columns.where(columns.mandatory & of_courses(columns.course, span.courses))
    waived = columns.rank == RANK[Status.WAIVED]
    late = columns.stands(LATE)
    return Facts(
        columns.keys,
        columns.person.astype(np.int64),
        np.full(len(columns), span.day.toordinal(), dtype=np.int64),
        {
            "course": columns.course.astype(np.int64),
            "rank": columns.rank,
            "due": columns.due,
            "valid_until": columns.valid_until,
            "waived": waived,
            "not_waived": ~waived,
            "late": late,
            "on_time": ~late,
            "covered": columns.stands((Status.CURRENT, Status.RENEW)),
        },
    )


def course_of_key(facts: Facts) -> list[int]:
    found: list[int] = facts.values["course"].tolist()
    return found


REQUIREMENTS = Counted(
    "requirements",
    "what is asked",
    (
        Rate("covered", "covered rate", of="not_waived", part="covered"),
        Rate("on_time", "on-time rate", part="on_time"),
        Count("asked", "asked"),
        Count("late", "late", of="late"),
        Count("late_people", "people late", of="late", once="person"),
        Count("waived", "waived", of="waived"),
    ),
    read,
    (
        "Open mandatory requirements on the last day of each period, of the one that runs today; as known today.",
        "Covered rate = covered / (all − waived). On-time rate = on time / all.",
    ),
    frozenset({"course", "topic"}),
    is_state=True,
)
