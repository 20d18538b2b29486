"""Folders of a binder: made, named, moved, and taken away when nothing is in them."""

from __future__ import annotations

from dataclasses import dataclass

from django.db import transaction
from django.db.models import Count, Q

from stepladder import events
from stepladder.accounts import policy
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.errors import LibraryError
from stepladder.library.models import OUT_OF_USE, Binder, Folder, Module
from stepladder.refusals import NameThere

__all__ = [
    "FolderNode",
    "Place",
    "folder_at",
    "folder_tree",
    "make_folder",
    "move_folder",
    "places_in",
    "remove_folder",
    "rename_folder",
    "trail_of",
]

# Deeper than this nobody finds anything; folders that are dropped from a disk may be.
DEEPEST = 12
LONGEST_NAME = 120


@dataclass(frozen=True)
class FolderNode:
    """A folder of a binder's tree, so deep in it, with how many modules in use it holds itself."""

    folder: Folder
    depth: int
    count: int

    @property
    def indent(self) -> int:
        """How far the index sets it in: beyond three steps there is no room."""
        return min(self.depth + 1, 3)


@dataclass(frozen=True)
class Place:
    """Where modules can be put: a binder's top or a folder; *key* is how forms name it."""

    key: str
    words: str


def folder_tree(binder: Binder) -> list[FolderNode]:
    """The folders of a binder, each before those in it, beside each other by name. One query."""
    counted = Count("modules", filter=~Q(modules__state__in=OUT_OF_USE))
    children: dict[int | None, list[Folder]] = {}
    for folder in binder.folders.annotate(held=counted).order_by("name"):
        children.setdefault(folder.parent_id, []).append(folder)
    found: list[FolderNode] = []

    def walk(parent: int | None, depth: int) -> None:
        for folder in children.get(parent, ()):
            found.append(FolderNode(folder, depth, folder.held))  # type: ignore[attr-defined]
            walk(folder.pk, depth + 1)

    walk(None, 0)
    return found


def trail_of(folder: Folder | None) -> list[Folder]:
    """The folder with those around it, from the top."""
    found: list[Folder] = []
    while folder is not None:
        found.insert(0, folder)
        folder = folder.parent
    return found


def places_in(binders: list[Binder]) -> list[Place]:
    """Where modules can be put in these binders: "Deck", "Deck › Mooring › Lines"."""
    folders = {folder.pk: folder for folder in Folder.objects.filter(binder__in=binders)}
    by_binder: dict[int, list[Place]] = {}
    for folder in folders.values():
        names, at = [folder.name], folder
        while at.parent_id is not None:
            at = folders[at.parent_id]
            names.insert(0, at.name)
        binder = next(one for one in binders if one.pk == folder.binder_id)
        words = " › ".join([binder.name, *names])
        by_binder.setdefault(binder.pk, []).append(Place(f"{binder.public_id}/{folder.public_id}", words))
    return [
        place
        for binder in binders
        for place in (
            Place(binder.public_id, binder.name),
            *sorted(by_binder.get(binder.pk, ()), key=lambda one: one.words.casefold()),
        )
    ]


def _checked(binder: Binder, parent: Folder | None, name: str, *, but: Folder | None = None) -> str:
    """The name as it is kept. Raises LibraryError, NameThere."""
    plain = " ".join(name.split())[:LONGEST_NAME]
    if not plain:
        raise LibraryError("Give the folder a name first.")
    beside = Folder.objects.filter(binder=binder, parent=parent, name=plain)
    if but is not None:
        beside = beside.exclude(pk=but.pk)
    if beside.exists():
        raise NameThere(plain)
    if len(trail_of(parent)) >= DEEPEST:
        raise LibraryError(f"Folders go {DEEPEST} deep at most. Put it further up.")
    return plain


def _named(binder: Binder) -> Named:
    return Named("binder", binder.public_id, binder.name)


