"""What has become of the rows that an act wrote: as it left them, recorded again since, or changed."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from itertools import islice
from typing import Any

from stepladder.facts import Fact, row_digest
from stepladder.journal.models import Entry, EntryRow
from stepladder.journal.queries import as_sentence

__all__ = ["as_left"]

# What differs between a row and the one that says the same anew.
OWN = {"id", "public_id", "recorded_on", "revoked_on"}
PIECE = 500


def as_left(model: type[Fact], digests: Mapping[int, str], entry: Entry) -> tuple[list[Fact], list[str]]:
    """The rows of an act, *digests* being how it left them; and why some of them are not so any more, as sentences.

    A later act that was taken back leaves another row that says the same: that one stands for the row of this act.
    """
    rows = _read(model, digests)
    changed = [row for row in rows if row_digest(row) != digests[row.pk]]
    unchanged = [row for row in rows if row_digest(row) == digests[row.pk]]
    if not changed:
        return unchanged, []
    reasons = []
    for number, entry_rows in _changed_by(model, changed, entry).items():
        later = Entry.objects.filter(number=number).first()
        back = Entry.objects.filter(takes_back=number).first()
        again = _again(model, later, back) if later and back else {}
        found = {key: again[key] for row in entry_rows if (key := _content(row)) in again}
        if later is None:
            reasons.append("A row was changed behind the application’s back.")
        elif back is None or len(found) < len(entry_rows):
            reasons.append(f"{later.object_name} {as_sentence(later)} since: take that back first.")
        else:
            stand_ins, more = as_left(model, dict(found.values()), back)
            unchanged += stand_ins
            reasons += more
    return unchanged, reasons


def _read(model: type[Fact], keys: Mapping[int, Any]) -> list[Fact]:
    found: list[Fact] = []
    for some in _pieces(keys):
        found += model._default_manager.in_bulk(some).values()
    return found


def _changed_by(model: type[Fact], rows: list[Fact], entry: Entry) -> dict[int, list[Fact]]:
    """The first later act that touched each row; 0 where none did."""
    first: dict[int, int] = {}
    for some in _pieces(row.pk for row in rows):
        touched = EntryRow.objects.filter(table=model._meta.db_table, row__in=some, entry__number__gt=entry.number)
        first |= dict(touched.order_by("-entry__number").values_list("row", "entry__number"))
    found: dict[int, list[Fact]] = {}
    for row in rows:
        found.setdefault(first.get(row.pk, 0), []).append(row)
    return found


def _again(model: type[Fact], later: Entry, back: Entry) -> dict[tuple[Any, ...], tuple[int, str]]:
    """What was recorded again by taking an act back: content → (key, digest)."""
    table = model._meta.db_table
    revoked = EntryRow.objects.filter(entry=later, table=table).values("row")
    rows = EntryRow.objects.filter(entry=back, table=table).exclude(row__in=revoked)
    digests = dict(rows.values_list("row", "digest"))
    return {_content(row): (row.pk, digests[row.pk]) for row in _read(model, digests)}


def _content(row: Fact) -> tuple[Any, ...]:
    return tuple(str(getattr(row, c.attname)) for c in row._meta.concrete_fields if c.name not in OWN)


def _pieces(keys: Iterable[int]) -> Iterator[list[int]]:
    """Keys by as many as a query takes."""
    left = iter(keys)
    while piece := list(islice(left, PIECE)):
        yield piece
