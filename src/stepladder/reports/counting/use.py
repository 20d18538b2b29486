"""What people open, keep, pass on and note. Rule: 16."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import numpy as np
from django.db.models import QuerySet
from numpy.typing import NDArray

from stepladder.arrays import Column, Holds, read_arrays
from stepladder.catalogue.models import Kept, PassedOn, Rating
from stepladder.core.reports import Count, Facts
from stepladder.learning.models import Attempt, Stretch
from stepladder.playing.models import Note
from stepladder.reports.codes import days_of, kind_codes, of_courses
from stepladder.reports.counted import Counted, Span
from stepladder.timetable.stretches import bounds

__all__ = ["ACTS", "USE", "opened"]

# What was done, in the order of the codes.
ACTS = ("opened", "kept", "passed on", "noted", "rated")


def opened(begun: datetime, before: datetime) -> dict[str, NDArray[np.int64]]:
    """Who opened which module on which day between two instants, each once: person, day, module, course."""
    pieces = [
        read_arrays(
            rows,
            {
                "person": Column(f"{at}enrolment__person_id"),
                "module": Column(f"{at}module_id"),
                "course": Column(f"{at}enrolment__course_id"),
                "at": Column(instant, Holds.INSTANTS),
            },
        )
        for rows, at, instant in (
            (Attempt.objects.filter(begun_at__gte=begun, begun_at__lt=before), "", "begun_at"),
            (Stretch.objects.filter(began_at__gte=begun, began_at__lt=before), "attempt__", "began_at"),
        )
    ]
    found = {name: np.concatenate([piece[name] for piece in pieces]) for name in pieces[0]}
    found["day"] = days_of(found.pop("at"))
    order = np.lexsort((found["course"], found["module"], found["day"], found["person"]))
    found = {name: column[order] for name, column in found.items()}
    differs = [found[name][1:] != found[name][:-1] for name in ("person", "day", "module", "course")]
    first = np.r_[True, np.logical_or.reduce(differs)] if len(order) else np.zeros(0, dtype=bool)
    return {name: column[first] for name, column in found.items()}


def read(span: Span) -> Facts:
    """Every act of the span's days."""
    begun, before = bounds(span.first, span.last)
    pieces = [_piece(0, opened(begun, before))]
    for code, (rows, person, at) in enumerate(_acts(begun, before), 1):
        # A note is at a module, all else at a course or path.
        of = "module" if rows.model is Note else "course"
        found = read_arrays(rows, {"person": Column(person), "at": Column(at, Holds.INSTANTS), of: Column(f"{of}_id")})
        found["day"] = days_of(found.pop("at"))
        pieces.append(_piece(code, found))
    facts = Facts.all_of(pieces)
    acts = {f"is_{word.replace(' ', '_')}": facts.values["act"] == code for code, word in enumerate(ACTS)}
    values = {**facts.values, **acts, "kind": kind_codes(facts.values["module"])}
    whole = Facts(facts.key, facts.person, facts.day, values)
    return whole.picked(of_courses(facts.values["course"], span.courses))


def _piece(code: int, found: dict[str, NDArray[np.int64]]) -> Facts:
    act = np.full(len(found["person"]), code, dtype=np.int64)
    nothing = np.full(len(act), -1, dtype=np.int64)
    of = {
        name: np.where(found[name] > 0, found[name], -1) if name in found else nothing for name in ("module", "course")
    }
    return Facts(act, found["person"], found["day"], {"act": act, **of})


def _acts(begun: datetime, before: datetime) -> list[tuple[QuerySet[Any], str, str]]:
    """(rows, whose, when) of what is kept, passed on, noted and rated."""
    during = {"at__gte": begun, "at__lt": before}
    return [
        (Kept.objects.filter(**during), "person_id", "at"),
        (PassedOn.objects.filter(**during), "by_id", "at"),
        (Note.objects.filter(made_at__gte=begun, made_at__lt=before), "account__person__pk", "made_at"),
        (Rating.objects.filter(**during), "person_id", "at"),
    ]


USE = Counted(
    "use",
    "use",
    (
        Count("opened", "opened", of="is_opened"),
        Count("active", "people who opened something", of="is_opened", once="person"),
        Count("kept", "kept", of="is_kept"),
        Count("passed_on", "passed on", of="is_passed_on"),
        Count("noted", "notes", of="is_noted"),
        Count("rated", "ratings", of="is_rated"),
    ),
    read,
    (
        "Opened: a person and a module on a day, once however often.",
        "Kept, passed on, notes and ratings are counts of acts; what somebody keeps or writes is not shown.",
    ),
    frozenset({"course", "topic", "module", "kind"}),
)
