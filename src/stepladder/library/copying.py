"""Copies of modules and of versions, with all that was derived of them."""

from __future__ import annotations

import os
import shutil
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from django.db import transaction

from stepladder import events
from stepladder.accounts import policy
from stepladder.journal import undoing
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.models import Entry
from stepladder.library import storage
from stepladder.library.actions import about, add_version, create_module
from stepladder.library.deriving import count_derived
from stepladder.library.details import details_of
from stepladder.library.editing import set_details
from stepladder.library.errors import AlreadyNewest, NothingChosen
from stepladder.library.kinds import Worked, kind_named
from stepladder.library.models import Binder, Derived, Folder, Module, ModuleState, ModuleVersion, PackageFile
from stepladder.library.parsing.material import Passage as Words
from stepladder.library.sorting import Sorted, delete_modules, place_in_words
from stepladder.library.use import is_used

__all__ = ["copy_modules", "note_version", "register", "restore_version"]


@transaction.atomic
def copy_modules(*, modules: Sequence[Module], to: Binder, folder: Folder | None = None, by: Actor) -> Sorted:
    """Beside each module one like it, in another place or the same; what is changed in one is not in the other. Raises NothingChosen."""
    policy.require(by, "change modules", to)
    if not modules:
        raise NothingChosen("Nothing was chosen. Tick the modules first.")
    made, passed_over = [], []
    for module in modules:
        policy.require(by, "use modules", module)
        newest = module.versions.order_by("-number").select_related("original").first()
        if newest is None:
            passed_over.append(f"“{module.title}” has nothing to copy yet.")
            continue
        made.append(_copy(module, newest, to, folder, by))
    words = f"copied to “{place_in_words(to, folder)}”"
    if made:
        named = Named("binder", to.public_id, to.name)
        count = f"{len(made)} module{'s' if len(made) != 1 else ''}"
        data = {"count": count, "words": words, "made": [module.public_id for module in made]}
        entry = record("copy_modules", by=by, about=named, data=data)
        for module in made:
            events.announce(events.ModuleProcessed(module.pk), entry.act)
    return Sorted(len(made), words, passed_over)


def _copy(module: Module, newest: ModuleVersion, to: Binder, folder: Folder | None, by: Actor) -> Module:
    # Beside the one it is a copy of it needs another name.
    title = f"{module.title[:190]} (copy)" if module.binder_id == to.pk else module.title
    worked = Worked(title, module.minutes, newest.data, module.description, passages=_words_of(newest))
    version = create_module(
        binder=to,
        kind=kind_named(module.kind),
        worked=worked,
        original=newest.original,
        file_name=newest.file_name,
        by=by,
        folder=folder,
    )
    copied = version.module
    set_details(copied, {n: v for n, v in details_of(module).items() if n not in ("title", "minutes")}, by_hand=False)
    _share_files(newest, version)
    return copied


def _share_files(of: ModuleVersion, to: ModuleVersion) -> None:
    """What was derived and unpacked of one version is there for another too."""
    for copy_from, copy_to in (
        (storage.derived_folder(of), storage.derived_folder(to)),
        (storage.package_folder(of), storage.package_folder(to)),
    ):
        shutil.copytree(copy_from, copy_to, copy_function=_link, dirs_exist_ok=True)
    count_derived(to)
    kind_named(to.module.kind).share(of, to)
    # Where its pages were dropped there were none to be shared.
    Derived.objects.filter(version=to).update(is_dropped=Derived.objects.filter(version=of, is_dropped=True).exists())
    files = of.package_files.values_list("path", "stored", "size")
    PackageFile.objects.bulk_create(
        [PackageFile(version=to, path=path, stored=stored, size=size) for path, stored, size in files],
        batch_size=500,
    )


def _words_of(version: ModuleVersion) -> list[Words]:
    return [Words(passage.place, passage.text, passage.title) for passage in version.passages.all()]


@transaction.atomic
def restore_version(*, version: ModuleVersion, by: Actor) -> ModuleVersion:
    """An earlier version as the newest once more; none is lost by it. Raises AlreadyNewest."""
    module = version.module
    policy.require(by, "change modules", module)
    if not module.versions.filter(number__gt=version.number).exists():
        raise AlreadyNewest(f"Version {version.number} is the newest already.")
    worked = Worked(module.title, version.minutes, version.data, passages=_words_of(version))
    restored = add_version(module=module, worked=worked, original=version.original, file_name=version.file_name, by=by)
    ModuleVersion.objects.filter(pk=restored.pk).update(note=f"Version {version.number} again")
    _share_files(version, restored)
    return restored


@transaction.atomic
def note_version(*, version: ModuleVersion, note: str, by: Actor) -> ModuleVersion:
    """What is new in a version, in a few words."""
    policy.require(by, "change modules", version.module)
    version.note = note
    version.save(update_fields=["note"])
    record("note_version", by=by, about=about(version.module), data={"number": version.number, "note": note})
    return version


def _link(source: str, target: str) -> None:
    """The same file under a second name: what is derived is only ever replaced as a whole, never written into."""
    try:
        os.link(source, target)
    except OSError:
        shutil.copyfile(source, Path(target))


def _of_entry(entry: Entry) -> Any:
    return Module.objects.select_related("binder", "folder").filter(public_id__in=entry.data["made"]).order_by("title")


def _against(entry: Entry) -> list[str]:
    used = _of_entry(entry).filter(is_used())
    return [f"“{module.title}” is a step of a course by now." for module in used]


def _undo(entry: Entry, act: events.Act) -> None:
    delete_modules(modules=list(_of_entry(entry).exclude(state=ModuleState.DELETED)), by=act.by)


def _describe(entry: Entry) -> tuple[list[str], list[str]]:
    return [], [f"“{module.title}”" for module in _of_entry(entry)[: undoing.SHOWN]]


def register() -> None:
    """Hand in the way back."""
    undoing.add_inverse(
        "change modules", "copy_modules", whose=_of_entry, depends=_against, undo=_undo, describe=_describe
    )