@transaction.atomic
def make_folder(*, binder: Binder, parent: Folder | None, name: str, by: Actor) -> Folder:
    """A new folder in a binder, or in a folder of it. Raises LibraryError, NameThere."""
    policy.require(by, "change modules", binder)
    folder = Folder.objects.create(binder=binder, parent=parent, name=_checked(binder, parent, name))
    record("make_folder", by=by, about=_named(binder), data={"folder": folder.name})
    return folder


@transaction.atomic
def folder_at(*, binder: Binder, parent: Folder | None, names: list[str], by: Actor) -> Folder | None:
    """The folder at a path below *parent*, made where it is not there; deeper names than may be are left out."""
    policy.require(by, "change modules", binder)
    at = parent
    for name in names[: DEEPEST - len(trail_of(parent))]:
        plain = " ".join(name.split())[:LONGEST_NAME]
        if not plain:
            continue
        inner = Folder.objects.filter(binder=binder, parent=at, name=plain).first()
        at = inner or make_folder(binder=binder, parent=at, name=plain, by=by)
    return at


@transaction.atomic
def rename_folder(*, folder: Folder, name: str, by: Actor) -> Folder:
    """Another name. Raises LibraryError, NameThere."""
    policy.require(by, "change modules", folder.binder)
    before, folder.name = folder.name, _checked(folder.binder, folder.parent, name, but=folder)
    folder.save(update_fields=["name"])
    record("rename_folder", by=by, about=_named(folder.binder), data={"before": before, "folder": folder.name})
    return folder


@transaction.atomic
def move_folder(*, folder: Folder, binder: Binder, parent: Folder | None, by: Actor) -> Folder:
    """Into another folder or binder, with all that is in it. Raises LibraryError, NameThere."""
    policy.require(by, "change modules", folder.binder)
    policy.require(by, "change modules", binder)
    if folder in trail_of(parent):
        raise LibraryError(f"“{folder.name}” cannot be moved into itself.")
    inner = _with_inner(folder)
    deep = max(len(trail_of(one)) for one in inner) - len(trail_of(folder)) + 1
    if len(trail_of(parent)) + deep > DEEPEST:
        raise LibraryError(f"Folders go {DEEPEST} deep at most. Put it further up.")
    before = folder.binder
    folder.name = _checked(binder, parent, folder.name, but=folder)
    folder.binder, folder.parent = binder, parent
    folder.save(update_fields=["binder", "parent", "name"])
    if before.pk != binder.pk:
        Folder.objects.filter(pk__in=[one.pk for one in inner]).update(binder=binder)
        moved = Module.objects.filter(folder__in=inner)
        keys = list(moved.values_list("pk", flat=True))
        for module in moved:
            # One by one: the journal watches whose modules are.
            module.binder = binder
            module.save(update_fields=["binder"])
    else:
        keys = []
    data = {"folder": folder.name, "to": " › ".join([binder.name, *(one.name for one in trail_of(parent))])}
    entry = record("move_folder", by=by, about=_named(before), data=data)
    for key in keys:
        events.announce(events.ModuleProcessed(key), entry.act)
    return folder


def _with_inner(folder: Folder) -> list[Folder]:
    found, waiting = [folder], [folder]
    while waiting:
        inner = list(Folder.objects.filter(parent__in=waiting))
        found += inner
        waiting = inner
    return found


@transaction.atomic
def remove_folder(*, folder: Folder, by: Actor) -> None:
    """Take an empty folder away. Raises LibraryError where something is in it."""
    policy.require(by, "change modules", folder.binder)
    held = folder.modules.exclude(state__in=OUT_OF_USE).count()
    if held or folder.folders.exists():
        what = f"{held} module{'s' if held != 1 else ''}" if held else "a folder"
        raise LibraryError(f"“{folder.name}” still holds {what}. Move or delete what is in it first.")
    # What is withdrawn or rests in it stays, at the place where the folder was.
    folder.modules.update(folder=folder.parent)
    binder, name = folder.binder, folder.name
    folder.delete()
    record("remove_folder", by=by, about=_named(binder), data={"folder": name})
