"""What follows from a paper that was handed in and needs no marker: done by the queue, right after."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from typing import Any

from django.db import transaction
from django_tasks import task

from stepladder.events import Doer
from stepladder.learning.errors import PlaceClosed
from stepladder.quizzes.models import Paper
from stepladder.quizzes.papers import RELATED
from stepladder.quizzes.settling import MACHINE, settle, write_hand_in

__all__ = ["settle_paper", "words"]

logger = logging.getLogger(__name__)


@task()
def settle_paper(paper: int, by: list[str]) -> None:
    """The fact of the hand-in (*by* whom: public id and name), the mark, the step, and the course's completion if that was the last that
    was owed. Twice is as once."""
    try:
        with transaction.atomic():
            row = Paper.objects.select_related(*RELATED).get(pk=paper)
            write_hand_in(row, by=Doer(*by))
            settle(row, by=MACHINE)
    except PlaceClosed as refusal:
        # Closed in the moment in which it was handed in: it came to nothing, as any that is under way then.
        logger.info("The paper %s came to nothing: %s", paper, refusal)


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    paper = Paper.objects.select_related(*RELATED).filter(pk=said.get("paper", 0)).first()
    if paper is None:
        return "counting an attempt at a quiz that is gone"
    return f"counting {paper.attempt.enrolment.person.name}’s attempt at “{paper.attempt.module.title}”"
