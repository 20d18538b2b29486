"""Everything that writes in the library."""

from __future__ import annotations

import shutil
from collections.abc import Mapping, Sequence
from functools import partial
from typing import Any

from django.db import transaction
from django.db.models import ProtectedError

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.core.packages.runtime import DoneWhen
from stepladder.journal.actions import Actor, Named, record
from stepladder.library import storage
from stepladder.library.captions import passages_of, read_captions
from stepladder.library.deriving import keep_derived, keep_passages
from stepladder.library.errors import InUse, NothingToRelease
from stepladder.library.kinds import Kind, Worked
from stepladder.library.kinds.package import DONE_WHEN
from stepladder.library.models import Binder, Folder, Module, ModuleState, ModuleVersion, StoredFile, Upload
from stepladder.library.titles import titles_in, unlike
from stepladder.library.use import courses_with
from stepladder.web.sheets import TOUCHED, touch

__all__ = [
    "about",
    "add_version",
    "become_version",
    "create_binder",
    "create_draft",
    "create_module",
    "discard_version",
    "release_module",
    "rename_binder",
    "set_access",
    "set_captions",
    "set_done_when",
    "set_picture",
    "withdraw_module",
]


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
def rename_binder(*, binder: Binder, revision: int | None, name: str, by: Actor, quota_mb: int | None = None) -> Binder:
    """Its name, and how much room its files have. Raises NewerChange."""
    policy.require(by, "change modules", binder)
    touch(binder, revision=revision, by_name=by.name)
    binder.name, binder.quota_mb = name, quota_mb
    binder.save(update_fields=[*TOUCHED, "name", "quota_mb"])
    record("edit_binder", by=by, about=Named("binder", binder.public_id, name))
    return binder


@transaction.atomic
def set_access(
    *, binder: Binder, co_editors: Sequence[Account], is_shared: bool, used_by: Mapping[str, Any] | None, by: Actor
) -> None:
    """Who changes what is in it beside its owner, and who may use it: every author, those in a reach, or nobody else."""
    policy.require(by, "change modules", binder)
    binder.co_editors.set(one for one in co_editors if one.pk != binder.owner_id)
    binder.is_shared, binder.used_by = is_shared, dict(used_by) if is_shared and used_by else None
    touch(binder, revision=None, by_name=by.name)
    binder.save(update_fields=[*TOUCHED, "is_shared", "used_by"])
    names = ", ".join(binder.co_editors.order_by("name").values_list("name", flat=True)) or "nobody"
    record("set_access", by=by, about=Named("binder", binder.public_id, binder.name), data={"editors": names})


@transaction.atomic
def set_seen_by(*, binder: Binder, is_open: bool, seen_by: Mapping[str, Any] | None, by: Actor) -> None:
    """Who sees what is in it though they do not use it: every author, those in a reach, or nobody."""
    policy.require(by, "change modules", binder)
    binder.is_open, binder.seen_by = is_open, dict(seen_by) if is_open and seen_by else None
    touch(binder, revision=None, by_name=by.name)
    binder.save(update_fields=[*TOUCHED, "is_open", "seen_by"])
    who = "nobody else" if not is_open else "some authors" if seen_by else "every author"
    record("set_seen_by", by=by, about=Named("binder", binder.public_id, binder.name), data={"who": who})


