"""Everything that writes in the library."""

from __future__ import annotations

import fcntl
import shutil
from collections.abc import Sequence
from datetime import timedelta
from functools import partial
from pathlib import Path
from typing import IO

from django.conf import settings
from django.db import transaction
from django.db.models import F, ProtectedError, Sum

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.core.packages.runtime import DoneWhen
from stepladder.journal.actions import Actor, Named, record
from stepladder.library import storage
from stepladder.library.errors import InUse, LibraryError, PartUnderWay, TooLarge, Unusable, WrongOffset
from stepladder.library.kinds import Kind, Worked
from stepladder.library.kinds.package import DONE_WHEN
from stepladder.library.models import Binder, Module, ModuleState, ModuleVersion, StoredFile, Tag, Upload
from stepladder.queue.actions import later
from stepladder.web.sheets import touch

__all__ = [
    "about",
    "add_version",
    "begin_upload",
    "create_binder",
    "create_module",
    "discard_upload",
    "discard_version",
    "edit_module",
    "finish_received",
    "receive_part",
    "release_module",
    "rename_binder",
    "set_captions",
    "set_done_when",
    "tidy_uploads",
    "try_again",
    "withdraw_module",
]

BLOCK = 256 * 1024
# Left free on the disk whatever is uploaded, so that the database can still be written.
KEPT_FREE = 512 * 1024**2
# Parts that nobody went on with for so long are not kept any longer.
GIVEN_UP = timedelta(days=7)


def about(module: Module) -> Named:
    """The module as the journal names it."""
    return Named("module", module.public_id, module.title)


@transaction.atomic
def create_binder(*, name: str, owner: Account, by: Actor, is_shared: bool = True) -> Binder:
    """A new binder."""
    policy.require(by, "change modules")
    binder = Binder.objects.create(
        name=name, owner=owner, is_shared=is_shared, changed_at=clock.now(), changed_by=by.name
    )
    record("create_binder", by=by, about=Named("binder", binder.public_id, name))
    return binder


@transaction.atomic
def rename_binder(*, binder: Binder, revision: int | None, name: str, is_shared: bool, by: Actor) -> Binder:
    """Name, and whether others may use what is in it. Raises NewerChange."""
    policy.require(by, "change modules", binder)
    touch(binder, revision=revision, by_name=by.name)
    binder.name, binder.is_shared = name, is_shared
    binder.save()
    record("edit_binder", by=by, about=Named("binder", binder.public_id, name))
    return binder


