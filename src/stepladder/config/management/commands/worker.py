"""The queue's worker: one for each data folder; what a dead one left is taken up again."""

from __future__ import annotations

import fcntl
import logging
import threading
import time
from typing import Any

from django.conf import settings
from django.core.management.base import CommandError
from django.db import DatabaseError, connection, transaction
from django.utils import timezone
from django_tasks.base import TaskResultStatus
from django_tasks_db.management.commands.db_worker import Command as DbWorker
from django_tasks_db.models import DBTaskResult

from stepladder import daily
from stepladder.config.queue import MAX_TRIES

logger = logging.getLogger(__name__)
LOOKS_EVERY_SECONDS = 60


class Command(DbWorker):
    help = "Work the background queue."

    def handle(self, **options: Any) -> None:
        settings.DATA_DIR.mkdir(parents=True, exist_ok=True)
        # The kernel frees the lock however the worker dies.
        self.lock = (settings.DATA_DIR / "worker.lock").open("w")
        try:
            fcntl.flock(self.lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise CommandError("A worker is already running for this data folder.") from None
        take_up_orphans()
        threading.Thread(target=watch_the_day, daemon=True).start()
        super().handle(**options)

    def configure_logging(self, verbosity: int) -> None:
        super().configure_logging(verbosity)
        if verbosity == 1:
            # Each task's start and end would bury the addresses that `ladder` prints; --verbosity 2 tells them.
            for name in ("django_tasks", "django_tasks_db"):
                logging.getLogger(name).setLevel(logging.WARNING)


def watch_the_day() -> None:
    """Enqueue the daily tasks at the start and whenever a new day of the organisation has begun."""
    while True:
        try:
            daily.enqueue_due()
        except DatabaseError:
            logger.exception("The daily tasks could not be enqueued; it is tried again.")
        finally:
            connection.close()
        time.sleep(LOOKS_EVERY_SECONDS)


@transaction.atomic
def take_up_orphans() -> None:
    """Nobody else can be running a task now: those marked as running were left by a worker that died."""
    for task in DBTaskResult.objects.running():
        row = DBTaskResult.objects.filter(pk=task.pk)
        if len(task.worker_ids) < MAX_TRIES:
            row.update(status=TaskResultStatus.READY, started_at=None)
        else:
            row.update(
                status=TaskResultStatus.FAILED,
                finished_at=timezone.now(),
                traceback=f"The worker stopped {MAX_TRIES} times at this task.",
            )
