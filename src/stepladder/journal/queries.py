"""Reading the journal, and checking it."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime

from django.apps import apps
from django.db.models import Max

from stepladder.facts import Fact, row_digest
from stepladder.journal import verbs
from stepladder.journal.actions import FIRST, entry_digest, rows_digest
from stepladder.journal.models import Entry, EntryRow

__all__ = ["Line", "fact_models", "history", "problems"]


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


def as_sentence(entry: Entry) -> str:
    """What an entry says, with the names known then."""

    class Known(dict[str, object]):
        def __missing__(self, key: str) -> str:
            return "–"

    return verbs.sentence(entry.verb).format_map(Known(entry.data, object=entry.object_name))


def fact_models() -> list[type[Fact]]:
    """Every table of facts."""
    return [model for model in apps.get_models() if issubclass(model, Fact)]


def problems() -> Iterator[str]:
    """What is wrong: broken links of the chain, and fact rows that are not as their last entry left them."""
    previous = FIRST
    for entry in Entry.objects.order_by("number").iterator():
        if entry.previous != previous or entry.digest != entry_digest(entry):
            yield f"Journal entry {entry.number} ({entry.verb}, {entry.object_name}) does not match the chain."
        previous = entry.digest
        if entry.rows_digest:
            rows = EntryRow.objects.filter(entry=entry).order_by("pk").values_list("table", "row", "digest")
            if rows_digest(rows) != entry.rows_digest:
                yield f"The row digests of journal entry {entry.number} ({entry.verb}) were changed."
    for model in fact_models():
        yield from _changed_rows(model)


def _changed_rows(model: type[Fact]) -> Iterator[str]:
    table = model._meta.db_table
    newest = EntryRow.objects.filter(table=table).values("row").annotate(last=Max("pk")).values("last")
    digests = dict(EntryRow.objects.filter(pk__in=newest).values_list("row", "digest"))
    for row in model._default_manager.order_by("pk").iterator():
        expected = digests.pop(row.pk, None)
        if expected is None:
            yield f"{table} row {row.pk} ({row}) was written without a journal entry."
        elif expected != row_digest(row):
            yield f"{table} row {row.pk} ({row}) was changed behind the application's back."
    for missing in digests:
        yield f"{table} row {missing} is gone, but the journal knows of it."
