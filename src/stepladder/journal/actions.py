"""Writing to the journal."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping
from contextvars import ContextVar
from dataclasses import dataclass
from datetime import UTC
from typing import Any, Protocol

from django.db import connection, models, transaction

from stepladder import clock
from stepladder.events import Act
from stepladder.facts import row_digest
from stepladder.journal import verbs
from stepladder.journal.models import Entry, EntryRow

__all__ = ["Actor", "Machine", "Named", "entry_digest", "record", "rows_digest"]

FIRST = "0" * 64
# Where somebody watches an act (undoing.watched), what it records is gathered here.
watching: ContextVar[list[Entry] | None] = ContextVar("watching", default=None)


class Actor(Protocol):
    """Who acts: an account, or a named machine."""

    @property
    def public_id(self) -> str: ...
    @property
    def name(self) -> str: ...


@dataclass(frozen=True)
class Machine:
    """An actor without an account: the importer, the daily run, the demo loader."""

    name: str

    @property
    def public_id(self) -> str:
        return ""


@dataclass(frozen=True)
class Named:
    """What an entry is about: kind, public id and the name as then known."""

    kind: str
    public_id: str
    name: str


def record(
    verb: str,
    *,
    by: Actor,
    about: Named,
    data: Mapping[str, Any] | None = None,
    rows: Iterable[models.Model] = (),
    written: Iterable[tuple[str, int, str]] = (),
    takes_back: int | None = None,
) -> Entry:
    """Append an entry to the chain, within the transaction of the act itself.

    *rows* are the fact rows it wrote; *written* are further ones, as facts.insert_facts gives them.
    """
    verbs.sentence(verb)
    if not transaction.get_connection().in_atomic_block:
        raise RuntimeError("A journal entry belongs into the transaction of its act.")
    digests = [*((row._meta.db_table, row.pk, row_digest(row)) for row in rows), *written]
    last = Entry.objects.order_by("-number").values_list("digest", flat=True).first()
    entry = Entry(
        at=clock.wall(),
        actor_id=by.public_id,
        actor_name=by.name,
        verb=verb,
        object_kind=about.kind,
        object_id=about.public_id,
        object_name=about.name[:300],
        data=json.loads(json.dumps(dict(data or {}), default=str)),
        takes_back=takes_back,
        rows_digest=rows_digest(digests) if digests else "",
        previous=last or FIRST,
    )
    entry.digest = entry_digest(entry)
    entry.save()
    _write_rows(entry, digests)
    entry.act = Act(clock.today(), by, entry.number)
    gathered = watching.get()
    if gathered is not None:
        gathered.append(entry)
    return entry


def _write_rows(entry: Entry, digests: list[tuple[str, int, str]]) -> None:
    """The rows of an entry, past the ORM's objects: an import has a hundred thousand of them."""
    quote = connection.ops.quote_name
    columns = ", ".join(quote(column) for column in ("entry_id", "table", "row", "digest"))
    with connection.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO {quote(EntryRow._meta.db_table)} ({columns}) VALUES (%s, %s, %s, %s)",  # noqa: S608 - our own names
            [(entry.number, *digest) for digest in digests],
        )


def rows_digest(digests: Iterable[tuple[str, int, str]]) -> str:
    """One digest for all rows of an entry."""
    lines = "\n".join(f"{table} {pk} {digest}" for table, pk, digest in digests)
    return hashlib.sha256(lines.encode()).hexdigest()


def entry_digest(entry: Entry) -> str:
    """The digest that chains an entry to the one before it."""
    parts = [
        entry.at.astimezone(UTC).isoformat(),
        entry.actor_id,
        entry.actor_name,
        entry.verb,
        entry.object_kind,
        entry.object_id,
        entry.object_name,
        json.dumps(entry.data, sort_keys=True, ensure_ascii=False),
        entry.rows_digest,
        entry.previous,
        *([entry.takes_back] if entry.takes_back is not None else []),
    ]
    return hashlib.sha256(json.dumps(parts, ensure_ascii=False).encode()).hexdigest()
