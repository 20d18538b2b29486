"""Tables of details: rows of a file against modules. Nothing is written here."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from stepladder.library.details import DETAILS, DetailUnread, columns_of, details_of
from stepladder.library.models import Module
from stepladder.tabular.reading import Table
from stepladder.topics.naming import TopicNames

__all__ = ["KEYS", "Row", "Rows", "change_of", "names_of_columns", "read_rows"]

# What says which module a row is about, and what else such a column is called.
KEYS: dict[str, tuple[str, ...]] = {
    "id": ("identifier", "public id", "module id", "key"),
    "file": ("file name", "filename", "path", "document", "file path"),
    "picture": ("image", "thumbnail", "cover", "picture file"),
}
# What a spreadsheet would run as a formula was given a mark before it when it was written (tabular.writing).
MARKED = ("'=", "'+", "'-", "'@")


@dataclass(frozen=True)
class Row:
    """A row of a table: its number in the file, which module it names, and its details as values. *wrong* says what was not read."""

    number: int
    key: str
    values: Mapping[str, Any]
    picture: str = ""
    wrong: tuple[str, ...] = ()


@dataclass(frozen=True)
class Rows:
    """What stands in a table. *columns* are (head, its meaning or "")."""

    columns: list[tuple[str, str]]
    rows: list[Row] = field(default_factory=list)
    problems: list[tuple[int, str]] = field(default_factory=list)

    @property
    def unknown(self) -> list[str]:
        """The heads of columns that are nothing that is known."""
        return [head for head, meaning in self.columns if not meaning and head]


def names_of_columns(cells: Sequence[str]) -> int:
    """How many cells of a row name a column: of several first rows, the heads are where most are."""
    return sum(bool(meaning) for meaning in columns_of(cells, KEYS))


def read_rows(table: Table, names: TopicNames, *, keyed_by: Sequence[str], empty_says_nothing: bool) -> Rows:
    """The rows of a table, each for the module that the first of *keyed_by* with a cell in it names.

    A second row for the same one is a problem, as is a row that names none; *empty_says_nothing*: an empty cell changes nothing, else
    it empties.
    """
    meanings = columns_of(table.heads, KEYS)
    found = Rows(list(zip(table.heads, meanings, strict=True)))
    seen: dict[str, int] = {}
    for number, cells in zip(table.numbers, table.rows, strict=True):
        said = {meaning: _cell(cells, n) for n, meaning in enumerate(meanings) if meaning}
        key = next((said[name] for name in keyed_by if said.get(name)), "")
        if not key:
            found.problems.append((number, f"It names no module: it needs {' or '.join(f'“{k}”' for k in keyed_by)}."))
        elif key in seen:
            found.problems.append((number, f"It is for “{key}”, as row {seen[key]} is. Only that one counts."))
        else:
            seen[key] = number
            row = _row(number, key, said, names, empty_says_nothing)
            found.rows.append(row)
            found.problems.extend((number, wrong) for wrong in row.wrong)
    return found


def _cell(cells: Sequence[str], n: int) -> str:
    text = cells[n].strip() if n < len(cells) else ""
    return text[1:] if text.startswith(MARKED) else text


def _row(number: int, key: str, said: Mapping[str, str], names: TopicNames, empty_says_nothing: bool) -> Row:
    values, wrong = {}, []
    for name, text in said.items():
        if name not in DETAILS or (empty_says_nothing and not text):
            continue
        try:
            values[name] = DETAILS[name].read(text, names)
        except DetailUnread as refusal:
            wrong.append(f"{DETAILS[name].heading}: {refusal}")
    return Row(number, key, values, said.get("picture", ""), tuple(wrong))


def change_of(module: Module, values: Mapping[str, Any], names: TopicNames) -> tuple[dict[str, Any], list[list[str]]]:
    """Of the values those that are others than a module's, and each in words: [heading, before, after]."""
    now = details_of(module)
    others = {name: value for name, value in values.items() if now[name] != value}
    words = [
        [DETAILS[n].heading, DETAILS[n].said(now[n], names), DETAILS[n].said(value, names)]
        for n, value in others.items()
    ]
    return others, words
