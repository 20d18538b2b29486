"""Digests of rows that change: persons, roles, enrolments, steps done, minutes, notices and what else proof rests on.

Facts never change, and acts name the facts that they write. Other rows are written in many places, so the database itself says
which: each of the application's connections has triggers of its own on the watched tables, that note the key of every row that
is written. What was noted is digested into the next entry, or at the commit into the last one. Whoever writes past the application
has no such triggers, so what they write differs from its digest.
"""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator
from typing import Any

from django.db import models

from stepladder.journal.models import Seal

__all__ = [
    "GONE",
    "OF_SHEETS",
    "digests_of",
    "install",
    "is_pending",
    "named",
    "pending_in_words",
    "seal_pending",
    "seal_table",
    "suspend",
    "texts_of",
    "watch",
    "watched_models",
]

# The digest of a row that was deleted.
GONE = ""
PIECE = 500
# Of columns in their order. One encoder for all rows: an import has fifty thousand.
_as_json = json.JSONEncoder(default=str).encode
# What belongs to a sheet and not to what it says.
OF_SHEETS = ("revision", "changed_by", "changed_at")
_watched: dict[type[models.Model], list[str]] = {}


def watch(*watched: type[models.Model], leaving_out: Iterable[str] = ()) -> None:
    """Have every row of these tables digested as it is written; columns that prove nothing can be left out."""
    left_out = set(leaving_out)
    for model in watched:
        columns = [str(c.column) for c in model._meta.concrete_fields]
        _watched[model] = sorted(c for c in columns if c not in left_out and c != "id")


def watched_models() -> list[type[models.Model]]:
    """Every table whose rows are digested."""
    return list(_watched)


def install(connection: Any) -> None:
    """Give a connection its triggers, for those tables that are there."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT name FROM sqlite_master WHERE type = 'table'")
        tables = {row[0] for row in cursor.fetchall()}
        cursor.execute(
            "CREATE TEMP TABLE IF NOT EXISTS touched (name TEXT, key INTEGER, PRIMARY KEY (name, key)) WITHOUT ROWID"
        )
        for model in _watched:
            if model._meta.db_table in tables:
                for trigger in _triggers(model):
                    cursor.execute(trigger)


def _triggers(model: type[models.Model]) -> list[str]:
    """What notes the key of each row of a table that is inserted, updated in a digested column, or deleted."""
    table = model._meta.db_table
    columns = ", ".join(f'"{column}"' for column in _watched[model])
    acts = [("INSERT", "NEW", "INSERT"), ("UPDATE", "NEW", f"UPDATE OF {columns}"), ("DELETE", "OLD", "DELETE")]
    return [
        f'CREATE TEMP TRIGGER IF NOT EXISTS "touched_{table}_{name}" AFTER {act} ON main."{table}" '  # noqa: S608 - our own names
        f"BEGIN INSERT OR IGNORE INTO touched VALUES ('{table}', {row}.id); END"
        for name, row, act in acts
    ]


def suspend(connection: Any) -> None:
    """Take a connection's triggers away, while tables are being changed."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT name FROM sqlite_temp_master WHERE type = 'trigger' AND name LIKE 'touched_%'")
        for (name,) in cursor.fetchall():
            cursor.execute(f'DROP TRIGGER "{name}"')
        cursor.execute("DROP TABLE IF EXISTS touched")


def is_pending(connection: Any) -> bool:
    """Whether rows were written that no entry has the digest of. Asked before every commit, so past all wrappers."""
    raw = connection.connection
    if raw is None or not raw.execute("SELECT 1 FROM sqlite_temp_master WHERE name = 'touched'").fetchone():
        return False
    return raw.execute("SELECT 1 FROM touched LIMIT 1").fetchone() is not None


def pending_in_words(connection: Any) -> str:
    """How many rows of which tables wait: "2 notices, 1 enrolment"."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT name, count(*) FROM touched GROUP BY name ORDER BY name")
        counts = dict(cursor.fetchall())
    models_by_table = {model._meta.db_table: model for model in _watched}
    return ", ".join(f"{count} {named(models_by_table[table], count)}" for table, count in counts.items())


def named(model: type[models.Model], count: int) -> str:
    """What so many rows of a table are called."""
    made_by: Any = model._meta.auto_created
    if made_by:
        return f"{'relation' if count == 1 else 'relations'} of {made_by._meta.verbose_name_plural}"
    return str(model._meta.verbose_name if count == 1 else model._meta.verbose_name_plural)


def seal_pending(connection: Any, entry: int) -> None:
    """Digest what was written since the last time, as rows of an entry."""
    with connection.cursor() as cursor:
        cursor.execute("SELECT name, key FROM touched ORDER BY name, key")
        touched: dict[str, list[int]] = {}
        for table, key in cursor.fetchall():
            touched.setdefault(table, []).append(key)
        cursor.execute("DELETE FROM touched")
        for model in _watched:
            keys = touched.get(model._meta.db_table, [])
            for at in range(0, len(keys), PIECE):
                piece = keys[at : at + PIECE]
                found = dict(digests_of(connection, model, piece))
                _write(cursor, entry, model, [(key, found.get(key, GONE)) for key in piece])


def seal_table(connection: Any, model: type[models.Model], entry: int) -> None:
    """Digest all rows of a table, as rows of an entry: for one that was not watched before, or whose rows a migration wrote."""
    with connection.cursor() as cursor:
        _write(cursor, entry, model, digests_of(connection, model))


def _write(cursor: Any, entry: int, model: type[models.Model], rows: Iterable[tuple[int, str]]) -> None:
    # Written again by the same act: what counts is how the act left it.
    cursor.executemany(
        f'INSERT OR REPLACE INTO "{Seal._meta.db_table}" (entry_id, "table", "row", digest) VALUES (%s, %s, %s, %s)',  # noqa: S608 - our own name
        [(entry, model._meta.db_table, key, digest) for key, digest in rows],
    )


def digests_of(connection: Any, model: type[models.Model], keys: list[int] | None = None) -> Iterator[tuple[int, str]]:
    """Key and digest of rows as they are stored; of all rows where no keys are given."""
    for key, text in texts_of(connection, model, keys):
        yield key, hashlib.sha256(text.encode()).hexdigest()


def texts_of(connection: Any, model: type[models.Model], keys: list[int] | None = None) -> Iterator[tuple[int, str]]:
    """Key and what is digested of rows, as JSON.

    Columns that hold nothing (NULL, an empty text, 0) are left out, so that a column can be added without a change of digests.
    """
    columns = _watched[model]
    names = ", ".join(f'"{column}"' for column in ["id", *columns])
    where = f" WHERE id IN ({', '.join(['%s'] * len(keys))})" if keys is not None else ""
    with connection.cursor() as cursor:
        cursor.execute(f'SELECT {names} FROM "{model._meta.db_table}"{where} ORDER BY id', keys or [])  # noqa: S608 - our own names
        while some := cursor.fetchmany(PIECE):
            for key, *values in some:
                said = {column: value for column, value in zip(columns, values, strict=True) if value}
                yield key, _as_json(said)
