"""When people learned, of attempts and of sessions, as arrays. Rule: 16."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date, datetime, time, timedelta

import numpy as np
from numpy.typing import NDArray

from stepladder import clock
from stepladder.arrays import Column, Holds, read_arrays
from stepladder.core.time_columns import StretchColumns
from stepladder.courses.queries import courses_of_modules
from stepladder.learning.models import Stretch
from stepladder.timetable.models import Meeting, Presence, Session

__all__ = ["Stretches", "bounds", "stretches_in"]


def bounds(first: date, last: date) -> tuple[datetime, datetime]:
    """The instants from which and before which something is of these days of the organisation."""
    zone = clock.zone()
    return datetime.combine(first, time(), zone), datetime.combine(last + timedelta(days=1), time(), zone)


@dataclass(frozen=True, eq=False)
class Stretches:
    """Stretches, each of an attempt (by its key) or of a session (by the negative of its); and of which module and course a key is."""

    columns: StretchColumns
    keys: NDArray[np.int64]
    module: NDArray[np.int64]
    course: NDArray[np.int64]

    def of(self, key: NDArray[np.int64]) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """(module, course) of each of these keys; -1 where there is no one course."""
        place = np.searchsorted(self.keys, key)
        return self.module[place], self.course[place]


def stretches_in(begun: datetime, before: datetime, *, person: int | None = None) -> Stretches:
    """Every stretch that touches the time between two instants; of one person, or of everybody."""
    rows = Stretch.objects.filter(ended_at__gt=begun, began_at__lt=before)
    if person is not None:
        rows = rows.filter(attempt__enrolment__person=person)
    found = read_arrays(
        rows,
        {
            "person": Column("attempt__enrolment__person_id"),
            "key": Column("attempt_id"),
            "start": Column("began_at", Holds.INSTANTS),
            "end": Column("ended_at", Holds.INSTANTS),
            "module": Column("attempt__module_id"),
            "course": Column("attempt__enrolment__course_id"),
        },
    )
    there = _there(begun, before, person)
    columns = StretchColumns(
        *(
            np.concatenate([found[name], np.array([row[place] for row in there], dtype=np.int64)])
            for place, name in enumerate(("person", "key", "start", "end"))
        )
    )
    sessions = sorted({row[1] for row in there})
    modules = _modules_of_sessions(sessions)
    attempts, first = np.unique(found["key"], return_index=True)
    return Stretches(
        columns,
        np.concatenate([np.array(sessions, dtype=np.int64), attempts]),
        np.concatenate([np.array([modules[key] for key in sessions], dtype=np.int64), found["module"][first]]),
        np.concatenate([_courses_of_modules(modules, sessions), found["course"][first]]),
    )


def _modules_of_sessions(keys: list[int]) -> dict[int, int]:
    """The negative of a session's key → its module."""
    rows = Session.objects.filter(pk__in=[-key for key in keys]).values_list("pk", "module_id")
    return {-key: module for key, module in rows}


def _courses_of_modules(modules: dict[int, int], sessions: list[int]) -> NDArray[np.int64]:
    """Of each session the one course that has its module, where it is one."""
    courses = courses_of_modules() if sessions else {}
    found = [courses.get(modules[key], []) for key in sessions]
    return np.array([some[0] if len(some) == 1 else -1 for some in found], dtype=np.int64)


def _there(begun: datetime, before: datetime, person: int | None) -> list[tuple[int, int, int, int]]:
    """(person, -session, start, end): presences cut to each meeting; a stay without an end lasts to the end of its meeting."""
    meetings: dict[int, list[tuple[datetime, datetime]]] = {}
    some = Meeting.objects.filter(ends_at__gt=begun, starts_at__lt=before).exclude(
        session__state=Session.State.CANCELLED
    )
    for session, start, end in some.order_by("starts_at").values_list("session_id", "starts_at", "ends_at"):
        meetings.setdefault(session, []).append((start, end))
    found = []
    rows = Presence.objects.filter(session__in=meetings).order_by("joined_at")
    if person is not None:
        rows = rows.filter(person=person)
    for session, whose, joined, left in rows.values_list("session_id", "person_id", "joined_at", "left_at"):
        until = left or next((end for _, end in meetings[session] if end > joined), joined)
        for start, end in meetings[session]:
            first, last = max(start, joined), min(end, until)
            if last > first:
                found.append((whose, -session, _micros(first), _micros(last)))
    return found


def _micros(instant: datetime) -> int:
    return round(instant.timestamp() * 1_000_000)
