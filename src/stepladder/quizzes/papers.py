"""Reading papers: those of a step, what somebody is allowed, and which ran out of time."""

from __future__ import annotations

from datetime import datetime

from django.db.models import Q

from stepladder.core.quizzes import GRACE, Allowance
from stepladder.learning.models import Attempt
from stepladder.quizzes.models import Allowed, Paper

__all__ = ["RELATED", "allowance_of", "late_papers", "papers_of"]

RELATED = ("attempt__enrolment__person", "attempt__enrolment__course", "attempt__module", "attempt__version", "quiz")


def papers_of(attempt: Attempt) -> list[Paper]:
    """All papers of the step that an attempt is at, in their order."""
    rows = Paper.objects.filter(attempt__enrolment=attempt.enrolment_id, attempt__module=attempt.module_id)
    return list(rows.select_related(*RELATED).order_by("attempt__number"))


def allowance_of(attempt: Attempt) -> Allowance:
    """What whoever makes it is allowed beyond what all are: of several the most."""
    rows = Allowed.objects.filter(
        Q(module=None) | Q(module=attempt.module_id), person=attempt.enrolment.person_id, ended_at=None
    ).values_list("extra_time", "extra_attempts")
    return Allowance(max((time for time, _ in rows), default=0), max((more for _, more in rows), default=0))


def late_papers(now: datetime) -> Q:
    """Of papers: those under way whose time and grace are over."""
    return Q(handed_in_at=None, ends_at__lt=now - GRACE)
