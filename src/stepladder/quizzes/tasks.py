"""Papers whose time is up and whose owner is gone are handed in for them."""

from __future__ import annotations

import logging

from django.db import transaction
from django_tasks import task

from stepladder import clock
from stepladder.journal.actions import Machine
from stepladder.queue.actions import Queue, later
from stepladder.quizzes.actions.papers import hand_in_paper
from stepladder.quizzes.models import Paper
from stepladder.quizzes.papers import late_papers
from stepladder.refusals import Refusal

__all__ = ["enqueue_late", "hand_in_late"]

logger = logging.getLogger(__name__)
CLOCK = Machine("Time is up")
# At once; what is left comes with the next round, half a minute later.
MOST = 500


def enqueue_late() -> None:
    """Hand over what to do where there is any; asked twice a minute."""
    if not Paper.objects.filter(late_papers(clock.now())).exists():
        return
    with transaction.atomic():
        later(hand_in_late, queue=Queue.NOW)


@task()
def hand_in_late() -> None:
    """Each by itself: a paper in a place that was closed meanwhile holds up no other."""
    waiting = (
        Paper.objects.filter(late_papers(clock.now())).select_related("attempt__enrolment__edition").order_by("ends_at")
    )
    for paper in waiting[:MOST]:
        try:
            hand_in_paper(paper=paper, by=CLOCK)
        except Refusal as refusal:
            # Its place was closed: it came to nothing, and is not looked at again.
            logger.info("The paper %s was not handed in: %s", paper.public_id, refusal)
            Paper.objects.filter(pk=paper.pk).update(handed_in_at=paper.ends_at, ran_out=True)
