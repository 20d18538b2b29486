"""Writing to the journal."""

from __future__ import annotations

import json
from collections.abc import Iterable, Mapping
from contextvars import ContextVar
from dataclasses import dataclass
from typing import Any, Protocol

from django.db import connection, models, transaction

from stepladder import clock
from stepladder.events import Act
from stepladder.facts import row_digest
from stepladder.journal import sealing, verbs
from stepladder.journal.chain import entry_digest, head, rows_digest
from stepladder.journal.models import Entry, EntryRow, Seal

__all__ = ["Actor", "Machine", "Named", "forget_recorded", "record", "reseal", "seal_rest"]

# The number of the entry that was recorded last in the transaction of this thread; 0 where none was.
_recorded: ContextVar[int] = ContextVar("recorded", default=0)
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


# Who wrote what no act was recorded for: a message that is on its way, a place that is opened by the queue.
APPLICATION = Machine("Stepladder")


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
    last = head()
    entry = Entry(
        number=last.number + 1,
        at=clock.wall(),
        actor_id=by.public_id,
        actor_name=by.name,
        verb=verb,
        object_kind=about.kind,
        object_id=about.public_id,
        object_name=about.name[:300],
        # As it will be read back: the digest is of what is stored.
        data=json.loads(json.dumps(dict(data or {}), default=str)),
        takes_back=takes_back,
        rows_digest=rows_digest(digests),
        previous=last.digest,
    )
    entry.digest = entry_digest(entry)
    entry.save(force_insert=True)
    _write_rows(entry, digests)
    if sealing.is_pending(connection):
        _seal(entry)
    # Where the commit finds more to seal (seal_rest).
    _recorded.set(entry.number)
    entry.act = Act(clock.today(), by, entry.number)
    gathered = watching.get()
    if gathered is not None:
        gathered.append(entry)
    return entry


def forget_recorded() -> None:
    """A transaction begins: what was recorded in the one before, which may have been rolled back, is not its own."""
    _recorded.set(0)


def seal_rest(connection: Any) -> None:
    """Before a commit: what was written since the last entry goes under it, or under one of its own where no act was recorded."""
    number = _recorded.get()
    _recorded.set(0)
    if not sealing.is_pending(connection):
        return
    # Whoever commits has said already that the block is left.
    within, connection.in_atomic_block = connection.in_atomic_block, True
    try:
        newest = Entry.objects.order_by("-number").first()
        if newest is not None and newest.number == number:
            _seal(newest)
        else:
            record(
                "write", by=APPLICATION, about=Named("", "", ""), data={"what": sealing.pending_in_words(connection)}
            )
            _recorded.set(0)
    finally:
        connection.in_atomic_block = within


def _seal(entry: Entry) -> None:
    sealing.seal_pending(connection, entry.number)
    reseal(entry)


def reseal(entry: Entry) -> None:
    """Take an entry's seals into its digest. Only for the newest one, in the transaction that wrote it."""
    seals = Seal.objects.filter(entry=entry).order_by("pk").values_list("table", "row", "digest")
    entry.seals_digest = rows_digest(seals)
    entry.digest = entry_digest(entry)
    entry.save(update_fields=["seals_digest", "digest"])


def _write_rows(entry: Entry, digests: list[tuple[str, int, str]]) -> None:
    """The rows of an entry, past the ORM's objects: an import has a hundred thousand of them."""
    quote = connection.ops.quote_name
    columns = ", ".join(quote(column) for column in ("entry_id", "table", "row", "digest"))
    with connection.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO {quote(EntryRow._meta.db_table)} ({columns}) VALUES (%s, %s, %s, %s)",  # noqa: S608 - our own names
            [(entry.number, *digest) for digest in digests],
        )
