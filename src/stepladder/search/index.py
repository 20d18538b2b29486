"""One full-text index that the apps feed. The only module that knows of FTS5."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Any
from zlib import crc32

from django.db import connection, models, transaction

from stepladder.accounts import policy

__all__ = ["Document", "Found", "add_source", "find", "rebuild", "refresh", "rowid"]


@dataclass(frozen=True)
class Document:
    """What the index keeps of a row: its kind and key, title and further text, address, and a short note."""

    kind: str
    key: int
    title: str
    body: str
    url: str
    note: str = ""


@dataclass(frozen=True)
class Found:
    """A result."""

    kind: str
    title: str
    url: str
    note: str


Load = Callable[[tuple[int, ...] | None], list[Document]]
# The rows of a kind that an account may see.
Visible = Callable[[Any], models.QuerySet[Any]]


@dataclass(frozen=True)
class _Source:
    load: Load
    verb: str
    visible: Visible


# So many different words of so long a text are looked for; each costs, and nobody means more.
MOST_WORDS, LONGEST = 8, 400
_sources: dict[str, _Source] = {}
_WORD = re.compile(r"\w+")
# Letters that are no letter with a mark, so that folding marks does not reach them.
_PLAIN = str.maketrans(
    {"ł": "l", "Ł": "l", "ø": "o", "Ø": "o", "đ": "d", "Đ": "d", "ß": "ss", "æ": "ae", "Æ": "ae", "œ": "oe"}
)


def add_source(kind: str, load: Load, *, verb: str, visible: Visible) -> None:
    """Hand in a kind: how its documents are made, the verb that may see it, and which of its rows an account sees."""
    _sources[kind] = _Source(load, verb, visible)


def rowid(kind: str, key: int) -> int:
    """Where a document stands in the index: a full-text table finds nothing else without reading all of itself."""
    return (crc32(kind.encode()) & 0x7FFFFF) << 40 | key


@transaction.atomic
def refresh(kind: str, keys: Sequence[int]) -> None:
    """Write the documents of these keys anew; those that are gone drop out."""
    wanted = tuple(keys)
    with connection.cursor() as cursor:
        cursor.executemany("DELETE FROM search_entry WHERE rowid = %s", [(rowid(kind, key),) for key in wanted])
        _insert(cursor, _sources[kind].load(wanted))


@transaction.atomic
def rebuild() -> int:
    """Write the whole index anew; how many documents it has."""
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM search_entry")
        count = 0
        for source in _sources.values():
            documents = source.load(None)
            _insert(cursor, documents)
            count += len(documents)
    return count


def _insert(cursor: Any, documents: list[Document]) -> None:
    cursor.executemany(
        "INSERT INTO search_entry (rowid, kind, key, title, body, url, note) VALUES (%s, %s, %s, %s, %s, %s, %s)",
        [
            (rowid(d.kind, d.key), d.kind, str(d.key), d.title, f"{d.body} {_folded(d.title)}", d.url, d.note)
            for d in documents
        ],
    )


def _folded(text: str) -> str:
    return text.translate(_PLAIN)


def find(account: Any, text: str, *, limit: int = 40) -> list[Found]:
    """What the account may see that has every word (or its beginning), titles first."""
    words = list(dict.fromkeys(word.casefold() for word in _WORD.findall(_folded(text[:LONGEST]))))[:MOST_WORDS]
    conditions, values = [], list[Any]()
    for kind, source in _sources.items():
        if policy.sees_every(account, source.verb):
            conditions.append("kind = %s")
            values.append(kind)
        elif policy.may(account, source.verb):
            # What one may see is asked within the search itself: however many rank higher, they take nobody's place.
            visible, more = source.visible(account).order_by().values("pk").query.sql_with_params()
            conditions.append(f"(kind = %s AND CAST(key AS INTEGER) IN ({visible}))")
            values += [kind, *more]
    if not words or not conditions:
        return []
    query = " ".join(f'"{word}"*' for word in words)
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT kind, title, url, note FROM search_entry WHERE search_entry MATCH %s "  # noqa: S608 - marks only
            f"AND ({' OR '.join(conditions)}) ORDER BY bm25(search_entry, 0, 0, 10, 1) LIMIT %s",
            [query, *values, limit],
        )
        return [Found(*row) for row in cursor.fetchall()]
