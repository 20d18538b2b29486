"""Which questions mislead: the answers of each person's first marked attempt at a quiz. Rules: 7, 16."""

from __future__ import annotations

import numpy as np

from stepladder.arrays import Column, Holds, read_arrays
from stepladder.core.reports import Correlation, Count, Facts, Mean
from stepladder.quizzes.models import Answer, Paper
from stepladder.reports.codes import days_of
from stepladder.reports.counted import Counted, Span
from stepladder.timetable.stretches import bounds

__all__ = ["ANSWERS"]


def read(span: Span) -> Facts:
    """The answers of first marked attempts that were handed in on the span's days."""
    papers = read_arrays(
        Paper.objects.filter(score__isnull=False, handed_in_at__isnull=False),
        {
            "key": Column("pk"),
            "person": Column("attempt__enrolment__person_id"),
            "module": Column("attempt__module_id"),
            "at": Column("handed_in_at", Holds.INSTANTS),
        },
    )
    order = np.lexsort((papers["key"], papers["at"], papers["module"], papers["person"]))
    person, module = papers["person"][order], papers["module"][order]
    is_first = np.r_[True, (person[1:] != person[:-1]) | (module[1:] != module[:-1])] if len(order) else order
    first = papers["key"][order][is_first.astype(bool)]
    begun, before = bounds(span.first, span.last)
    rows = Answer.objects.filter(
        paper__handed_in_at__gte=begun, paper__handed_in_at__lt=before, paper__score__isnull=False
    )
    if span.courses is not None:
        rows = rows.filter(paper__attempt__enrolment__course__in=span.courses)
    found = read_arrays(
        rows,
        {
            "key": Column("pk"),
            "paper": Column("paper_id"),
            "person": Column("paper__attempt__enrolment__person_id"),
            "course": Column("paper__attempt__enrolment__course_id"),
            "module": Column("paper__attempt__module_id"),
            "question": Column("wording__question_id"),
            "points": Column("points"),
            "share": Column("share", Holds.SHARES),
            "at": Column("paper__handed_in_at", Holds.INSTANTS),
        },
    )
    keep = np.isin(found["paper"], first) & ~np.isnan(found["share"])
    found = {name: column[keep] for name, column in found.items()}
    return Facts(
        found["key"],
        found["person"],
        days_of(found["at"]),
        {
            "course": found["course"],
            "module": found["module"],
            "question": found["question"],
            "share": found["share"],
            "rest": _rest(found["paper"], found["points"].astype(float), found["share"]),
        },
    )


def _rest(paper: np.ndarray, points: np.ndarray, share: np.ndarray) -> np.ndarray:
    """For each answer the share that the other answers of its paper reached; nan where it is the only one."""
    _, of = np.unique(paper, return_inverse=True)
    whole, got = np.bincount(of, points), np.bincount(of, points * share)
    others = whole[of] - points
    rest = np.full(len(paper), np.nan)
    has = others > 0
    rest[has] = (got[of] - points * share)[has] / others[has]
    return rest


ANSWERS = Counted(
    "answers",
    "answers",
    (
        Correlation("discrimination", "tells apart", value="share", other="rest"),
        Mean("facility", "right", value="share"),
        Count("answers", "answers"),
        Count("people", "people", once="person"),
    ),
    read,
    (
        "Answers of each person’s first marked attempt, by the day it was handed in.",
        "Right: the mean share of the marks.",
        "Tells apart: how far who does well elsewhere does well here, from −1 to 1; below 0 a question misleads.",
        "Of fewer than 5 people both are “few”.",
    ),
    frozenset({"course", "topic", "module", "question"}),
)
