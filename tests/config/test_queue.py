"""The worker takes up what a dead one left, and a task that failed is tried again."""

import pytest
from django.utils import timezone
from django_tasks.base import TaskResultStatus
from django_tasks_db.models import DBTaskResult

from stepladder.config import queue
from stepladder.config.management.commands.worker import take_up_orphans
from stepladder.notices.tasks import send_notices


def a_task(status, tries):
    return DBTaskResult.objects.create(
        task_path=send_notices.module_path,
        args_kwargs={"args": [], "kwargs": {"keys": []}},
        status=status,
        worker_ids=[f"w{n}" for n in range(tries)],
        backend_name="default",
        queue_name="default",
        run_after=timezone.now(),
        priority=0,
        exception_class_path="",
        traceback="",
    )


@pytest.mark.parametrize(
    ("tries", "status"), [(1, TaskResultStatus.READY), (2, TaskResultStatus.READY), (3, TaskResultStatus.FAILED)]
)
def test_a_task_whose_worker_died_is_taken_up_three_times_in_all(db, tries, status):
    task = a_task(TaskResultStatus.RUNNING, tries)
    take_up_orphans()
    task.refresh_from_db()
    assert task.status == status
    if tries == 3:
        assert "stopped 3 times" in task.traceback


# A mail server is asked after a minute, ten, and an hour; then it is shown.
@pytest.mark.parametrize(("tries", "status"), [(1, TaskResultStatus.READY), (4, TaskResultStatus.FAILED)])
def test_a_task_that_raised_is_tried_again_later(db, tries, status):
    task = a_task(TaskResultStatus.FAILED, tries)

    class Result:
        id = task.pk
        status = TaskResultStatus.FAILED

    queue.retry(sender=None, task_result=Result)
    task.refresh_from_db()
    assert task.status == status
    assert (task.run_after > timezone.now()) == (status == TaskResultStatus.READY)
