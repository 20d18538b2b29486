"""What the queue does for sources."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import timedelta
from typing import Any

from django.db import transaction
from django.db.models import Q
from django_tasks import task

from stepladder import clock
from stepladder.queue.actions import Queue, later
from stepladder.sources.looking import look, settle
from stepladder.sources.models import Source

__all__ = ["enqueue_looks", "look_at_source", "settle_source", "words"]

# A look that was asked for so long ago came to nothing: it is asked for anew.
GIVEN_UP = timedelta(minutes=15)


@task()
def look_at_source(source_id: int) -> None:
    """Look at a source; and again at once where there was more than one look takes over."""
    source = Source.objects.select_related("binder", "account").filter(pk=source_id).first()
    if source is None or not source.is_on:
        return
    more = look(source)
    with transaction.atomic():
        if source.items.exclude(upload=None).exists():
            # Behind the files in the queue: by then they are worked out.
            later(settle_source, source_id=source_id)
        if more:
            later(look_at_source, queue=Queue.BULK, source_id=source_id)


@task()
def settle_source(source_id: int) -> None:
    """What was worked out for a source is tied to its files."""
    source = Source.objects.filter(pk=source_id).first()
    if source is not None:
        settle(source)


def words(said: Mapping[str, Any]) -> str:
    """What a task on a source is called where it failed."""
    source = Source.objects.filter(pk=said.get("source_id", 0)).first()
    return f"looking at the source “{source.name if source else 'that is gone'}”"


@transaction.atomic
def enqueue_looks() -> None:
    """Twice a minute: every source that is on is looked at, unless a look at it is under way."""
    now = clock.now()
    due = Source.objects.filter(Q(asked_at=None) | Q(asked_at__lt=now - GIVEN_UP), is_on=True)
    for source in due:
        Source.objects.filter(pk=source.pk).update(asked_at=now)
        later(look_at_source, queue=Queue.BULK, source_id=source.pk)
