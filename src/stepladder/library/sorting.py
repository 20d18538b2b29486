"""Putting many modules in order at once: into another binder, under a word, out of use. One act, taken back whole."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.finding import fold
from stepladder.journal import undoing
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.models import Entry
from stepladder.library.errors import InUse, NothingChosen, TitleTaken
from stepladder.library.folders import trail_of
from stepladder.library.models import Binder, Folder, Module, ModuleState, Tag
from stepladder.library.titles import titles_in
from stepladder.library.use import courses_with, is_used
from stepladder.web.sheets import TOUCHED, touch

__all__ = [
    "Sorted",
    "delete_modules",
    "fetch_back",
    "move_modules",
    "place_in_words",
    "register",
    "tag_modules",
    "untag_modules",
    "withdraw_modules",
]


@dataclass(frozen=True)
class Sorted:
    """What became of the modules: how many are others now, and why some were passed over."""

    count: int
    words: str
    passed_over: list[str]


@transaction.atomic
def move_modules(*, modules: Sequence[Module], to: Binder, folder: Folder | None = None, by: Actor) -> Sorted:
    """Into another binder, whose editors change them from now on, or a folder of one; what is called as one there is passed over.

    Raises NothingChosen.
    """
    policy.require(by, "change modules", to)

    taken = titles_in(to)

    def move(module: Module) -> None:
        if module.binder_id != to.pk:
            if fold(module.title) in taken:
                raise TitleTaken(module.title, to.name)
            taken[fold(module.title)] = [module.pk]
        module.binder, module.folder = to, folder
        module.save(update_fields=["binder", "folder"])

    return _each(modules, move, by, f"moved to “{place_in_words(to, folder)}”")


def place_in_words(binder: Binder, folder: Folder | None) -> str:
    """Where something is: "Deck › Mooring"."""
    return " › ".join([binder.name, *(one.name for one in trail_of(folder))])


@transaction.atomic
def tag_modules(*, modules: Sequence[Module], name: str, by: Actor) -> Sorted:
    """A word more to find them by. Raises NothingChosen."""
    tag, _ = Tag.objects.get_or_create(name=name)
    return _each(modules, lambda module: module.tags.add(tag), by, f"tagged “{name}”")


@transaction.atomic
def untag_modules(*, modules: Sequence[Module], name: str, by: Actor) -> Sorted:
    """A word less to find them by. Raises NothingChosen."""
    return _each(
        modules, lambda module: module.tags.remove(*Tag.objects.filter(name=name)), by, f"not “{name}” any more"
    )


@transaction.atomic
def withdraw_modules(*, modules: Sequence[Module], by: Actor) -> Sorted:
    """No longer to be put into courses; those that released courses have as a step are passed over. Raises NothingChosen."""

    def withdraw(module: Module) -> None:
        if refusing := courses_with(module):
            raise InUse(module.title, refusing)
        module.state = ModuleState.WITHDRAWN
        module.save(update_fields=["state"])

    return _each(modules, withdraw, by, "withdrawn")


@transaction.atomic
def delete_modules(*, modules: Sequence[Module], by: Actor) -> Sorted:
    """Out of the library, to rest for 30 days and then to be gone; what a course has as a step is passed over. Raises NothingChosen."""
    used = set(Module.objects.filter(is_used(), pk__in=[module.pk for module in modules]).values_list("pk", flat=True))

    def delete(module: Module) -> None:
        if module.pk in used:
            raise InUse(module.title, courses_with(module) or ["a draft"])
        module.state, module.deleted_at = ModuleState.DELETED, clock.now()
        module.save(update_fields=["state", "deleted_at"])

    return _each(modules, delete, by, "deleted")


@transaction.atomic
def fetch_back(*, modules: Sequence[Module], by: Actor) -> Sorted:
    """Modules that rest are in use again, as drafts where they have no version. Raises NothingChosen."""

    def fetch(module: Module) -> None:
        if module.state == ModuleState.DELETED:
            # While it rested another may have been called so.
            if fold(module.title) in titles_in(module.binder):
                raise TitleTaken(module.title, module.binder.name)
            module.state = ModuleState.RELEASED if module.versions.exists() else ModuleState.DRAFT
            module.deleted_at = None
            module.save(update_fields=["state", "deleted_at"])

    return _each(modules, fetch, by, "in use again")


def _each(modules: Sequence[Module], change: Callable[[Module], None], by: Actor, words: str) -> Sorted:
    if not modules:
        raise NothingChosen("Nothing was chosen. Tick the modules first.")
    was, became, passed_over = {}, {}, []
    for module in modules:
        policy.require(by, "change modules", module)
        before = _kept(module)
        try:
            change(module)
        except (InUse, TitleTaken) as refusal:
            passed_over.append(str(refusal))
            continue
        if (after := _kept(module)) != before:
            touch(module, revision=None, by_name=by.name)
            module.save(update_fields=TOUCHED)
            was[module.public_id], became[module.public_id] = before, after
    if was:
        first = next(module for module in modules if module.public_id in was)
        named = Named("binder", first.binder.public_id, first.binder.name)
        count = f"{len(was)} module{'s' if len(was) != 1 else ''}"
        data = {"count": count, "words": words, "was": was, "became": became}
        _announce(record("sort_modules", by=by, about=named, data=data).act, was)
    return Sorted(len(was), words, passed_over)


def _kept(module: Module) -> dict[str, Any]:
    """What of a module such an act may change."""
    tags = sorted(module.tags.values_list("name", flat=True))
    folder = module.folder.public_id if module.folder else ""
    return {"binder": module.binder.public_id, "folder": folder, "state": module.state, "tags": tags}


def _is_as(module: Module, became: dict[str, Any]) -> bool:
    """Whether it is as an act left it; older entries know less of it."""
    now = _kept(module)
    return all(now[name] == value for name, value in became.items())


def _announce(act: events.Act, changed: dict[str, Any]) -> None:
    for key in Module.objects.filter(public_id__in=changed).values_list("pk", flat=True):
        events.announce(events.ModuleProcessed(key), act)


def _of_entry(entry: Entry) -> Any:
    return Module.objects.select_related("binder", "folder").filter(public_id__in=entry.data["was"]).order_by("title")


def _against(entry: Entry) -> list[str]:
    became = entry.data["became"]
    return [f"“{m.title}” was changed since." for m in _of_entry(entry) if not _is_as(m, became[m.public_id])]


def _undo(entry: Entry, act: events.Act) -> None:
    binders = {binder.public_id: binder for binder in Binder.objects.all()}
    for module in _of_entry(entry):
        was = entry.data["was"][module.public_id]
        touch(module, revision=None, by_name=act.by.name)
        module.binder, module.state = binders[was["binder"]], was["state"]
        module.folder = Folder.objects.filter(public_id=was.get("folder", ""), binder=module.binder).first()
        module.deleted_at = None
        module.save(update_fields=[*TOUCHED, "binder", "folder", "state", "deleted_at"])
        module.tags.set([Tag.objects.get_or_create(name=name)[0] for name in was["tags"]])
    _announce(act, entry.data["was"])


def _describe(entry: Entry) -> tuple[list[str], list[str]]:
    return [], [f"“{module.title}” {entry.data['words']}" for module in _of_entry(entry)[: undoing.SHOWN]]


def register() -> None:
    """Hand in the way back."""
    undoing.add_inverse(
        "change modules", "sort_modules", whose=_of_entry, depends=_against, undo=_undo, describe=_describe
    )
