"""What the queue does for imports."""

from __future__ import annotations

import gc
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from django_tasks import task

from stepladder.people_import import actions as importing
from stepladder.people_import.models import Import
from stepladder.people_import.world import HeldWorld
from stepladder.tabular.reading import FileUnread

__all__ = ["apply_import", "look_through_import", "return_import", "words"]


def words(said: Mapping[str, Any]) -> str:
    """What a task on an import is called where it failed."""
    job = Import.objects.filter(pk=said.get("job_id", 0)).first()
    return f"the import of “{job.file_name}”" if job else "an import that is gone"


@task()
def look_through_import(job_id: int) -> None:
    """Judge the rows of an import; nothing is changed. Begun anew where it was stopped: it reads only."""
    job = Import.objects.get(pk=job_id)
    if job.state != Import.State.LOOKING:
        return
    try:
        importing.look_through(job)
    except FileUnread as refusal:
        Import.objects.filter(pk=job.pk).update(state=Import.State.REFUSED, trouble=str(refusal))


@task()
def apply_import(job_id: int) -> None:
    """Carry an import out, piece by piece. What was carried out stays; stopped, it goes on with the next piece."""
    job = Import.objects.select_related("account").get(pk=job_id)
    held, goes_on = HeldWorld(), job.state == Import.State.APPLYING
    while goes_on:
        with _unswept():
            goes_on = importing.apply_piece(job, by=job.account, held=held)
        job.refresh_from_db()
        goes_on = goes_on and job.state == Import.State.APPLYING


@contextmanager
def _unswept() -> Iterator[None]:
    """Within it nobody looks for garbage in circles: a piece makes much that is needed to its end, and looking took an eighth of it."""
    was = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was:
            gc.enable()


@task()
def return_import(job_id: int) -> None:
    """Take an import back, act by act; stopped, it goes on with the next."""
    job = Import.objects.select_related("account").get(pk=job_id)
    while job.state == Import.State.RETURNING and importing.return_piece(job, by=job.account):
        job.refresh_from_db()
