"""Reading the journal, and checking it."""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from itertools import groupby
from operator import itemgetter

from django.apps import apps
from django.db import connection
from django.db.models import Model, Window
from django.db.models.functions import RowNumber

from stepladder.facts import Fact, row_digest
from stepladder.journal import sealing, verbs
from stepladder.journal.actions import seal_rest
from stepladder.journal.chain import FIRST, Head, chained, content_digest, entry_digest, older_digests, rows_digest
from stepladder.journal.models import Entry, EntryRow, Seal, Shortened

__all__ = ["Line", "changed_rows", "fact_models", "history", "problems"]


@dataclass(frozen=True)
class Line:
    """An entry as a sentence."""

    at: datetime
    actor: str
    text: str


def history(kind: str, public_id: str, *, limit: int = 8) -> list[Line]:
    """The latest entries about an object, newest first."""
    entries = Entry.objects.filter(object_kind=kind, object_id=public_id).order_by("-number")[:limit]
    return [Line(e.at, e.actor_name, as_sentence(e)) for e in entries]


_NONE = re.compile(r", [a-z ]+ –(?=,|$)")


def as_sentence(entry: Entry) -> str:
    """What an entry says, with the names known then."""

    class Known(dict[str, object]):
        def __missing__(self, key: str) -> str:
            return "–"

    said = verbs.sentence(entry.verb).format_map(Known(entry.data, object=entry.object_name))
    # "…, score –" says nothing: what there is none of is not named.
    return _NONE.sub("", said)


def fact_models() -> list[type[Fact]]:
    """Every table of facts whose rows the acts name; those that are digested as they are written are sealing's."""
    sealed = set(sealing.watched_models())
    return [model for model in apps.get_models() if issubclass(model, Fact) and model not in sealed]


def problems(expected: Head | None = None) -> Iterator[str]:
    """What is wrong: broken links of the chain, and rows that are not as their last entry left them.

    *expected* is a head that somebody has kept: its entry must be there as it was.
    """
    if connection.in_atomic_block:
        # As at the commit: what the transaction wrote so far has its digests only then.
        seal_rest(connection)
    yield from _broken_links()
    if expected is not None:
        digest = Entry.objects.filter(number=expected.number).values_list("digest", flat=True).first()
        if digest != expected.digest and expected != Head(0, FIRST) and not _was_head(expected):
            what = "is not the one that was kept" if digest else "is missing: the journal was cut off"
            # As entries were chained first, only their words told: of those that were shortened nobody knows any more.
            if digest and _was_shortened_before(expected.number):
                what += (
                    ", or that was kept in a form that cannot be compared any more: entries before it were shortened"
                )
            yield f"Journal entry {expected.number} {what}."
    for model in fact_models():
        yield from changed_rows(model)
    for watched in sealing.watched_models():
        yield from _changed_watched(watched)


def _was_shortened_before(number: int) -> bool:
    return Shortened.objects.filter(entry_id__lte=number).exists()


def _was_head(expected: Head) -> bool:
    """Whether a head was kept when entries were chained otherwise, and everything up to it is as it was."""
    entries = Entry.objects.filter(number__lte=expected.number).order_by("number")
    return any(number == expected.number and d == expected.digest for number, d in older_digests(entries.iterator()))


def _broken_links() -> Iterator[str]:
    rows, seals = _ByEntry(EntryRow), _ByEntry(Seal)
    shortened = {row.entry_id: row for row in Shortened.objects.all()}
    previous, number = FIRST, 0
    for entry in Entry.objects.order_by("number").iterator():
        if entry.number != number + 1:
            yield f"Before journal entry {entry.number} ({entry.verb}, {entry.object_name}) entries are missing."
        short = shortened.get(entry.number)
        if short and short.shown != content_digest(entry):
            yield f"Journal entry {entry.number} ({entry.verb}) was shortened, and changed since."
        digest = chained(entry.previous, short.content) if short else entry_digest(entry)
        if entry.previous != previous or entry.digest != digest:
            yield f"Journal entry {entry.number} ({entry.verb}, {entry.object_name}) does not match the chain."
        previous, number = entry.digest, entry.number
        if rows.digest(number) != entry.rows_digest or seals.digest(number) != entry.seals_digest:
            yield f"The row digests of journal entry {number} ({entry.verb}) were changed."


class _ByEntry:
    """The rows of entry after entry, read once from the first to the last."""

    def __init__(self, model: type[EntryRow | Seal]) -> None:
        rows = model._default_manager.order_by("entry_id", "pk").values_list("entry_id", "table", "row", "digest")
        self._groups = groupby(rows.iterator(chunk_size=10_000), key=itemgetter(0))
        self._next = next(self._groups, None)

    def digest(self, number: int) -> str:
        """Of all rows of an entry."""
        while self._next is not None and self._next[0] < number:
            self._next = next(self._groups, None)
        if self._next is None or self._next[0] != number:
            return ""
        found = rows_digest(row[1:] for row in self._next[1])
        self._next = next(self._groups, None)
        return found


def _newest(model: type[EntryRow | Seal], table: str) -> dict[int, str]:
    """How the newest entry that wrote each row of a table left it, by key."""
    # The newest by the entry, not by the key: a row that is slipped under an old entry speaks for nothing.
    latest = Window(RowNumber(), partition_by="row", order_by=["-entry_id", "-pk"])
    rows = model._default_manager.filter(table=table).annotate(place=latest).filter(place=1)
    return dict(rows.values_list("row", "digest"))


def changed_rows(model: type[Fact]) -> Iterator[str]:
    """The facts of a kind that are not as their last journal entry left them, as sentences."""
    table = model._meta.db_table
    digests = _newest(EntryRow, table)
    for row in model._default_manager.order_by("pk").iterator():
        expected = digests.pop(row.pk, None)
        if expected is None:
            yield f"{table} row {row.pk} ({row}) was written without a journal entry."
        elif expected != row_digest(row):
            yield f"{table} row {row.pk} ({row}) was changed behind the application's back."
    for missing in digests:
        yield f"{table} row {missing} is gone, but the journal knows of it."


def _changed_watched(model: type[Model]) -> Iterator[str]:
    table = model._meta.db_table
    digests = _newest(Seal, table)
    for key, digest in sealing.digests_of(connection, model):
        expected = digests.pop(key, None)
        if expected is None:
            yield f"{table} row {key} was written without a journal entry."
        elif expected == sealing.GONE:
            yield f"{table} row {key} is there again, though the journal knows that it was deleted."
        elif expected != digest:
            yield f"{table} row {key} was changed behind the application's back."
    for missing, digest in digests.items():
        if digest != sealing.GONE:
            yield f"{table} row {missing} is gone, but the journal knows of it."
