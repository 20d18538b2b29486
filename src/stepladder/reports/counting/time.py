"""How long people learned. Rule: 16."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from datetime import date

import numpy as np
from numpy.typing import NDArray

from stepladder import clock
from stepladder.core.reports import Count, Facts, PerHead, Sum
from stepladder.core.time_columns import seconds_by_day
from stepladder.reports.codes import kind_codes, of_courses
from stepladder.reports.counted import Counted, Span
from stepladder.timetable.stretches import bounds, stretches_in

__all__ = ["TIME", "add_minutes_elsewhere"]

OUTSIDE = 10**12
# Arrays of one length: key, person, course (0: none of ours), day (an ordinal), minutes.
MinutesIn = Callable[[date, date], Mapping[str, NDArray[np.int64]]]
_elsewhere: list[MinutesIn] = []


def add_minutes_elsewhere(minutes_in: MinutesIn) -> None:
    """Hand in what people learned elsewhere between two days."""
    _elsewhere.append(minutes_in)


def read(span: Span) -> Facts:
    """The seconds of each attempt, and of each session somebody attended, on each day of the span."""
    begun, before = bounds(span.first, span.last)
    stretches = stretches_in(begun, before)
    person, key, day, seconds = seconds_by_day(stretches.columns, clock.zone())
    module, course = stretches.of(key)
    keep = (day >= span.first.toordinal()) & (day <= span.last.toordinal()) & of_courses(course, span.courses)
    here = Facts(
        key,
        person,
        day,
        {
            "course": course,
            "module": module,
            "kind": kind_codes(module),
            "seconds": seconds,
            "is_here": np.ones(len(key), dtype=bool),
            "is_outside": np.zeros(len(key), dtype=bool),
        },
    )
    return Facts.all_of([here.picked(keep), *_outside(span)])


def _outside(span: Span) -> list[Facts]:
    """What was learned elsewhere, where its paper says how long: it is of no module, and overlaps with nothing that is known."""
    if not _elsewhere:
        return []
    pieces = [minutes_in(span.first, span.last) for minutes_in in _elsewhere]
    found = {name: np.concatenate([piece[name] for piece in pieces]) for name in pieces[0]}
    nothing = np.full(len(found["key"]), -1, dtype=np.int64)
    course = np.where(found["course"] > 0, found["course"], -1)
    facts = Facts(
        # Attempts have keys above 0, sessions below.
        found["key"] + OUTSIDE,
        found["person"],
        found["day"],
        {
            "course": course,
            "module": nothing,
            "kind": nothing,
            "seconds": found["minutes"] * 60.0,
            "is_here": np.zeros(len(nothing), dtype=bool),
            "is_outside": np.ones(len(nothing), dtype=bool),
        },
    )
    return [facts.picked(of_courses(course, span.courses))]


TIME = Counted(
    "time",
    "time spent",
    (
        Sum("hours", "hours", of="is_here", value="seconds"),
        PerHead("hours_a_head", "hours a head", of="is_here", value="seconds"),
        Count("people", "people who learned", of="is_here", once="person"),
        Sum("hours_outside", "hours outside", of="is_outside", value="seconds"),
    ),
    read,
    (
        "What was really played, in view, attended or signed, divided at midnight; of two things at once the one begun first.",
        "A head is everybody who is there on the last day, whether they learned or not.",
        "Hours outside are those of training elsewhere that was confirmed, where its paper says how long; they are not among the hours.",
    ),
    frozenset({"course", "topic", "module", "kind"}),
)
