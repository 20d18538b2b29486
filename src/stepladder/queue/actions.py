"""Handing work over. The queue's rows are in our own database, so they are written in the transaction of the act itself:
whoever is killed after it has lost nothing, and an act that is rolled back hands nothing over.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from contextvars import ContextVar
from datetime import timedelta
from enum import StrEnum
from typing import Any, Protocol

from django.db import transaction
from django.db.models import F
from django.utils import timezone
from django_tasks import task
from django_tasks.base import TaskResultStatus
from django_tasks_db.models import DBTaskResult

from stepladder import clock
from stepladder.events import Act, Doer
from stepladder.queue.kinds import kind_named
from stepladder.queue.models import Piece, Work

__all__ = [
    "AT_ONCE",
    "Queue",
    "at_once",
    "cut_work",
    "in_pieces",
    "is_waiting",
    "later",
    "put_away",
    "run_again",
    "run_piece",
]


# So many people are looked at within an act itself; the rows of more follow in the queue, so that nobody waits for the pen.
AT_ONCE = 50


class Queue(StrEnum):
    """Each has a thread of the worker to itself: none waits for another.

    *now*: somebody looks at a page for it. *bulk*: many people, a file, a daily run. *mail*: other servers are asked.
    """

    NOW = "now"
    BULK = "bulk"
    MAIL = "mail"


class _About(Protocol):
    """What the journal calls an object."""

    @property
    def kind(self) -> str: ...
    @property
    def public_id(self) -> str: ...
    @property
    def name(self) -> str: ...


_at_once: ContextVar[bool] = ContextVar("at_once", default=False)


@contextmanager
def at_once() -> Iterator[None]:
    """Within the block nothing waits: what is handed over is done in place. For loading a past, where days go by at once."""
    token = _at_once.set(True)
    try:
        yield
    finally:
        _at_once.reset(token)


def later(what: Any, *, queue: Queue = Queue.NOW, after: timedelta = timedelta(0), **said: Any) -> None:
    """Hand a task over, within the transaction of the act, to be done not before *after*. It takes ids only."""
    _in_transaction()
    if _at_once.get():
        what.call(**said)
    else:
        # The queue's rows are kept by the machine's clock.
        begins = timezone.now() + after if after else None
        what.using(queue_name=queue, run_after=begins).enqueue(**said)


def is_waiting(what: Any) -> bool:
    """Whether a task was handed over and is not done: it waits for its turn, or is at it."""
    rows = DBTaskResult.objects.filter(task_path=what.module_path)
    return bool(rows.filter(status__in=(TaskResultStatus.READY, TaskResultStatus.RUNNING)).exists())


def in_pieces(
    kind: str,
    *,
    act: Act,
    ids: Sequence[int] | None = None,
    estimate: int = 0,
    about: _About | None = None,
    **said: Any,
) -> None:
    """Hand over what is to be done for many, in pieces that are a transaction each; *ids* None: the kind finds them.

    It reads "n of N" until all is done (queries.under_way); *estimate* is N as long as the ids are not known.
    """
    _in_transaction()
    if _at_once.get():
        _all_at_once(kind, ids, act, said)
        return
    work = Work.objects.create(
        kind=kind,
        said=said if ids is None else {**said, "ids": sorted(set(ids))},
        at=clock.now(),
        act=act.entry,
        actor_id=act.by.public_id,
        actor_name=act.by.name,
        object_kind=about.kind if about else "",
        object_id=about.public_id if about else "",
        object_name=about.name[:300] if about else "",
        total=len(set(ids)) if ids is not None else estimate,
    )
    later(cut_work, queue=Queue.BULK, work=work.pk)


def _all_at_once(name: str, ids: Sequence[int] | None, act: Act, said: dict[str, Any]) -> None:
    kind = kind_named(name)
    found = sorted(set(ids if ids is not None else _found(name, said)))
    for at in range(0, len(found), kind.piece):
        kind.run(found[at : at + kind.piece], act, **said)


def _found(name: str, said: dict[str, Any]) -> Sequence[int]:
    find = kind_named(name).find
    assert find is not None, f"{name} finds no ids: they are given"
    return find(**said)


@task()
def cut_work(work: int) -> None:
    """Find the ids of a work, outside any transaction, and cut it into pieces."""
    row = Work.objects.get(pk=work)
    if row.is_cut:
        return
    said = dict(row.said)
    ids: Sequence[int] = said.pop("ids", None) or ()
    if "ids" not in row.said:
        # Whom it meant when it was done, though it be past midnight now.
        with clock.carrying_on(row.at):
            ids = sorted(set(_found(row.kind, said)))
    size = kind_named(row.kind).piece
    with transaction.atomic():
        pieces = [
            Piece(work=row, number=number, ids=ids[at : at + size])
            for number, at in enumerate(range(0, len(ids), size), 1)
        ]
        # Compare and set: cut once, whoever comes to it.
        mine = Work.objects.filter(pk=row.pk, is_cut=False).update(
            is_cut=True, total=len(ids), done=0, said=said, ended_at=None if pieces else clock.wall()
        )
        if mine:
            for piece in Piece.objects.bulk_create(pieces, batch_size=500):
                later(run_piece, queue=Queue.BULK, piece=piece.pk)


@task()
def run_piece(piece: int) -> None:
    """Do what a piece asks, once: that it is done is written in the same transaction."""
    row = Piece.objects.select_related("work").get(pk=piece)
    work = row.work
    with clock.carrying_on(work.at), transaction.atomic():
        # First of all: another worker with the same piece waits here for this transaction, and then finds it done.
        if not Piece.objects.filter(pk=row.pk, done_at__isnull=True).update(done_at=clock.wall()):
            return
        act = Act(clock.today(), Doer(work.actor_id, work.actor_name), work.act)
        kind_named(work.kind).run(row.ids, act, **work.said)
        Work.objects.filter(pk=work.pk).update(done=F("done") + len(row.ids))
        Work.objects.filter(pk=work.pk, done__gte=F("total")).update(ended_at=clock.wall())


@transaction.atomic
def run_again(*, key: str) -> bool:
    """Set a task that failed ready again, with all its tries; whether it was one."""
    failed = DBTaskResult.objects.filter(pk=key, status=TaskResultStatus.FAILED)
    return bool(
        failed.update(
            status=TaskResultStatus.READY,
            worker_ids=[],
            run_after=timezone.now(),
            started_at=None,
            finished_at=None,
        )
    )


@transaction.atomic
def put_away(*, key: str) -> bool:
    """No longer show a task that failed: somebody has seen to it otherwise. Whether it was one."""
    row = DBTaskResult.objects.filter(pk=key, status=TaskResultStatus.FAILED).first()
    if row is None:
        return False
    if row.task_path == run_piece.module_path:
        piece = Piece.objects.filter(pk=row.args_kwargs["kwargs"]["piece"]).select_related("work").first()
        if piece is not None:
            # Its people are not counted as done; the rest of the work ends without them.
            Work.objects.filter(pk=piece.work_id).update(total=F("total") - len(piece.ids))
            Work.objects.filter(pk=piece.work_id, done__gte=F("total")).update(ended_at=clock.wall())
    if row.task_path == cut_work.module_path:
        # Nothing of it comes any more: its page does not wait for ever.
        Work.objects.filter(pk=row.args_kwargs["kwargs"]["work"], is_cut=False).update(ended_at=clock.wall())
    row.delete()
    return True


def _in_transaction() -> None:
    if not transaction.get_connection().in_atomic_block:
        raise RuntimeError("Work is handed over within the transaction of its act.")
