"""The background queue: a task that raised is tried again, three times in all, at growing distances."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.dispatch import receiver
from django.utils import timezone
from django_tasks.base import TaskResultStatus
from django_tasks.signals import task_finished
from django_tasks_db.models import DBTaskResult

__all__ = ["MAX_TRIES", "retry"]

MAX_TRIES = 3


@receiver(task_finished)
def retry(sender: Any, task_result: Any, **kwargs: Any) -> None:
    """Set a failed task ready again unless it has had its tries."""
    if task_result.status != TaskResultStatus.FAILED:
        return
    row = DBTaskResult.objects.filter(pk=task_result.id).first()
    if row is not None and len(row.worker_ids) < MAX_TRIES:
        # The queue's rows are kept by the machine's clock, whatever day the application is on.
        again = timezone.now() + timedelta(seconds=2 ** len(row.worker_ids))
        DBTaskResult.objects.filter(pk=row.pk).update(
            status=TaskResultStatus.READY, run_after=again, started_at=None, finished_at=None
        )
