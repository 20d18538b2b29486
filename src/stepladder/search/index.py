"""One full-text index that the apps feed. The only module that knows of FTS5; what ranks how is the core's (core.finding)."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from itertools import islice
from typing import Any
from zlib import crc32

from django.core.exceptions import EmptyResultSet
from django.db import connection, models, transaction

from stepladder.accounts import policy
from stepladder.core.finding import HALF, WEIGHTS, edits_allowed, fold, near_words, words_of

__all__ = ["Document", "Found", "Ranked", "Ranking", "add_source", "find", "rank", "rebuild", "refresh", "rowid"]


@dataclass(frozen=True)
class Document:
    """What the index keeps of a row: its kind and key, its fields (core.finding.WEIGHTS), address, and a short note."""

    kind: str
    key: int
    title: str
    description: str
    url: str
    note: str = ""
    tags: str = ""
    text: str = ""


@dataclass(frozen=True)
class Found:
    """A result."""

    kind: str
    title: str
    url: str
    note: str


# Made as they are read, so that a whole index is never in memory.
Load = Callable[[tuple[int, ...] | None], Iterable[Document]]
# The rows of a kind that an account may see.
Visible = Callable[[Any], models.QuerySet[Any]]


@dataclass(frozen=True)
class _Source:
    load: Load
    verb: str
    visible: Visible


# So many different words of so long a text are looked for; each costs, and nobody means more.
MOST_WORDS, LONGEST = 8, 400
# Of the words that are near to one that finds nothing, so many.
MOST_NEAR = 60
# From so many letters on, a word that finds nothing as it is stands for those that begin with it.
LEAST_BEGINNING = 2
WEAKEST = min(WEIGHTS.values())
# A term that the index cannot have.
NOWHERE = "nowhere\u200b"
_sources: dict[str, _Source] = {}


def add_source(kind: str, load: Load, *, verb: str, visible: Visible) -> None:
    """Hand in a kind: how its documents are made, the verb that may see it, and which of its rows an account sees."""
    _sources[kind] = _Source(load, verb, visible)


def _base(kind: str) -> int:
    return (crc32(kind.encode()) & 0x7FFFFF) << 40


def _bounds(kind: str) -> tuple[int, int]:
    """Between which rows a kind's documents stand."""
    return _base(kind), _base(kind) | (1 << 40) - 1


def rowid(kind: str, key: int) -> int:
    """Where a document stands in the index: a full-text table finds nothing else without reading all of itself."""
    return _base(kind) | key


@transaction.atomic
def refresh(kind: str, keys: Sequence[int]) -> None:
    """Write the documents of these keys anew; those that are gone drop out."""
    wanted = tuple(keys)
    with connection.cursor() as cursor:
        cursor.executemany("DELETE FROM search_document WHERE rowid = %s", [(rowid(kind, key),) for key in wanted])
        _insert(cursor, _sources[kind].load(wanted))


@transaction.atomic
def rebuild() -> int:
    """Write the whole index anew; how many documents it has."""
    with connection.cursor() as cursor:
        cursor.execute("DELETE FROM search_document")
        return sum(_insert(cursor, source.load(None)) for source in _sources.values())


# So many documents are written at a time.
PIECE = 200


def _insert(cursor: Any, documents: Iterable[Document]) -> int:
    """How many there were."""
    left, count = iter(documents), 0
    while piece := list(islice(left, PIECE)):
        _insert_piece(cursor, piece)
        count += len(piece)
    return count


def _insert_piece(cursor: Any, documents: Sequence[Document]) -> None:
    cursor.executemany(
        "INSERT INTO search_document (rowid, kind, key, shown, title, tags, description, text, url, note) "
        "VALUES (%s, %s, %s, %s, %s, %s, %s, %s, %s, %s)",
        [
            (
                *(rowid(d.kind, d.key), d.kind, str(d.key), d.title),
                *(fold(d.title), fold(d.tags), fold(d.description), fold(d.text)),
                *(d.url, d.note),
            )
            for d in documents
        ],
    )


