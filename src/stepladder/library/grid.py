"""The grid: cells of many modules saved at once. What cannot be read stays in its cell; everything else is one act."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.library import columns, own_pictures
from stepladder.library.details import DETAILS, PICTURE, DetailUnread, details_of
from stepladder.library.editing import edit_modules
from stepladder.library.models import Module
from stepladder.library.titles import clashing
from stepladder.topics.naming import TopicNames, topic_names

__all__ = ["Cell", "GridRow", "Saved", "WrongCell", "grid_rows", "save_cells"]


@dataclass(frozen=True)
class Cell:
    """A cell as it was edited: of which module and detail, the text now, and the text that the page had been given."""

    module: str
    detail: str
    text: str
    was: str


@dataclass(frozen=True)
class WrongCell:
    """A cell that was not saved, why, and what is kept there."""

    module: str
    detail: str
    message: str
    kept: str


@dataclass
class Saved:
    """What became of cells: those that are kept, with their text as it is written now, and those that are not."""

    kept: list[Cell] = field(default_factory=list)
    wrong: list[WrongCell] = field(default_factory=list)


@dataclass(frozen=True)
class GridRow:
    """A module in the grid: its details as texts, in the order of DETAILS; *told*, what the columns say that are not edited."""

    module: Module
    cells: list[tuple[str, str]]
    told: list[str]
    may_change: bool


def grid_rows(modules: Sequence[Module], editable: frozenset[int]) -> list[GridRow]:
    """Rows of modules that were read with their tags and topics; *editable* are the keys of binders."""
    names = topic_names()
    told = columns.told_of([module.pk for module in modules])
    return [
        GridRow(
            module,
            [(n, DETAILS[n].said(value, names)) for n, value in details_of(module).items() if n in DETAILS],
            told[module.pk],
            module.binder_id in editable,
        )
        for module in modules
    ]


def save_cells(cells: Sequence[Cell], *, by: Account) -> Saved:
    """Save what can be: each cell is read, held against what is there by now, and titles against each other."""
    wanted = {cell.module for cell in cells}
    shown = Module.objects.select_related("binder").prefetch_related("tags", "topics").filter(public_id__in=wanted)
    modules = {module.public_id: module for module in policy.visible(by, "change modules", shown)}
    names, saved = topic_names(), Saved()
    changes: dict[str, dict[str, Any]] = {}
    for cell in cells:
        found = modules.get(cell.module)
        if found is None:
            saved.wrong.append(
                WrongCell(cell.module, cell.detail, "This module is gone, or not yours to change.", cell.was)
            )
            continue
        try:
            changes.setdefault(cell.module, {})[cell.detail] = _value(found, cell, names)
        except DetailUnread as refusal:
            now = _said(cell.detail, details_of(found)[cell.detail], names)
            saved.wrong.append(WrongCell(cell.module, cell.detail, str(refusal), now))
    _drop_clashing(changes, modules, saved)
    pairs = [(modules[key], values) for key, values in changes.items() if values]
    if pairs:
        edit_modules(changes=pairs, by=by)
    for cell in cells:
        if cell.detail in changes.get(cell.module, {}):
            text = _said(cell.detail, changes[cell.module][cell.detail], names)
            saved.kept.append(Cell(cell.module, cell.detail, text, cell.was))
    return saved


def _value(module: Module, cell: Cell, names: TopicNames) -> Any:
    now = details_of(module)[cell.detail]
    value = _read(cell.detail, cell.text, names)
    if _said(cell.detail, now, names) != cell.was and now != value:
        words = "another picture" if cell.detail == PICTURE else f"“{_said(cell.detail, now, names)[:120]}”"
        raise DetailUnread(
            f"{module.changed_by} changed it meanwhile, to {words}. Leave the cell once more to write over it."
        )
    return value


def _read(name: str, text: str, names: TopicNames) -> Any:
    if name != PICTURE:
        return DETAILS[name].read(text, names)
    if text and not own_pictures.is_kept(text):
        raise DetailUnread("This is no picture. Press the cell to choose one, or paste one that was copied.")
    return text


def _said(name: str, value: Any, names: TopicNames) -> str:
    return str(value) if name == PICTURE else DETAILS[name].said(value, names)


def _drop_clashing(changes: dict[str, dict[str, Any]], modules: dict[str, Module], saved: Saved) -> None:
    titles = [(modules[key], values["title"]) for key, values in changes.items() if "title" in values]
    for module, title in clashing(titles):
        changes[module.public_id].pop("title")
        message = f"There is a module “{title}” in “{module.binder.name}” already."
        saved.wrong.append(WrongCell(module.public_id, "title", message, module.title))
