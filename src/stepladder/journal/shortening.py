"""Taking words out of entries that name somebody who is kept as a number only. The chain holds: it is of digests."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import Any

from django.db.models import Q, QuerySet, TextField
from django.db.models.functions import Cast

from stepladder.journal.chain import content_digest
from stepladder.journal.models import Entry, Shortened

__all__ = ["entries_naming", "shorten_entries"]

PIECE = 500


def entries_naming(names: Iterable[str], *, ids: Sequence[str]) -> list[int]:
    """The numbers of the entries in which any of these names stands, or that are by or about one of these public ids."""
    rows: QuerySet[Entry] = Entry.objects.annotate(text=Cast("data", TextField()))
    found = Q(object_id__in=ids) | Q(actor_id__in=ids)
    for name in names:
        # In stored JSON letters beyond ASCII are escaped.
        found |= Q(object_name__contains=name) | Q(actor_name__contains=name) | Q(text__contains=json.dumps(name)[1:-1])
    return list(rows.filter(found).order_by("number").values_list("number", flat=True))


def shorten_entries(numbers: Sequence[int], words: Callable[[Entry], tuple[str, str, Any]]) -> int:
    """Replace what entries say by (actor, object, data) that *words* makes of each; how many say something else by it.

    Within the transaction of an act that records an entry afterwards: it has the digests of what was written here.
    """
    changed = 0
    for entry in _entries(numbers):
        actor, named, data = words(entry)
        if (actor, named, data) == (entry.actor_name, entry.object_name, entry.data):
            continue
        content = content_digest(entry)
        entry.actor_name, entry.object_name, entry.data = actor, named, data
        entry.save(update_fields=["actor_name", "object_name", "data"])
        # Shortened again, for somebody else whom it names, it stands in the chain by what it said first.
        Shortened.objects.update_or_create(
            entry=entry,
            defaults={"shown": content_digest(entry)},
            create_defaults={"content": content, "shown": content_digest(entry)},
        )
        changed += 1
    return changed


def _entries(numbers: Sequence[int]) -> Iterator[Entry]:
    for at in range(0, len(numbers), PIECE):
        yield from Entry.objects.filter(pk__in=numbers[at : at + PIECE]).order_by("number")
