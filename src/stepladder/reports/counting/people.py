"""Who is there, who can sign in, and who of them learns at all. Rule: 16."""

from __future__ import annotations

from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder import clock
from stepladder.arrays import Column, Holds, read_arrays
from stepladder.core.reports import Count, Facts, Rate, each_once
from stepladder.core.time_columns import seconds_by_day
from stepladder.fact_cache import cached, state_of
from stepladder.learning.completion_arrays import completion_arrays
from stepladder.people.models import Employment, Person
from stepladder.reports.counted import Counted, Span
from stepladder.reports.counting.use import opened
from stepladder.timetable.stretches import bounds, stretches_in

__all__ = ["PEOPLE", "heads_on"]


def heads_on(span: Span) -> Facts:
    """Everybody who is active on the span's day."""
    if "employments" not in span.kept:
        span.kept["employments"] = _employments()
    found, day = span.kept["employments"], span.day.toordinal()
    person = each_once(found["person"][(found["first"] <= day) & (day <= found["last"])])
    return Facts(person, person, np.full(len(person), span.day.toordinal(), dtype=np.int64))


def _employments() -> dict[str, NDArray[Any]]:
    """Everybody's employments as known now, kept until one is written or revoked."""
    columns = {
        "person": Column("person_id"),
        "first": Column("hired_on", Holds.DAYS),
        "last": Column("left_on", Holds.DAYS),
    }
    return cached(
        "employments as arrays",
        state=lambda: state_of(Employment),
        read=lambda: read_arrays(Employment.objects.known_now(), columns),
    )


def _who_can_sign_in() -> NDArray[np.int64]:
    rows = Person.objects.filter(account__isnull=False, account__is_active=True).values_list("pk", flat=True)
    return np.fromiter(rows, dtype=np.int64)


def read(span: Span) -> Facts:
    """The same, with what they did on the days of the span."""
    heads = heads_on(span)
    if "who can sign in" not in span.kept:
        span.kept["who can sign in"] = _who_can_sign_in()
    acts = span.kept.get("acts of people")
    if acts is None:
        # Of all periods at once: each would look through the same tables.
        acts = span.kept["acts of people"] = _acts(*(span.whole or (span.first, span.last)))
    active, learned = (_during(person, day, span) for person, day in acts)
    values = {
        "can_sign_in": np.isin(heads.person, span.kept["who can sign in"]),
        "was_active": np.isin(heads.person, active),
        "has_learned": np.isin(heads.person, learned),
        "learned_nothing": ~np.isin(heads.person, learned),
    }
    return Facts(heads.key, heads.person, heads.day, values)


Acts = tuple[NDArray[np.int64], NDArray[np.int64]]


def _acts(first: date, last: date) -> tuple[Acts, Acts]:
    """(person, day) of everything that was opened between two days; and of everything by which somebody learned."""
    begun, before = bounds(first, last)
    found = opened(begun, before)
    completed = completion_arrays().known
    person, _, day, _ = seconds_by_day(stretches_in(begun, before).columns, clock.zone())
    learned = (
        np.concatenate([found["person"], completed["person"], person]),
        np.concatenate([found["day"], completed["day"], day]),
    )
    return (found["person"], found["day"]), learned


def _during(person: NDArray[np.int64], day: NDArray[np.int64], span: Span) -> NDArray[np.int64]:
    return each_once(person[(day >= span.first.toordinal()) & (day <= span.last.toordinal())])


PEOPLE = Counted(
    "people",
    "people",
    (
        Count("people", "people"),
        Rate("learned", "who learned", part="has_learned"),
        Count("learned_nothing", "learned nothing", of="learned_nothing"),
        Count("can_sign_in", "with a sign-in", of="can_sign_in"),
        Rate("adoption", "adoption", of="can_sign_in", part="was_active"),
    ),
    read,
    (
        "Everybody who is there on the last day of the period, on leave too; whoever left is not.",
        "Learned: opened a module, was at a session, or completed something in the period.",
        "Adoption = people with a sign-in who opened something / people with a sign-in.",
    ),
    is_state=True,
)
