"""How long people learned. Rule: 16."""

from __future__ import annotations

from datetime import datetime

import numpy as np

from stepladder import clock
from stepladder.arrays import Column, Holds, read_arrays
from stepladder.core.reports import Count, Facts, PerHead, Sum
from stepladder.core.time_columns import StretchColumns, seconds_by_day
from stepladder.learning.models import Attempt, Stretch
from stepladder.reports.codes import bounds, courses_of_modules, kind_codes, of_courses, one_each
from stepladder.reports.counted import Counted, Span
from stepladder.timetable.models import Meeting, Presence, Session

__all__ = ["TIME", "stretches_in"]


def stretches_in(begun: datetime, before: datetime) -> StretchColumns:
    """Every stretch that touches the time between two instants: of attempts by their key, of sessions by the negative of theirs."""
    rows = Stretch.objects.filter(ended_at__gt=begun, began_at__lt=before)
    found = read_arrays(
        rows,
        {
            "person": Column("attempt__enrolment__person_id"),
            "key": Column("attempt_id"),
            "start": Column("began_at", Holds.INSTANTS),
            "end": Column("ended_at", Holds.INSTANTS),
        },
    )
    there = _there(begun, before)
    return StretchColumns(
        *(
            np.concatenate([found[name], np.array([row[place] for row in there], dtype=np.int64)])
            for place, name in enumerate(("person", "key", "start", "end"))
        )
    )


def _there(begun: datetime, before: datetime) -> list[tuple[int, int, int, int]]:
    """(person, -session, start, end): presences cut to each meeting; a stay without an end lasts to the end of its meeting."""
    meetings: dict[int, list[tuple[datetime, datetime]]] = {}
    some = Meeting.objects.filter(ends_at__gt=begun, starts_at__lt=before).exclude(
        session__state=Session.State.CANCELLED
    )
    for session, start, end in some.order_by("starts_at").values_list("session_id", "starts_at", "ends_at"):
        meetings.setdefault(session, []).append((start, end))
    found = []
    rows = Presence.objects.filter(session__in=meetings).order_by("joined_at")
    for session, person, joined, left in rows.values_list("session_id", "person_id", "joined_at", "left_at"):
        until = left or next((end for _, end in meetings[session] if end > joined), joined)
        for start, end in meetings[session]:
            first, last = max(start, joined), min(end, until)
            if last > first:
                found.append((person, -session, _micros(first), _micros(last)))
    return found


def _micros(instant: datetime) -> int:
    return round(instant.timestamp() * 1_000_000)


def read(span: Span) -> Facts:
    """The seconds of each attempt, and of each session somebody attended, on each day of the span."""
    begun, before = bounds(span.first, span.last)
    person, key, day, seconds = seconds_by_day(stretches_in(begun, before), clock.zone())
    module = one_each(key, _modules)
    courses = courses_of_modules()
    course = one_each(key, lambda keys: _courses(keys, courses))
    keep = (day >= span.first.toordinal()) & (day <= span.last.toordinal()) & of_courses(course, span.courses)
    facts = Facts(
        key, person, day, {"course": course, "module": module, "kind": kind_codes(module), "seconds": seconds}
    )
    return facts.picked(keep)


def _modules(keys: list[int]) -> dict[int, int]:
    attempts = Attempt.objects.filter(pk__in=[key for key in keys if key > 0]).values_list("pk", "module_id")
    sessions = Session.objects.filter(pk__in=[-key for key in keys if key < 0]).values_list("pk", "module_id")
    return {**dict(attempts), **{-key: module for key, module in sessions}}


def _courses(keys: list[int], courses: dict[int, list[int]]) -> dict[int, int]:
    """An attempt's course is that of its enrolment; of a session the one course that has its module, where it is one."""
    attempts = Attempt.objects.filter(pk__in=[key for key in keys if key > 0]).values_list("pk", "enrolment__course_id")
    sessions = Session.objects.filter(pk__in=[-key for key in keys if key < 0]).values_list("pk", "module_id")
    of_sessions = {-key: found[0] for key, module in sessions if len(found := courses.get(module, [])) == 1}
    return {**dict(attempts), **of_sessions}


TIME = Counted(
    "time",
    "time spent",
    (
        Sum("hours", "hours", value="seconds"),
        PerHead("hours_a_head", "hours a head", value="seconds"),
        Count("people", "people who learned", once="person"),
    ),
    read,
    (
        "What was really played, in view, attended or signed, divided at midnight; of two things at once the one begun first.",
        "A head is everybody who is there on the last day, whether they learned or not.",
    ),
    frozenset({"course", "topic", "module", "kind"}),
)