@transaction.atomic
def begin_upload(*, binder: Binder, name: str, size: int, by: Account, replaces: Module | None = None) -> Upload:
    """Room for a file that comes in parts. Raises TooLarge, or LibraryError where the disk is full."""
    policy.require(by, "change modules", binder)
    if size > settings.UPLOAD_LIMIT_BYTES:
        raise TooLarge(name, settings.UPLOAD_LIMIT_BYTES // 1024**2)
    if size + _announced() + KEPT_FREE > storage.free_bytes():
        raise LibraryError("The disk is almost full, so nothing was taken. Ask whoever runs this installation.")
    upload = Upload.objects.create(account=by, binder=binder, file_name=name, size=size, replaces=replaces)
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


def tidy_uploads() -> int:
    """The daily run: what is whole is worked out, and parts that nobody went on with for a week go. How many went."""
    gone = 0
    for upload in Upload.objects.filter(state=Upload.State.RECEIVING).select_related("account"):
        if not finish_received(upload=upload) and upload.beat_at < clock.now() - GIVEN_UP:
            discard_upload(upload=upload, by=upload.account)
            gone += 1
    return gone


def receive_part(*, upload: Upload, offset: int, part: IO[bytes], by: Account) -> int:
    """Append a part; how much is there now. Raises WrongOffset unless it begins where the file ends, PartUnderWay.

    What arrived before a connection broke stays: the file on disk is the truth, the row only tells of it.
    """
    if upload.account_id != by.pk:
        policy.require(by, "change modules", upload.binder)
    path = storage.incoming(upload)
    with path.open("ab") as target:
        try:
            # A connection that broke may still be read by another thread: two writers would interleave.
            fcntl.flock(target, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except BlockingIOError:
            raise PartUnderWay("Another part of this file is just arriving. Try again in a moment.") from None
        if target.tell() != offset:
            raise WrongOffset(str(target.tell()))
        while block := part.read(BLOCK):
            if target.tell() + len(block) > upload.size:
                raise LibraryError("More arrived than was announced. Start this upload again.")
            target.write(block)
            target.flush()
        received = target.tell()
    with transaction.atomic():
        Upload.objects.filter(pk=upload.pk).update(received=received, beat_at=clock.now())
        if received == upload.size:
            upload.refresh_from_db()
            _all_received(upload)
    return received


def _all_received(upload: Upload) -> None:
    from stepladder.library.tasks import work_out_upload  # inside: the task module imports these actions

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
    from stepladder.library.tasks import work_out_upload  # inside: the task module imports these actions

    if upload.account_id != by.pk:
        policy.require(by, "change modules", upload.binder)
    upload.refresh_from_db()
    if not upload.can_try_again and not upload.has_halted:
        raise LibraryError("This file is being worked out, or cannot be: choose it anew.")
    upload.state, upload.says, upload.done, upload.can_try_again = Upload.State.WAITING, "", 0, False
    upload.beat_at = clock.now()
    upload.save(update_fields=["state", "says", "done", "can_try_again", "beat_at"])
    later(work_out_upload, upload_id=upload.pk)


def discard_version(*, upload: Upload, because: str) -> None:
    """The version that an upload made is not kept: its file turned out to be of no use. What uses it already stays.

    Called by the task that made it, within its transaction.
    """
    assert upload.module is not None
    module = upload.module
    made = (
        module.versions.filter(made_at__gte=upload.created_at, file_name=upload.file_name).order_by("-number").first()
    )
    if made is None:
        return
    folders = [storage.package_folder(made), storage.derived_folder(made)]
    number = made.number
    try:
        with transaction.atomic():
            made.delete()
            if not module.versions.exists():
                Upload.objects.filter(module=module).update(module=None)
                module.delete()
    except ProtectedError:
        # A draft took it in the meantime: it stays, and its step says what is missing.
        return
    named = about(module)
    data = {"number": number, "because": because[:300]}
    entry = record("discard_version", by=upload.account, about=named, data=data)
    events.announce(events.ModuleProcessed(upload.module_id or 0), entry.act)
    for folder in folders:
        transaction.on_commit(partial(shutil.rmtree, folder, ignore_errors=True))


@transaction.atomic
def create_module(
    *,
    binder: Binder,
    kind: Kind,
    worked: Worked,
    by: Actor,
    original: StoredFile | None = None,
    file_name: str = "",
) -> ModuleVersion:
    """A module with its first version, usable at once; without an *original* it was made here, of no file."""
    policy.require(by, "change modules", binder)
    module = Module.objects.create(
        binder=binder,
        kind=kind.name,
        title=worked.title,
        description=worked.description,
        minutes=worked.minutes,
        changed_at=clock.now(),
        changed_by=by.name,
    )
    version = _version(module, 1, worked, original, file_name, by)
    entry = record("create_module", by=by, about=about(module), data={"kind": kind.name})
    events.announce(events.ModuleProcessed(module.pk), entry.act)
    return version


@transaction.atomic
def add_version(
    *, module: Module, worked: Worked, by: Actor, original: StoredFile | None = None, file_name: str = ""
) -> ModuleVersion:
    """A newer version. Released editions keep theirs; drafts may take this one."""
    policy.require(by, "change modules", module)
    number = module.versions.order_by("-number").values_list("number", flat=True)[0] + 1
    version = _version(module, number, worked, original, file_name, by)
    entry = record("add_version", by=by, about=about(module), data={"number": number})
    events.announce(events.ModuleProcessed(module.pk), entry.act)
    return version


def _version(
    module: Module, number: int, worked: Worked, original: StoredFile | None, file_name: str, by: Actor
) -> ModuleVersion:
    version = ModuleVersion.objects.create(
        module=module,
        number=number,
        original=original,
        file_name=file_name,
        data=dict(worked.data),
        minutes=worked.minutes,
        made_at=clock.now(),
        made_by=by.name,
    )
    if worked.still:
        still: Path = storage.derived_folder(version) / "still.jpg"
        still.write_bytes(worked.still)
    return version


@transaction.atomic
def edit_module(
    *,
    module: Module,
    revision: int | None,
    title: str,
    description: str,
    minutes: int,
    tags: Sequence[str],
    by: Actor,
) -> Module:
    """Title, description, minutes and tags. Raises NewerChange."""
    policy.require(by, "change modules", module)
    touch(module, revision=revision, by_name=by.name)
    module.title, module.description, module.minutes = title, description, minutes
    module.save()
    module.tags.set([Tag.objects.get_or_create(name=name)[0] for name in tags])
    entry = record("edit_module", by=by, about=about(module))
    events.announce(events.ModuleProcessed(module.pk), entry.act)
    return module


@transaction.atomic
def set_captions(*, version: ModuleVersion, text: str, by: Actor) -> None:
    """Captions (WebVTT) of a version of a film; they may be given again. Raises Unusable."""
    policy.require(by, "change modules", version.module)
    if not text.lstrip("\ufeff").startswith("WEBVTT") or "-->" not in text:
        raise Unusable(
            "These are no WebVTT captions: the file begins with WEBVTT and has a time on each cue. Export them as .vtt."
        )
    captions = storage.derived_folder(version) / "captions.vtt"
    # In one step: somebody may be reading them, or backing them up.
    captions.with_suffix(".part").write_text(text.lstrip("\ufeff"), encoding="utf-8")
    captions.with_suffix(".part").replace(captions)
    record("set_captions", by=by, about=about(version.module), data={"number": version.number})


@transaction.atomic
def set_done_when(*, version: ModuleVersion, done_when: str, by: Actor) -> None:
    """When a version of a package is done (core.packages.runtime.DoneWhen), for all that is reported from now on."""
    policy.require(by, "change modules", version.module)
    version.refresh_from_db()
    before = version.data.get("done_when", DoneWhen.SAID.value)
    if before == done_when:
        return
    version.data = version.data | {"done_when": DoneWhen(done_when).value}
    version.save(update_fields=["data"])
    data = {"number": version.number, "after": DONE_WHEN[done_when], "before": DONE_WHEN[before]}
    record("set_done_when", by=by, about=about(version.module), data=data)


@transaction.atomic
def withdraw_module(*, module: Module, by: Actor) -> Module:
    """No longer to be put into courses. Raises InUse while released courses have it as a step."""
    policy.require(by, "change modules", module)
    refusing = [line.text for line in events.propose(events.ModuleWithdrawalProposed(module.pk)) if line.refuses]
    if refusing:
        raise InUse(module.title, refusing)
    return _set_state(module, ModuleState.WITHDRAWN, "withdraw_module", by)


@transaction.atomic
def release_module(*, module: Module, by: Actor) -> Module:
    """To be used again."""
    policy.require(by, "change modules", module)
    return _set_state(module, ModuleState.RELEASED, "release_module", by)


def _set_state(module: Module, state: str, verb: str, by: Actor) -> Module:
    touch(module, revision=None, by_name=by.name)
    module.state = state
    module.save()
    entry = record(verb, by=by, about=about(module))
    events.announce(events.ModuleProcessed(module.pk), entry.act)
    return module
