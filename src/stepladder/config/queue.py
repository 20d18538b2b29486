"""The background queue: a task that raised is tried again, at growing distances."""

from __future__ import annotations

from typing import Any

from django.dispatch import receiver
from django.utils import timezone
from django_tasks.base import TaskResultStatus
from django_tasks.signals import task_finished, task_started
from django_tasks_db.models import DBTaskResult

from stepladder.queue.kinds import tries_after
from stepladder.web.request_ids import id_of_none, id_of_task

__all__ = ["MAX_TRIES", "retry"]

# So often a task is begun at which the worker itself stopped.
MAX_TRIES = 3

task_started.connect(id_of_task, dispatch_uid="log begins")
task_finished.connect(id_of_none, dispatch_uid="log ends")


@receiver(task_finished)
def retry(sender: Any, task_result: Any, **kwargs: Any) -> None:
    """Set a failed task ready again unless it has had its tries."""
    if task_result.status != TaskResultStatus.FAILED:
        return
    row = DBTaskResult.objects.filter(pk=task_result.id).first()
    if row is None:
        return
    pauses, tried = tries_after(row.task_path), len(row.worker_ids)
    if tried <= len(pauses):
        # The queue's rows are kept by the machine's clock, whatever day the application is on.
        again = timezone.now() + pauses[tried - 1]
        DBTaskResult.objects.filter(pk=row.pk).update(
            status=TaskResultStatus.READY, run_after=again, started_at=None, finished_at=None
        )
