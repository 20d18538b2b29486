"""How people stand with what is asked of them on a day. Rules: 5, 16."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder import clock
from stepladder.assignments.standing_days import counts_on, courses_on, mandatory_on, moments_missing, work_out
from stepladder.core.reports import Count, Facts, Rate
from stepladder.core.requirements import LATE, WORST_FIRST, Status
from stepladder.records.attending import requirement_columns
from stepladder.reports.codes import of_courses
from stepladder.reports.counted import Counted, Span, Standing

__all__ = ["REQUIREMENTS", "course_of_key"]


def read(span: Span) -> Facts:
    """Every open mandatory requirement on the span's day."""
    if span.merged_by == "person":
        return _merged(span)
    if span.merged_by == "course":
        return _by_course(span)
    if span.figures_only:
        return _standing(span)
    columns = requirement_columns(day=span.day, known_on=span.known_on or clock.today())
    columns = columns.where(columns.mandatory & of_courses(columns.course, span.courses))
    return Facts(
        columns.keys,
        columns.person.astype(np.int64),
        np.full(len(columns), span.day.toordinal(), dtype=np.int64),
        {
            "course": columns.course.astype(np.int64),
            "rank": columns.rank,
            "due": columns.due,
            "valid_until": columns.valid_until,
            **_truths(columns.rank),
        },
        known_on=span.known_on,
    )


def _merged(span: Span) -> Facts:
    counts = counts_on(span.moment, courses=span.courses)
    person, rank, times = (column[counts.mandatory] for column in (counts.person, counts.rank, counts.times))
    return Facts(
        person, person, np.full(len(person), span.day.toordinal(), dtype=np.int64), _truths(rank), times, span.known_on
    )


def _by_course(span: Span) -> Facts:
    course, rank, times = courses_on(span.moment, courses=span.courses)
    nobody = np.zeros(len(course), dtype=np.int64)
    day = np.full(len(course), span.day.toordinal(), dtype=np.int64)
    return Facts(course, nobody, day, {"course": course, **_truths(rank)}, times, span.known_on)


def _standing(span: Span) -> Facts:
    rows = mandatory_on(span.moment, courses=span.courses)
    day = np.broadcast_to(np.int64(span.day.toordinal()), rows.person.shape)
    # Nobody asks which row is which: of these only figures are made.
    return Facts(rows.person, rows.person, day, {"course": rows.course, **_truths(rows.rank)}, None, span.known_on)


def _truths(rank: NDArray[Any]) -> dict[str, NDArray[np.bool_]]:
    """What is true of requirements in these statuses, by name."""
    tables = {
        "waived": [status is Status.WAIVED for status in WORST_FIRST],
        "late": [status in LATE for status in WORST_FIRST],
        "covered": [status in (Status.CURRENT, Status.RENEW) for status in WORST_FIRST],
    }
    found = {name: np.array(table)[rank] for name, table in tables.items()}
    return {**found, "not_waived": ~found["waived"], "on_time": ~found["late"]}


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
        "Open mandatory requirements on the last day of each period, of the one that runs today.",
        "Covered rate = covered / (all − waived). On-time rate = on time / all.",
    ),
    frozenset({"course", "topic"}),
    is_state=True,
    missing=moments_missing,
    work_out=work_out,
    standing=Standing("covered", "late", "waived", "asked"),
    by_both_clocks=True,
)
