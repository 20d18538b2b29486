"""The queue's worker: one for each data folder, with a thread for each queue; what a dead one left is taken up again."""

from __future__ import annotations

import fcntl
import logging
import os
import signal
import threading
import time
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import DatabaseError, close_old_connections, connection, transaction
from django.utils import timezone
from django_tasks.base import TaskResultStatus
from django_tasks_db.management.commands.db_worker import Worker
from django_tasks_db.models import DBTaskResult

from stepladder import daily
from stepladder.accounts import organisation
from stepladder.config.database.base import DatabaseWrapper
from stepladder.config.database.turns import GAP_SECONDS, Turns
from stepladder.config.queue import MAX_TRIES
from stepladder.queue.actions import Queue

logger = logging.getLogger(__name__)
LOOKS_EVERY_SECONDS = 30
# How long a thread waits after the database could not be had.
BREATH_SECONDS = 2.0
# What was handed over by name of the queue that there was before there were several.
ALSO = {Queue.NOW: ["default"]}


class Command(BaseCommand):
    help = "Work the background queue."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--interval", type=float, default=0.5, help="seconds between two looks at an empty queue")

    def handle(self, **options: Any) -> None:
        settings.DATA_DIR.mkdir(parents=True, exist_ok=True)
        # The kernel frees the lock however the worker dies.
        self.lock = (settings.DATA_DIR / "worker.lock").open("w")
        try:
            fcntl.flock(self.lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise CommandError("A worker is already running for this data folder.") from None
        take_up_orphans()
        for name in ("django_tasks", "django_tasks_db"):
            # Each task's start and end would bury the addresses that `ladder` prints.
            logging.getLogger(name).setLevel(logging.WARNING)
        DatabaseWrapper.turns = Turns(GAP_SECONDS)
        threading.Thread(target=watch_the_day, daemon=True).start()
        lanes = [Lane(queue, options["interval"]) for queue in Queue]
        stop_on_signals(lanes)
        for lane in lanes:
            lane.thread.start()
        for lane in lanes:
            while lane.thread.is_alive():
                # With a limit, so that signals are heard.
                lane.thread.join(timeout=0.5)


class Lane:
    """A thread that works one queue, so that none waits for another's work; it outlives a database that is locked for long."""

    def __init__(self, queue: Queue, interval: float) -> None:
        self.goes_on = True
        self.worker = Worker(
            queue_names=[queue, *ALSO.get(queue, [])],
            interval=interval,
            batch=False,
            backend_name="default",
            startup_delay=False,
            max_tasks=None,
            worker_id=f"{queue}-{os.getpid()}",
            excluded_queue_names=[],
        )
        # A daemon: where the process must end at once, it does not wait for a task.
        self.thread = threading.Thread(target=self.work, name=f"queue {queue}", daemon=True)

    def stop(self) -> None:
        self.goes_on = self.worker.running = False

    def work(self) -> None:
        while self.goes_on:
            try:
                self.worker.run()
            except DatabaseError:
                logger.exception("The queue could not be worked; it is tried again.")
                close_old_connections()
                time.sleep(BREATH_SECONDS)
                self.take_up_own()
        connection.close()

    def take_up_own(self) -> None:
        """A task whose end could not be written down is still marked as running, and nobody runs it."""
        try:
            take_up_orphans(self.worker.queue_names)
        except DatabaseError:
            logger.exception("What was left could not be taken up; it is tried again.")


def stop_on_signals(lanes: list[Lane]) -> None:
    """The first signal lets each thread end its task; a second one ends everything at once."""

    def stop(*_: object) -> None:
        if not all(lane.goes_on for lane in lanes):
            os._exit(1)
        for lane in lanes:
            lane.stop()

    signal.signal(signal.SIGINT, stop)
    signal.signal(signal.SIGTERM, stop)


def watch_the_day() -> None:
    """Enqueue the daily tasks at the start and whenever a new day of the organisation has begun, and what is due more often."""
    while True:
        try:
            organisation.forget()
            daily.enqueue_due()
            daily.enqueue_frequent()
        except DatabaseError:
            logger.exception("The daily tasks could not be enqueued; it is tried again.")
        finally:
            connection.close()
        time.sleep(LOOKS_EVERY_SECONDS)


@transaction.atomic
def take_up_orphans(queues: list[str] | None = None) -> None:
    """Nobody else can be running a task (of these queues) now: those marked as running were left by who died."""
    running = DBTaskResult.objects.running()
    for task in running if queues is None else running.filter(queue_name__in=queues):
        row = DBTaskResult.objects.filter(pk=task.pk)
        if len(task.worker_ids) < MAX_TRIES:
            row.update(status=TaskResultStatus.READY, started_at=None)
        else:
            row.update(
                status=TaskResultStatus.FAILED,
                finished_at=timezone.now(),
                traceback=f"The worker stopped {MAX_TRIES} times at this task.",
            )