def _statement(rows: models.QuerySet[Any], columns: int = 1) -> tuple[str, tuple[Any, ...]]:
    """The statement that reads rows, and its values; of rows that nobody need ask for, one that reads none."""
    try:
        sql, values = rows.query.sql_with_params()
    except EmptyResultSet:
        return f"SELECT {', '.join(['NULL'] * columns)} WHERE 0", ()
    return sql, tuple(values)


def _asked(text: str) -> list[str]:
    return words_of(text[:LONGEST])[:MOST_WORDS]


def find(account: Any, text: str, *, limit: int = 40) -> list[Found]:
    """What the account may see that has every word (or its beginning), titles first."""
    words = _asked(text)
    conditions, values = [], list[Any]()
    for kind, source in _sources.items():
        if policy.sees_every(account, source.verb):
            conditions.append("kind = %s")
            values.append(kind)
        elif policy.may(account, source.verb):
            # What one may see is asked within the search itself: however many rank higher, they take nobody's place.
            visible, more = _statement(source.visible(account).order_by().values("pk"))
            conditions.append(f"(kind = %s AND CAST(key AS INTEGER) IN ({visible}))")
            values += [kind, *more]
    if not words or not conditions:
        return []
    query = " ".join(f'"{word}"*' for word in words)
    with connection.cursor() as cursor:
        cursor.execute(
            "SELECT kind, shown, url, note FROM search_document WHERE search_document MATCH %s "  # noqa: S608 - marks only
            f"AND ({' OR '.join(conditions)}) ORDER BY bm25(search_document, 0, 0, 0, 10, 4, 2, 1) LIMIT %s",
            [query, *values, limit],
        )
        return [Found(*row) for row in cursor.fetchall()]


@dataclass(frozen=True)
class Ranked:
    """A row that was found, by its key, and twice its score (rule 14)."""

    key: int
    score: int


@dataclass(frozen=True)
class Ranking:
    """What was found, in order, of so many in all; *instead*: for each word that found nothing, the words that were taken."""

    rows: list[Ranked]
    total: int
    words: list[str]
    instead: dict[str, list[str]]

    @property
    def looked_for(self) -> list[str]:
        """The words by which rows were found."""
        return [found for word in self.words for found in self.instead.get(word, [word])]


def rank(
    kind: str, text: str, among: models.QuerySet[Any], *, order: Sequence[str], offset: int = 0, limit: int = 50
) -> Ranking:
    """The rows of *among* that have every word of a text, by their score and then by *order* (names of fields). Rule: 14.

    *among* is what the asker may find, and fits all filters: it is asked within the search, so that nobody's hits are crowded out.
    """
    words = _asked(text)
    if not words:
        return Ranking([], 0, [], {})
    # Put into words once: each of these asks by the same condition.
    keys = _statement(among.order_by().values_list("pk"))
    with connection.cursor() as cursor:
        instead = {word: near for word in words if (near := _instead(cursor, word, kind, keys)) is not None}
        asked = [
            _any_of(instead.get(word, [word]), word if word in instead and len(word) >= LEAST_BEGINNING else "")
            for word in words
        ]
        shares = [1 if word in instead else HALF for word in words]
        everywhere = " AND ".join(asked)
        # Every word stands somewhere, so counts as in the weakest field; only what stronger ones add is looked for field by field.
        added, values = list[str](), list[Any]()
        for n, (one, share) in enumerate(zip(asked, shares, strict=True)):
            for field, weight in WEIGHTS.items():
                if weight > WEAKEST:
                    added.append(
                        f"SELECT rowid, {n}, {share * (weight - WEAKEST)} FROM search_document "  # noqa: S608 - numbers of the core, marks only
                        "WHERE search_document MATCH %s AND rowid BETWEEN %s AND %s"
                    )
                    # With the other words, so that a word of many titles is not read for things that lack those.
                    others = [other for m, other in enumerate(asked) if m != n]
                    values += [" AND ".join([f"{field} : {one}", *others]), *_bounds(kind)]
        names = ["pk", *(name.lstrip("-") for name in order)]
        seen, seen_values = _statement(among.order_by().values_list(*names), len(names))
        columns = ", ".join(f"c{n}" for n in range(len(names)))
        by = "".join(f", seen.c{n + 1}{' DESC' if name.startswith('-') else ''}" for n, name in enumerate(order))
        cursor.execute(
            f"WITH strong(r, w, s) AS ({' UNION ALL '.join(added)}), "  # noqa: S608 - as above
            "best(r, s) AS (SELECT r, MAX(s) FROM strong GROUP BY r, w), "
            f"hit(r, s) AS (SELECT rowid, {sum(shares) * WEAKEST} FROM search_document "
            "WHERE search_document MATCH %s AND rowid BETWEEN %s AND %s UNION ALL SELECT r, s FROM best), "
            "scored(r, score) AS (SELECT r, SUM(s) FROM hit GROUP BY r), "
            # Looked up for each hit: read whole, it would cost as much as there are rows, however few are found.
            f"seen({columns}) AS NOT MATERIALIZED ({seen}) "
            f"SELECT seen.c0, scored.score FROM scored JOIN seen ON seen.c0 = scored.r - {_base(kind)} "
            f"ORDER BY scored.score DESC{by}, seen.c0 LIMIT %s OFFSET %s",
            [*values, everywhere, *_bounds(kind), *seen_values, limit, offset],
        )
        rows = cursor.fetchall()
        total = offset + len(rows)
        if len(rows) == limit or (offset and not rows):
            # There are more, or none so far on: only then they are counted.
            total = _count(cursor, kind, everywhere, keys)
    return Ranking([Ranked(key, score) for key, score in rows], total, words, instead)