def discard_version(*, upload: Upload, because: str) -> None:
    """The version that an upload made is not kept: its file turned out to be of no use. What uses it already stays.

    Called by the task that made it, within its transaction.
    """
    assert upload.module is not None
    module = upload.module
    made = (
        # By when and of what it was made: an upload does not know its version, which may be one of several of a module.
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
        # Only once it is certain: rolled back, the version would be there without its files.
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
    folder: Folder | None = None,
) -> ModuleVersion:
    """A module with its first version, usable at once; without an *original* it was made here, of no file.

    Where the binder has a module of its title, it is given a number behind it.
    """
    policy.require(by, "change modules", binder)
    module = Module.objects.create(
        binder=binder,
        folder=folder,
        kind=kind.name,
        title=unlike(worked.title, titles_in(binder)),
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
def create_draft(*, binder: Binder, kind: Kind, title: str, by: Actor, description: str = "") -> Module:
    """A module that is made here and has no version yet: nobody can put it into a course before it is released."""
    policy.require(by, "change modules", binder)
    module = Module.objects.create(
        binder=binder,
        kind=kind.name,
        title=unlike(title, titles_in(binder)),
        description=description,
        state=ModuleState.DRAFT,
        changed_at=clock.now(),
        changed_by=by.name,
    )
    entry = record("create_module", by=by, about=about(module), data={"kind": kind.name})
    events.announce(events.ModuleProcessed(module.pk), entry.act)
    return module


@transaction.atomic
def add_version(
    *, module: Module, worked: Worked, by: Actor, original: StoredFile | None = None, file_name: str = ""
) -> ModuleVersion:
    """A newer version. Released editions keep theirs; drafts may take this one."""
    policy.require(by, "change modules", module)
    newest = module.versions.order_by("-number").values_list("number", flat=True).first()
    number = (newest or 0) + 1
    version = _version(module, number, worked, original, file_name, by)
    if number == 1:
        module.minutes = worked.minutes
        module.save(update_fields=["minutes"])
    entry = record("add_version", by=by, about=about(module), data={"number": number})
    events.announce(events.ModuleProcessed(module.pk), entry.act)
    return version


@transaction.atomic
def become_version(*, version: ModuleVersion, of: Module, by: Actor) -> ModuleVersion:
    """The only version of one module becomes the newest of another, and the module it was of is gone."""
    module = version.module
    policy.require(by, "change modules", module)
    policy.require(by, "change modules", of)
    newest = of.versions.order_by("-number").values_list("number", flat=True).first() or 0
    version.module, version.number = of, newest + 1
    version.save(update_fields=["module", "number"])
    Module.objects.filter(pk=of.pk).update(newest_at=version.made_at)
    Upload.objects.filter(module=module).update(module=of)
    key = module.pk
    module.delete()
    entry = record("add_version", by=by, about=about(of), data={"number": version.number})
    events.announce(events.ModuleProcessed(of.pk), entry.act)
    events.announce(events.ModuleProcessed(key), entry.act)
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
    Module.objects.filter(pk=module.pk).update(newest_at=version.made_at)
    module.newest_at = version.made_at
    keep_derived(version, worked)
    return version


@transaction.atomic
def set_captions(*, version: ModuleVersion, text: str, by: Actor) -> None:
    """Captions (WebVTT or SRT) of a version of film or sound; they may be given again. Raises Unusable."""
    policy.require(by, "change modules", version.module)
    text = read_captions(text)
    captions = storage.derived_folder(version) / "captions.vtt"
    # In one step: somebody may be reading them, or backing them up.
    captions.with_suffix(".part").write_text(text, encoding="utf-8")
    captions.with_suffix(".part").replace(captions)
    keep_passages(version, passages_of(text))
    entry = record("set_captions", by=by, about=about(version.module), data={"number": version.number})
    events.announce(events.ModuleProcessed(version.module_id), entry.act)


@transaction.atomic
def set_picture(*, module: Module, digest: str, by: Actor, by_hand: bool = True) -> None:
    """A picture of its own (library.own_pictures), or none: then one of its content, or drawn. *by_hand* a source leaves it alone."""
    policy.require(by, "change modules", module)
    module.picture = digest
    if by_hand:
        module.edited = sorted({*module.edited, "picture"})
    touch(module, revision=None, by_name=by.name)
    module.save(update_fields=[*TOUCHED, "picture", "edited"])
    record(
        "set_picture", by=by, about=about(module), data={"how": "a picture of its own" if digest else "no own picture"}
    )


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
    if refusing := courses_with(module):
        raise InUse(module.title, refusing)
    return _set_state(module, ModuleState.WITHDRAWN, "withdraw_module", by)


@transaction.atomic
def release_module(*, module: Module, by: Actor) -> Module:
    """To be used: a draft for the first time, one that was withdrawn again. Raises NothingToRelease."""
    policy.require(by, "change modules", module)
    if not module.versions.exists():
        raise NothingToRelease(module.title)
    verb = "release_draft" if module.state == ModuleState.DRAFT else "release_module"
    return _set_state(module, ModuleState.RELEASED, verb, by)


def _set_state(module: Module, state: str, verb: str, by: Actor) -> Module:
    touch(module, revision=None, by_name=by.name)
    module.state = state
    module.save(update_fields=[*TOUCHED, "state"])
    entry = record(verb, by=by, about=about(module))
    events.announce(events.ModuleProcessed(module.pk), entry.act)
    return module
