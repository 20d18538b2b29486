"""Versions that are made into another form to be taken elsewhere, by the queue: it may be stopped and run again at any time."""

from __future__ import annotations

import logging
from collections.abc import Mapping
from datetime import timedelta
from functools import partial
from typing import Any

from django.db import DatabaseError, transaction
from django_tasks import task

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.journal.actions import record
from stepladder.library import storage
from stepladder.library.actions import about
from stepladder.library.errors import LibraryError, is_of_the_machine
from stepladder.library.kinds import Export, kind_named
from stepladder.library.models import ModuleVersion, TakenOut
from stepladder.library.uploads import KEPT_FREE
from stepladder.queue.actions import Queue, later

__all__ = ["KEPT", "drop_old", "form_of", "make_taken_out", "take_out", "words"]

logger = logging.getLogger(__name__)
State = TakenOut.State
# So long a file can be fetched; it is made anew at any time.
KEPT = timedelta(days=7)


def form_of(kind: str, name: str) -> Export | None:
    """A form in which modules of a kind can be taken elsewhere, by its name."""
    return next((form for form in kind_named(kind).exports if form.name == name), None)


@transaction.atomic
def take_out(*, version: ModuleVersion, form: Export, by: Account) -> TakenOut:
    """Have a version made in that form. Asked again while it is under way it is as once."""
    policy.require(by, "use modules", version.module)
    under_way = TakenOut.objects.filter(
        account=by, version=version, form=form.name, state__in=(State.WAITING, State.WORKING)
    ).first()
    if under_way is not None:
        return under_way
    made = TakenOut.objects.create(account=by, version=version, form=form.name)
    record("take_out", by=by, about=about(version.module), data={"number": version.number, "form": form.label})
    later(make_taken_out, queue=Queue.BULK, key=made.pk)
    return made


@task()
def make_taken_out(key: int) -> None:
    """Make the file, whole or not at all: what is half made has a name of its own, and is written over the next time."""
    made = TakenOut.objects.select_related("version__module", "account").filter(pk=key).first()
    if made is None or not made.is_under_way:
        return
    form = form_of(made.version.module.kind, made.form)
    target = storage.outgoing(made.public_id)
    part = target.with_suffix(".part")
    TakenOut.objects.filter(pk=key).update(state=State.WORKING, done=0, total=0, beat_at=clock.now())
    try:
        if form is None:
            raise LibraryError("There is no such form any more. Choose another one.")
        if storage.free_bytes() < KEPT_FREE:
            raise LibraryError("The disk is almost full, so nothing was made. Tell whoever runs this installation.")
        said = form.make(made.version, part, partial(_beat, key))
        size = part.stat().st_size
        part.replace(target)
    except LibraryError as refusal:
        _fail(made, str(refusal))
    except DatabaseError:
        # It may be over in a moment: the queue tries again.
        raise
    except Exception as error:
        if isinstance(error, OSError) and is_of_the_machine(error):
            raise
        logger.exception("%s could not be made.", made)
        _fail(
            made,
            f"It could not be made: {type(error).__name__}: {str(error)[:200]}. Try again, or tell an administrator.",
        )
    else:
        TakenOut.objects.filter(pk=key).update(
            state=State.DONE, file_name=said.file_name, left_out=list(said.left_out), size=size, beat_at=clock.now()
        )


def _beat(key: int, done: int, total: int) -> None:
    TakenOut.objects.filter(pk=key).update(done=done, total=total, beat_at=clock.now())


def _fail(made: TakenOut, trouble: str) -> None:
    storage.outgoing(made.public_id).with_suffix(".part").unlink(missing_ok=True)
    TakenOut.objects.filter(pk=made.pk).update(state=State.FAILED, trouble=trouble, beat_at=clock.now())


def words(said: Mapping[str, Any]) -> str:
    """What the task is called where it failed."""
    made = TakenOut.objects.select_related("version__module").filter(pk=said.get("key", 0)).first()
    return f"making “{made.version.module.title}” to be taken elsewhere" if made else "making what is gone by now"


@task()
def drop_old() -> None:
    """The daily run: files that nobody fetched for a week go; they can be made again."""
    TakenOut.objects.filter(created_at__lt=clock.now() - KEPT).delete()
    known = set(TakenOut.objects.values_list("public_id", flat=True))
    # Those of modules that are gone for good went with them.
    for path in storage.outgoing("").iterdir():
        if path.stem not in known:
            path.unlink(missing_ok=True)