def _count(cursor: Any, kind: str, everywhere: str, among: tuple[str, Any]) -> int:
    keys, values = among
    cursor.execute(
        f"WITH seen(k) AS NOT MATERIALIZED ({keys}) "  # noqa: S608 - marks only
        f"SELECT COUNT(*) FROM search_document JOIN seen ON seen.k = search_document.rowid - {_base(kind)} "
        "WHERE search_document MATCH %s AND search_document.rowid BETWEEN %s AND %s",
        [*values, everywhere, *_bounds(kind)],
    )
    total: int = cursor.fetchone()[0]
    return total


def _any_of(terms: Sequence[str], beginning: str) -> str:
    """Any of the terms, or a word that begins so; where there is nothing at all, what no text has."""
    asked = [_term(term) for term in terms] + ([f"{_term(beginning)}*"] if beginning else [])
    return f"({' OR '.join(asked) or _term(NOWHERE)})"


def _term(term: str) -> str:
    return f'"{term}"'


def _instead(cursor: Any, word: str, kind: str, among: tuple[str, Any]) -> list[str] | None:
    """None for a word that finds something the asker may find; else the near words, and those that begin with it."""
    keys, values = among
    cursor.execute(
        # Looked up for each hit until one is there: read whole, it would cost as much as there are rows.
        f"WITH seen(k) AS NOT MATERIALIZED ({keys}) "  # noqa: S608 - marks only
        f"SELECT 1 FROM search_document JOIN seen ON seen.k = search_document.rowid - {_base(kind)} "
        "WHERE search_document MATCH %s AND search_document.rowid BETWEEN %s AND %s LIMIT 1",
        [*values, _term(word), *_bounds(kind)],
    )
    if cursor.fetchone():
        return None
    most = edits_allowed(word)
    cursor.execute(
        "SELECT term FROM search_word WHERE length(term) BETWEEN %s AND %s", [len(word) - most, len(word) + most]
    )
    near = near_words(word, (term for (term,) in cursor.fetchall())) if most else []
    if len(word) >= LEAST_BEGINNING:
        cursor.execute(
            "SELECT term FROM search_word WHERE term >= %s AND term < %s LIMIT %s", [word, f"{word}\uffff", MOST_NEAR]
        )
        near += [term for (term,) in cursor.fetchall() if term not in near]
    return near[:MOST_NEAR]
