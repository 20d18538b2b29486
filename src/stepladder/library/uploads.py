"""Bringing files in: what arrives in parts, and what becomes of it."""

from __future__ import annotations

import fcntl
from collections.abc import Sequence
from os import SEEK_END
from typing import IO

from django.conf import settings
from django.db import transaction
from django.db.models import F, Sum

from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.library import storage
from stepladder.library.actions import become_version
from stepladder.library.errors import LibraryError, PartUnderWay, TooLarge, WrongOffset
from stepladder.library.folders import folder_at
from stepladder.library.models import Binder, Folder, Module, StoredFile, Upload
from stepladder.library.sorting import delete_modules
from stepladder.library.tasks import work_out_upload
from stepladder.library.use import is_used
from stepladder.queue.actions import later

__all__ = [
    "begin_upload",
    "check_room",
    "discard_upload",
    "finish_received",
    "receive_part",
    "room_taken",
    "settle_likeness",
    "try_again",
]

BLOCK = 1024 * 1024
# Left free on the disk whatever is uploaded, so that the database can still be written.
KEPT_FREE = 512 * 1024**2


def check_room(*, binder: Binder, size: int, by: Account) -> None:
    """Whether so many bytes more would find room, asked before anything is sent. Raises LibraryError."""
    policy.require(by, "change modules", binder)
    if size + _announced() + KEPT_FREE > storage.free_bytes():
        raise LibraryError("The disk is almost full, so nothing was taken. Ask whoever runs this installation.")
    if binder.quota_mb is None:
        return
    left = binder.quota_mb * 1024**2 - room_taken(binder)
    if size > left:
        raise LibraryError(
            f"The binder “{binder.name}” has room for {binder.quota_mb} MB of files, and {max(left, 0) // 1024**2} MB are "
            f"left; these are {-(-size // 1024**2)} MB. Delete what is not needed, or have its room made larger."
        )


def room_taken(binder: Binder) -> int:
    """Bytes of the files of a binder, those on their way with them; one that several versions have counts once."""
    files = StoredFile.objects.filter(versions__module__binder=binder).distinct()
    kept = sum(files.values_list("size", flat=True))
    coming = binder.uploads.filter(state__in=UNDER_WAY).aggregate(sum=Sum("size"))["sum"] or 0
    return kept + int(coming)


UNDER_WAY = (Upload.State.RECEIVING, Upload.State.WAITING, Upload.State.WORKING)


