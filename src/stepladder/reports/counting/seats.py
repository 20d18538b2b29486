"""Sessions, their seats, and who was there. Rules: 9, 16."""

from __future__ import annotations

from collections import defaultdict
from typing import Any

import numpy as np
from django.db.models import Max
from numpy.typing import NDArray

from stepladder import clock
from stepladder.arrays import Column, Holds, read_arrays
from stepladder.core.reports import Count, Facts, Rate, Sum
from stepladder.reports.codes import kind_codes, modules_of_courses
from stepladder.reports.counted import Counted, Span
from stepladder.timetable.models import Booking, Meeting, Session
from stepladder.timetable.stretches import bounds

__all__ = ["SEATS", "SEAT_STATES"]

# What a row is, in the order of its codes: the session itself, a seat that nobody has, or a seat and what came of it.
SEAT_STATES = (
    "session",
    "free",
    Booking.State.BOOKED.value,
    Booking.State.ATTENDED.value,
    Booking.State.PARTLY.value,
    Booking.State.ABSENT.value,
)
SESSION, FREE, BOOKED, ATTENDED, PARTLY, ABSENT = range(len(SEAT_STATES))


def read(span: Span) -> Facts:
    """The sessions that end on the span's days, called off ones left out: a row for each, for each seat taken, and each seat free."""
    ends = _sessions(span)
    bookings = read_arrays(
        Booking.objects.known_now().filter(session__in=list(ends), state__in=Booking.SEATED),
        {
            "key": Column("pk"),
            "person": Column("person_id"),
            "session": Column("session_id"),
            "state": Column("state", Holds.WORDS),
        },
    )
    states = {word: code for code, word in enumerate(SEAT_STATES)}
    state = np.array([states[word] for word in bookings["state"].tolist()], dtype=np.int64)
    keys = np.array(sorted(ends), dtype=np.int64)
    about = _about(keys)
    taken = np.bincount(np.searchsorted(keys, bookings["session"]), minlength=len(keys)) if len(keys) else keys
    free = np.repeat(keys, np.maximum(about["capacity"] - taken, 0))
    session = np.concatenate([keys, free, bookings["session"]])
    of = np.searchsorted(keys, session)
    code = np.concatenate([np.full(len(keys), SESSION), np.full(len(free), FREE), state])
    none = np.zeros(len(keys) + len(free), dtype=np.int64)
    module = about["module"][of]
    return Facts(
        np.concatenate([-keys, -free, bookings["key"]]),
        np.concatenate([none, bookings["person"]]),
        np.array([ends[key] for key in keys.tolist()], dtype=np.int64)[of],
        {
            "session": session,
            "module": module,
            "kind": kind_codes(module),
            "venue": about["venue"][of],
            "seat": code,
            "seconds": np.where(code == SESSION, about["seconds"][of], 0).astype(float),
            "is_session": code == SESSION,
            "is_offered": code != SESSION,
            "is_taken": code > FREE,
            "is_free": code == FREE,
            "is_held": code > BOOKED,
            "has_attended": code == ATTENDED,
            "was_absent": code == ABSENT,
        },
    )


def _sessions(span: Span) -> dict[int, int]:
    """Session → the day of its last meeting's end."""
    begun, before = bounds(span.first, span.last)
    rows = Session.objects.exclude(state=Session.State.CANCELLED)
    if span.courses is not None:
        rows = rows.filter(module__in=modules_of_courses(span.courses))
    ends = rows.annotate(end=Max("meetings__ends_at")).filter(end__gte=begun, end__lt=before)
    zone = clock.zone()
    return {key: end.astimezone(zone).date().toordinal() for key, end in ends.order_by().values_list("pk", "end")}


def _about(keys: NDArray[np.int64]) -> dict[str, NDArray[np.int64]]:
    """Of sessions, in order: module, venue (-1: none), capacity, and how long their meetings are together."""
    rows: dict[int, tuple[Any, ...]] = {
        key: tuple(rest)
        for key, *rest in Session.objects.filter(pk__in=keys.tolist()).values_list(
            "pk", "module_id", "room__venue_id", "capacity"
        )
    }
    seconds: dict[int, int] = defaultdict(int)
    meetings = Meeting.objects.filter(session__in=keys.tolist()).order_by()
    for session, start, end in meetings.values_list("session_id", "starts_at", "ends_at"):
        seconds[session] += round((end - start).total_seconds())
    every = [(*rows[key], seconds[key]) for key in keys.tolist()]
    columns = list(zip(*every, strict=True)) or [(), (), (), ()]
    module, venue, capacity, length = (
        np.array([-1 if value is None else value for value in column], dtype=np.int64) for column in columns
    )
    return {"module": module, "venue": venue, "capacity": capacity, "seconds": length}


SEATS = Counted(
    "seats",
    "sessions and seats",
    (
        Count("sessions", "sessions", of="is_session"),
        Sum("hours_taught", "hours taught", of="is_session", value="seconds"),
        Count("offered", "seats offered", of="is_offered"),
        Count("taken", "seats taken", of="is_taken"),
        Rate("used", "seats used", of="is_offered", part="is_taken"),
        Count("attended", "attended", of="has_attended"),
        Count("absent", "absent", of="was_absent"),
        Rate("attendance", "attendance", of="is_held", part="has_attended"),
    ),
    read,
    (
        "Sessions by the day of their last meeting; called off ones are left out.",
        "Seats used = taken / offered. Attendance = attended / seats of which the outcome is known.",
        "A session counts with each of its instructors, and in each course that has its module.",
    ),
    frozenset({"course", "topic", "module", "instructor", "venue"}),
)
