"""Editing the details of modules: of one on its sheet, of many in a table. An act on many is taken back whole."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from pathlib import PurePath
from typing import Any

from django.db import transaction

from stepladder import events
from stepladder.accounts import policy
from stepladder.journal import undoing
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.models import Entry
from stepladder.library.actions import about
from stepladder.library.details import DETAILS, PICTURE, DetailUnread, details_of
from stepladder.library.errors import NothingChosen
from stepladder.library.models import Module, ModuleVersion, Tag
from stepladder.library.sorting import Sorted
from stepladder.library.titles import check_titles
from stepladder.topics.models import Topic
from stepladder.topics.naming import topic_names
from stepladder.web.sheets import TOUCHED, touch

__all__ = ["edit_module", "edit_modules", "give_back", "heading_of", "register", "set_detail", "set_details"]

PLAIN = ("title", "description", "minutes", "language", "rights", PICTURE)


@transaction.atomic
def edit_module(*, module: Module, revision: int | None, by: Actor, **details: Any) -> Module:
    """Details of a module, by their names (library.details.DETAILS). Raises NewerChange, TitleTaken."""
    policy.require(by, "change modules", module)
    touch(module, revision=revision, by_name=by.name)
    if "title" in details:
        check_titles([(module, str(details["title"]))])
    set_details(module, details, by_hand=True)
    module.save(update_fields=TOUCHED)
    entry = record("edit_module", by=by, about=about(module))
    events.announce(events.ModuleProcessed(module.pk), entry.act)
    return module


@transaction.atomic
def set_detail(*, modules: Sequence[Module], name: str, text: str, by: Actor) -> Sorted:
    """One detail of many modules, as a text says it; of titles the text is a pattern. Raises DetailUnread, TitleTaken, NothingChosen."""
    detail, names = DETAILS[name], topic_names()
    if name == "title":
        values = _titled(modules, text)
    else:
        value = detail.read(text, names)
        values = dict.fromkeys((module.pk for module in modules), value)
    count = edit_modules(changes=[(module, {name: values[module.pk]}) for module in modules], by=by)
    said = detail.said(detail.read(text, names), names) if name != "title" else text
    return Sorted(count, f"given other {detail.heading.lower()}: {said or 'nothing'}"[:200], [])


# What stands for something in a pattern of titles.
PATTERN = ("{title}", "{n}", "{file}")


def _titled(modules: Sequence[Module], pattern: str) -> dict[int, str]:
    """Titles by a pattern: "{n} {title}" is "1 Lines", "2 Knots" …"""
    if not any(word in pattern for word in PATTERN):
        raise DetailUnread(
            "Titles in a binder are unlike, so the new ones need a {title}, a {n} (1, 2, 3 …) or a {file} in them: “Bridge {n}: {title}”."
        )
    files = dict(ModuleVersion.objects.filter(module__in=modules).order_by("number").values_list("module", "file_name"))
    found, wide, names = {}, len(str(len(modules))), topic_names()
    for number, module in enumerate(modules, 1):
        stem = PurePath(files.get(module.pk) or module.title).stem
        # One after the other, so that a title with such a word in it stays as it is.
        parts = re.split(r"(\{title\}|\{n\}|\{file\})", pattern)
        words = {"{title}": module.title, "{n}": str(number).zfill(wide), "{file}": stem}
        found[module.pk] = str(DETAILS["title"].read("".join(words.get(part, part) for part in parts), names))
    return found


@transaction.atomic
def edit_modules(*, changes: Sequence[tuple[Module, Mapping[str, Any]]], by: Actor) -> int:
    """Details of many modules in one act, which can be taken back; how many are others now. Raises NothingChosen, TitleTaken."""
    if not changes:
        raise NothingChosen("There was nothing to change.")
    check_titles([(module, values["title"]) for module, values in changes if "title" in values])
    was, became, changed = {}, {}, []
    for module, values in changes:
        policy.require(by, "change modules", module)
        before = details_of(module)
        others = {name: value for name, value in values.items() if before[name] != value}
        if not others:
            continue
        was[module.public_id] = {name: before[name] for name in others} | {"edited": list(module.edited)}
        became[module.public_id] = others
        touch(module, revision=None, by_name=by.name)
        set_details(module, others, by_hand=True)
        module.save(update_fields=TOUCHED)
        changed.append(module)
    if changed:
        first = changed[0].binder
        count = f"{len(changed)} module{'s' if len(changed) != 1 else ''}"
        what = ", ".join(heading_of(n).lower() for n in (*DETAILS, PICTURE) if any(n in one for one in became.values()))
        data = {"count": count, "what": what, "was": was, "became": became}
        entry = record("edit_modules", by=by, about=Named("binder", first.public_id, first.name), data=data)
        for module in changed:
            events.announce(events.ModuleProcessed(module.pk), entry.act)
    return len(changed)


def set_details(module: Module, details: Mapping[str, Any], *, by_hand: bool) -> None:
    """Write details of a module; *by_hand* it is kept that they were edited here, and a source leaves them alone. Rule: 18.

    Within a transaction, by an act that records it.
    """
    before = details_of(module)
    others = [name for name, value in details.items() if before[name] != value]
    for name in others:
        if name == "tags":
            module.tags.set([Tag.objects.get_or_create(name=tag)[0] for tag in details["tags"]])
        elif name == "topics":
            module.topics.set(Topic.objects.filter(public_id__in=details["topics"]))
        else:
            setattr(module, name, details[name])
    if by_hand:
        module.edited = sorted({*module.edited, *others})
    module.save(update_fields=[*(name for name in others if name in PLAIN), "edited"])
    # What was prefetched is as it was before.
    module._prefetched_objects_cache = {}  # type: ignore[attr-defined]  # of Django's models


def heading_of(name: str) -> str:
    """What a detail is called; the picture, which is edited here as well, with them. Raises KeyError."""
    return "Picture" if name == PICTURE else DETAILS[name].heading


@transaction.atomic
def give_back(*, module: Module, name: str, by: Actor) -> Module:
    """A detail is no longer taken as edited here: it is the source's again."""
    policy.require(by, "change modules", module)
    module.edited = [one for one in module.edited if one != name]
    touch(module, revision=None, by_name=by.name)
    module.save(update_fields=[*TOUCHED, "edited"])
    record("give_back", by=by, about=about(module), data={"detail": heading_of(name).lower()})
    return module


def _of_entry(entry: Entry) -> Any:
    modules = Module.objects.select_related("binder").filter(public_id__in=entry.data["was"]).order_by("title")
    return modules.prefetch_related("tags", "topics")


def _against(entry: Entry) -> list[str]:
    found = []
    for module in _of_entry(entry):
        now, became = details_of(module), entry.data["became"][module.public_id]
        if any(now[name] != value for name, value in became.items()):
            found.append(f"“{module.title}” was changed since.")
    return found


def _undo(entry: Entry, act: events.Act) -> None:
    for module in _of_entry(entry):
        was = dict(entry.data["was"][module.public_id])
        edited = was.pop("edited")
        touch(module, revision=None, by_name=act.by.name)
        set_details(module, was, by_hand=False)
        module.edited = edited
        module.save(update_fields=[*TOUCHED, "edited"])
        events.announce(events.ModuleProcessed(module.pk), act)


def _describe(entry: Entry) -> tuple[list[str], list[str]]:
    return [], [f"“{module.title}”: {entry.data['what']}" for module in _of_entry(entry)[: undoing.SHOWN]]


def register() -> None:
    """Hand in the way back."""
    undoing.add_inverse(
        "change modules", "edit_modules", whose=_of_entry, depends=_against, undo=_undo, describe=_describe
    )