@transaction.atomic
def begin_upload(
    *,
    binder: Binder,
    name: str,
    size: int,
    by: Account,
    replaces: Module | None = None,
    folder: Folder | None = None,
    inside: Sequence[str] = (),
) -> Upload:
    """Room for a file that comes in parts; *inside* are the folders that it lay in, made where they are not there.

    Raises TooLarge, or LibraryError where there is no room.
    """
    policy.require(by, "change modules", binder)
    if size > settings.UPLOAD_LIMIT_BYTES:
        raise TooLarge(name, settings.UPLOAD_LIMIT_BYTES // 1024**2)
    check_room(binder=binder, size=size, by=by)
    if inside:
        folder = folder_at(binder=binder, parent=folder, names=list(inside), by=by)
    upload = Upload.objects.create(
        account=by, binder=binder, file_name=name, size=size, replaces=replaces, folder=folder
    )
    storage.incoming(upload).touch()
    if size == 0:
        _all_received(upload)
    return upload


def _announced() -> int:
    """What files on their way will still take: the rest of those that arrive, and a copy of those that are worked out."""
    states = Upload.State
    rest = Upload.objects.filter(state=states.RECEIVING).aggregate(sum=Sum(F("size") - F("received")))["sum"] or 0
    copies = Upload.objects.filter(state__in=(states.WAITING, states.WORKING)).aggregate(sum=Sum("size"))["sum"] or 0
    return int(rest + copies)


def finish_received(*, upload: Upload) -> bool:
    """Have a file worked out that is whole on the disk though its row was not told (the process was stopped in between)."""
    path = storage.incoming(upload)
    if upload.state != Upload.State.RECEIVING or not path.exists() or path.stat().st_size != upload.size:
        return False
    with transaction.atomic():
        upload.refresh_from_db()
        _all_received(upload)
    return True


def receive_part(*, upload: Upload, offset: int, part: IO[bytes], by: Account) -> int:
    """Append a part; how much is there now. Raises WrongOffset unless it begins where the file ends, PartUnderWay.

    What arrived before a connection broke stays: the file on disk is the truth, the row only tells of it.
    """
    if upload.account_id != by.pk:
        policy.require(by, "change modules", upload.binder)
    path = storage.incoming(upload)
    # Without a buffer of its own: each block is on its way to the disk at once, and is copied once less.
    with path.open("ab", buffering=0) as target:
        try:
            # A connection that broke may still be read by another thread: two writers would interleave.
            fcntl.flock(target, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise PartUnderWay("Another part of this file is just arriving. Try again in a moment.") from None
        received = target.seek(0, SEEK_END)
        if received != offset:
            raise WrongOffset(str(received))
        while block := part.read(BLOCK):
            if received + len(block) > upload.size:
                raise LibraryError("More arrived than was announced. Start this upload again.")
            received += _write(target, block)
    with transaction.atomic():
        Upload.objects.filter(pk=upload.pk).update(received=received, beat_at=clock.now())
        if received == upload.size:
            upload.refresh_from_db()
            _all_received(upload)
    return received


def _write(target: IO[bytes], block: bytes) -> int:
    """All of a block: the system may take less of it at once."""
    left = memoryview(block)
    while left:
        left = left[target.write(left) :]
    return len(block)


def _all_received(upload: Upload) -> None:
    if upload.state != Upload.State.RECEIVING:
        return
    upload.state, upload.beat_at = Upload.State.WAITING, clock.now()
    upload.save(update_fields=["state", "beat_at"])
    later(work_out_upload, upload_id=upload.pk)


@transaction.atomic
def discard_upload(*, upload: Upload, by: Account) -> None:
    """Stop an upload, or put a finished or refused one out of sight."""
    if upload.account_id != by.pk:
        policy.require(by, "change modules", upload.binder)
    if upload.state == Upload.State.RECEIVING:
        storage.incoming(upload).unlink(missing_ok=True)
        upload.delete()
        return
    upload.is_dismissed, upload.can_try_again = True, False
    upload.save(update_fields=["is_dismissed", "can_try_again"])
    if upload.state == Upload.State.REFUSED:
        storage.incoming(upload).unlink(missing_ok=True)


@transaction.atomic
def try_again(*, upload: Upload, by: Account) -> None:
    """Work a file out once more: one that something unexpected refused, or one that came to a halt. Raises LibraryError."""
    if upload.account_id != by.pk:
        policy.require(by, "change modules", upload.binder)
    upload.refresh_from_db()
    if not upload.can_try_again and not upload.has_halted:
        raise LibraryError("This file is being worked out, or cannot be: choose it anew.")
    upload.state, upload.message, upload.done, upload.can_try_again = Upload.State.WAITING, "", 0, False
    upload.beat_at = clock.now()
    upload.save(update_fields=["state", "message", "done", "can_try_again", "beat_at"])
    later(work_out_upload, upload_id=upload.pk)


@transaction.atomic
def settle_likeness(*, upload: Upload, choice: str, by: Account) -> None:
    """What becomes of a file that is like another: "both" stay, only the "other" one does, or it is a newer "version" of it.

    Raises LibraryError where either is gone, or used, by now.
    """
    if upload.account_id != by.pk:
        policy.require(by, "change modules", upload.binder)
    module, twin = upload.module, upload.twin
    if module is None or twin is None or not upload.likeness:
        raise LibraryError("This is settled already.")
    if choice == "other":
        done = delete_modules(modules=[module], by=by)
        if done.passed_over:
            raise LibraryError(done.passed_over[0])
    elif choice == "version":
        version = module.versions.get()
        if Module.objects.filter(is_used(), pk=module.pk).exists():
            raise LibraryError(f"“{module.title}” is a step of a course by now, so it stays a module of its own.")
        become_version(version=version, of=twin, by=by)
    Upload.objects.filter(pk=upload.pk).update(is_dismissed=True, likeness="", twin=None)
