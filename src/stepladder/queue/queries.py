"""What is under way, and what failed."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

from django.db.models import QuerySet
from django_tasks.base import TaskResultStatus
from django_tasks_db.models import DBTaskResult

from stepladder.queue.actions import AT_ONCE, Queue, run_piece
from stepladder.queue.kinds import elsewhere, kind_named, words_for
from stepladder.queue.models import Piece, Work

__all__ = ["Failed", "UnderWay", "failed", "failed_count", "under_way", "waiting"]


@dataclass(frozen=True)
class UnderWay:
    """How far the work that follows from acts on one thing is: *done* of *total* people."""

    done: int
    total: int


@dataclass(frozen=True)
class Failed:
    """A task that had its tries: what it was, the last thing that went wrong, and when."""

    key: str
    what: str
    why: str
    at: datetime | None


def under_way(kind: str, public_id: str) -> UnderWay | None:
    """What still follows from acts on an object; None where all of it stands. What few people need is there at once."""
    rows = Work.objects.filter(object_kind=kind, object_id=public_id, ended_at__isnull=True, total__gt=AT_ONCE)
    counts = list(rows.values_list("done", "total"))
    return UnderWay(sum(done for done, _ in counts), sum(total for _, total in counts)) if counts else None


def _failed() -> QuerySet[Any]:
    return DBTaskResult.objects.failed().exclude(exception_class_path__in=elsewhere())


def failed_count() -> int:
    """How many tasks had their tries and wait for somebody."""
    return _failed().count()


def failed(most: int = 100) -> list[Failed]:
    """The newest tasks that failed for good."""
    rows = list(_failed().order_by("-finished_at")[:most])
    pieces = _pieces(rows)
    return [Failed(str(row.pk), _what(row, pieces), _why(row), row.finished_at) for row in rows]


def waiting(most: int = 20) -> list[str]:
    """A sentence for each task that is to be run still, or failed, the oldest first; those of mail write nothing that is derived."""
    rows = DBTaskResult.objects.exclude(status=TaskResultStatus.SUCCESSFUL).exclude(queue_name=Queue.MAIL)
    rows = rows.exclude(exception_class_path__in=elsewhere()).order_by("enqueued_at")
    some = list(rows[:most])
    pieces = _pieces(some)
    said = [f"{_what(row, pieces)}: {WAITS.get(row.status, row.status.lower())}." for row in some]
    more = rows.count() - len(some)
    return [*said, f"And {more} more."] if more > 0 else said


WAITS = {
    TaskResultStatus.READY: "waits in the queue",
    TaskResultStatus.RUNNING: "is being done",
    TaskResultStatus.FAILED: "failed, and waits to be run again (Desk, Tasks that failed)",
}


def _pieces(rows: Sequence[Any]) -> dict[int, Piece]:
    keys = [row.args_kwargs["kwargs"].get("piece") for row in rows if row.task_path == run_piece.module_path]
    return Piece.objects.select_related("work").in_bulk([key for key in keys if key])


def _what(row: Any, pieces: dict[int, Piece]) -> str:
    said = row.args_kwargs["kwargs"]
    piece = pieces.get(said.get("piece", 0)) if row.task_path == run_piece.module_path else None
    if piece is None:
        return words_for(row.task_path, said)
    about = f" of “{piece.work.object_name}”" if piece.work.object_name else ""
    return f"{kind_named(piece.work.kind).description}{about}, for {len(piece.ids)} people"


def _why(row: Any) -> str:
    """The last line of what was raised: its kind and its sentence."""
    lines = [line for line in str(row.traceback).splitlines() if line.strip()]
    return lines[-1][:400] if lines else str(row.exception_class_path).rsplit(".", 1)[-1]
