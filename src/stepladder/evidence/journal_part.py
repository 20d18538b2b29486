"""The journal in a pack: its chain whole, in words the entries that wrote the rows that lie in it, all others as digests."""

from __future__ import annotations

import json
from collections.abc import Iterator
from datetime import UTC
from typing import Any

from django.db import connection
from django.db.models import Model

from stepladder.evidence.gathering import Proof, in_pieces_of
from stepladder.facts import row_text
from stepladder.journal import sealing
from stepladder.journal.content_digests import content_digests
from stepladder.journal.models import Entry, EntryRow, Seal, Shortened
from stepladder.journal.queries import as_sentence

__all__ = ["chain_lines", "entries_of", "entry_lines", "row_lines", "shortened_among", "written_lines"]

# Entries may have written many rows each: an import of all people.
FEW = 50


def row_lines(model: type[Model], keys: list[int]) -> Iterator[str]:
    """A line for each row: its key, and exactly what the journal digests of it."""
    for some in in_pieces_of(keys):
        if model in sealing.watched_models():
            rows = sealing.texts_of(connection, model, some)
        else:
            found: Any = model._default_manager.filter(pk__in=some).order_by("pk")
            rows = ((row.pk, row_text(row)) for row in found)
        for key, text in rows:
            yield f"{key}\t{text}\n"


def entries_of(proof: Proof, last: int) -> list[int]:
    """The numbers of the entries, up to *last*, that wrote any of these rows."""
    found: set[int] = set()
    for model in proof.keys:
        rows: Any = Seal if model in sealing.watched_models() else EntryRow
        for some in in_pieces_of(proof.of(model)):
            wrote = rows.objects.filter(table=model._meta.db_table, row__in=some, entry_id__lte=last)
            found.update(wrote.values_list("entry_id", flat=True))
    return sorted(found)


def entry_lines(numbers: list[int]) -> Iterator[str]:
    """A line of JSON for each of these entries."""
    for some in in_pieces_of(numbers):
        for entry in Entry.objects.filter(pk__in=some).order_by("number"):
            said = {
                "number": entry.number,
                "at": entry.at.astimezone(UTC).isoformat(),
                "actor_id": entry.actor_id,
                "actor_name": entry.actor_name,
                "verb": entry.verb,
                "object_kind": entry.object_kind,
                "object_id": entry.object_id,
                "object_name": entry.object_name,
                "data": entry.data,
                "takes_back": entry.takes_back,
                "rows_digest": entry.rows_digest,
                "seals_digest": entry.seals_digest,
                "digest": entry.digest,
                "says": as_sentence(entry),
            }
            yield json.dumps(said, ensure_ascii=False) + "\n"


def written_lines(numbers: list[int]) -> Iterator[str]:
    """A line for each row that these entries wrote, those of others as digests: entry, kind, table, key, digest."""
    for some in in_pieces_of(numbers, FEW):
        for kind, model in (("fact", EntryRow), ("seal", Seal)):
            rows: Any = model._default_manager.filter(entry__in=some).order_by("entry_id", "pk")
            for entry, table, key, digest in rows.values_list("entry_id", "table", "row", "digest").iterator():
                yield f"{entry}\t{kind}\t{table}\t{key}\t{digest}\n"


def chain_lines(last: int) -> Iterator[str]:
    """The digest of each entry's content, from the first to *last*."""
    for digest in content_digests(last):
        yield f"{digest}\n"


def shortened_among(numbers: list[int]) -> list[int]:
    """The keys of the rows that say of these entries what they said before they were shortened."""
    found: list[int] = []
    for some in in_pieces_of(numbers):
        found += Shortened.objects.filter(entry__in=some).values_list("pk", flat=True)
    return found
