"""Putting many modules in order at once: into another binder, under a word, out of use. One act, taken back whole."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any

from django.db import transaction

from stepladder import events
from stepladder.accounts import policy
from stepladder.journal import undoing
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.models import Entry
from stepladder.library.errors import InUse, NothingChosen
from stepladder.library.models import Binder, Module, ModuleState, Tag
from stepladder.web.sheets import TOUCHED, touch

__all__ = ["Sorted", "move_modules", "register", "tag_modules", "untag_modules", "withdraw_modules"]


@dataclass(frozen=True)
class Sorted:
    """What became of the modules: how many are others now, and why some were passed over."""

    count: int
    words: str
    passed_over: list[str]


@transaction.atomic
def move_modules(*, modules: Sequence[Module], to: Binder, by: Actor) -> Sorted:
    """Into another binder, whose editors change them from now on. Raises NothingChosen."""
    policy.require(by, "change modules", to)

    def move(module: Module) -> None:
        module.binder = to
        module.save(update_fields=["binder"])

    return _each(modules, move, by, f"moved to “{to.name}”")


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
        # The library does not know courses: who uses a module says what stands against it.
        refusing = [line.text for line in events.propose(events.ModuleWithdrawalProposed(module.pk)) if line.refuses]
        if refusing:
            raise InUse(module.title, refusing)
        module.state = ModuleState.WITHDRAWN
        module.save(update_fields=["state"])

    return _each(modules, withdraw, by, "withdrawn")


def _each(modules: Sequence[Module], change: Callable[[Module], None], by: Actor, words: str) -> Sorted:
    if not modules:
        raise NothingChosen("Nothing was chosen. Tick the modules first.")
    was, became, passed_over = {}, {}, []
    for module in modules:
        policy.require(by, "change modules", module)
        before = _kept(module)
        try:
            change(module)
        except InUse as refusal:
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
    return {"binder": module.binder.public_id, "state": module.state, "tags": tags}


def _announce(act: events.Act, changed: dict[str, Any]) -> None:
    for key in Module.objects.filter(public_id__in=changed).values_list("pk", flat=True):
        events.announce(events.ModuleProcessed(key), act)


def _of_entry(entry: Entry) -> Any:
    return Module.objects.select_related("binder").filter(public_id__in=entry.data["was"]).order_by("title")


def _against(entry: Entry) -> list[str]:
    became = entry.data["became"]
    return [f"“{m.title}” was changed since." for m in _of_entry(entry) if _kept(m) != became[m.public_id]]


def _undo(entry: Entry, act: events.Act) -> None:
    binders = {binder.public_id: binder for binder in Binder.objects.all()}
    for module in _of_entry(entry):
        was = entry.data["was"][module.public_id]
        touch(module, revision=None, by_name=act.by.name)
        module.binder, module.state = binders[was["binder"]], was["state"]
        module.save(update_fields=[*TOUCHED, "binder", "state"])
        module.tags.set([Tag.objects.get_or_create(name=name)[0] for name in was["tags"]])
    _announce(act, entry.data["was"])


def _describe(entry: Entry) -> tuple[list[str], list[str]]:
    return [], [f"“{module.title}” {entry.data['words']}" for module in _of_entry(entry)[: undoing.SHOWN]]


def register() -> None:
    """Hand in the way back."""
    undoing.add_inverse(
        "change modules", "sort_modules", whose=_of_entry, depends=_against, undo=_undo, describe=_describe
    )
