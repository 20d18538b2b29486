"""Attempts at modules: who passed at once, and what was gained since the entry test. Rule: 16."""

from __future__ import annotations

import numpy as np
from django.db.models import F, OuterRef, Q, Subquery
from numpy.typing import NDArray

from stepladder.arrays import Column, Holds, read_arrays
from stepladder.core.reports import Count, Facts, Mean, Rate
from stepladder.core.sequence import Part
from stepladder.courses.models import Step
from stepladder.learning.models import Attempt, Mark
from stepladder.reports.codes import days_of, kind_codes
from stepladder.reports.counted import Counted, Span
from stepladder.timetable.stretches import bounds

__all__ = ["ATTEMPTS"]

# What an attempt that was not marked by hand says of itself.
_PASSED, _JUDGED = ("completed", "passed"), ("passed", "failed")


def read(span: Span) -> Facts:
    """Every attempt that was begun on the span's days."""
    begun, before = bounds(span.first, span.last)
    rows = Attempt.objects.filter(begun_at__gte=begun, begun_at__lt=before)
    if span.courses is not None:
        rows = rows.filter(enrolment__course__in=span.courses)
    found = read_arrays(
        rows,
        {
            "key": Column("pk"),
            "person": Column("enrolment__person_id"),
            "course": Column("enrolment__course_id"),
            "module": Column("module_id"),
            "begun": Column("begun_at", Holds.INSTANTS),
        },
    )
    marked, passed = _marked()
    first = _first_of_each(marked)
    is_first = np.isin(found["key"], first)
    return Facts(
        found["key"],
        found["person"],
        days_of(found["begun"]),
        {
            "course": found["course"],
            "module": found["module"],
            "kind": kind_codes(found["module"]),
            "is_first_marked": is_first,
            "has_passed": np.isin(found["key"], passed),
            "gain": _gains(found["key"]),
        },
    )


def _marked() -> tuple[dict[str, NDArray[np.int64]], NDArray[np.int64]]:
    """Of all attempts that were marked: key, person, module, when they were begun; and the keys of those that passed."""
    mark = Mark.objects.known_now().filter(hand_in__attempt=OuterRef("pk"), hand_in__revoked_on__isnull=True)
    judged = Q(status__in=_JUDGED) | Q(status__in=_PASSED, score__isnull=False)
    rows = Attempt.objects.annotate(marked=Subquery(mark.values("has_passed")[:1])).filter(
        Q(marked__isnull=False) | judged
    )
    columns = {
        "key": Column("pk"),
        "person": Column("enrolment__person_id"),
        "module": Column("module_id"),
        "begun": Column("begun_at", Holds.INSTANTS),
    }
    passed = rows.filter(Q(marked=True) | Q(marked__isnull=True, status__in=_PASSED))
    return read_arrays(rows, columns), read_arrays(passed, {"key": columns["key"]})["key"]


def _first_of_each(marked: dict[str, NDArray[np.int64]]) -> NDArray[np.int64]:
    """The key of the first attempt of each person at each module."""
    order = np.lexsort((marked["key"], marked["begun"], marked["module"], marked["person"]))
    person, module = marked["person"][order], marked["module"][order]
    if not len(order):
        return marked["key"]
    is_first = np.r_[True, (person[1:] != person[:-1]) | (module[1:] != module[:-1])]
    found: NDArray[np.int64] = marked["key"][order][is_first]
    return found


def _gains(keys: NDArray[np.int64]) -> NDArray[np.float64]:
    """For each attempt that counts as the quiz of a course with an entry test: its score less that of the entry test; else nan.

    Of several attempts at the entry test the first counts, of several at quizzes of the main part the best of that enrolment.
    """
    entry = dict(Step.objects.filter(part=Part.ENTRY.value).order_by("edition").values_list("edition", "module"))
    if not entry:
        return np.full(len(keys), np.nan)
    tested = Attempt.objects.filter(enrolment__edition__in=entry, module__in=set(entry.values()), score__isnull=False)
    before: dict[int, float] = {}
    for enrolment, edition, module, score in tested.order_by("number").values_list(
        "enrolment", "enrolment__edition", "module", "score"
    ):
        if entry[edition] == module:
            before.setdefault(enrolment, float(score or 0))
    best: dict[int, tuple[float, int]] = {}
    quizzes = Attempt.objects.filter(enrolment__in=before, module__kind="quiz", score__isnull=False)
    of_entry = F("enrolment__edition")
    rows = (
        quizzes.annotate(edition=of_entry)
        .order_by("number")
        .values_list("pk", "enrolment", "edition", "module", "score")
    )
    for key, enrolment, edition, module, score in rows:
        if entry[edition] != module and float(score or 0) > best.get(enrolment, (-1.0, 0))[0]:
            best[enrolment] = (float(score or 0), key)
    gains = {key: score - before[enrolment] for enrolment, (score, key) in best.items()}
    return np.array([gains.get(key, np.nan) for key in keys.tolist()])


ATTEMPTS = Counted(
    "attempts",
    "attempts",
    (
        Rate("passed_at_once", "passed at once", of="is_first_marked", part="has_passed"),
        Count("attempts", "attempts"),
        Count("people", "people", once="person"),
        Mean("gain", "gain since the entry test", value="gain"),
    ),
    read,
    (
        "Attempts by the day on which they were begun.",
        "Passed at once = first marked attempts that passed / people and modules with one.",
        "Gain = mean of (quiz − entry test) over people with both; of fewer than 5 it is “few”.",
    ),
    frozenset({"course", "topic", "module", "kind"}),
)
