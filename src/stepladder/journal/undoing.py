"""Taking back: what an act wrote is revoked, and what it revoked is recorded again, as one new act.

Facts never change, so every act on facts has the same inverse. An act is refused to be taken back where one of its rows was
changed since, or where an app says that something since depends on it. Apps hand in, for each table of facts, what depends on
its rows and what follows when they are others; and, for each verb, what one must be allowed to do.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from typing import Any

from django.db import models, transaction
from django.db.models import Q

from stepladder import clock
from stepladder.events import Act
from stepladder.facts import Fact, revoke_many, row_digest
from stepladder.identity import new_public_id
from stepladder.journal import verbs
from stepladder.journal.actions import Actor, Named, record, watching
from stepladder.journal.models import Entry, EntryRow
from stepladder.journal.queries import as_sentence, fact_models
from stepladder.journal.tracing import as_left
from stepladder.refusals import Refusal

__all__ = [
    "CannotTakeBack",
    "add_inverse",
    "add_table",
    "add_verbs",
    "may_be_taken_back",
    "needs",
    "obstacles",
    "of_object",
    "of_rows",
    "rows_in_words",
    "take_back",
    "watched",
    "whose",
]

SHOWN = 5


class CannotTakeBack(Refusal):
    """An act that something since depends on; *reasons* are for people."""

    def __init__(self, reasons: Sequence[str]) -> None:
        self.reasons = list(reasons)
        super().__init__("It cannot be taken back: " + " ".join(self.reasons))


@dataclass(frozen=True)
class _Table:
    describe: Callable[[Any], str]
    depends: Callable[[list[Fact]], list[str]]
    after: Callable[[list[Fact], Act], None]
    reads: tuple[str, ...]


@dataclass(frozen=True)
class _Inverse:
    depends: Callable[[Entry], list[str]]
    undo: Callable[[Entry, Act], None]
    describe: Callable[[Entry], tuple[list[str], list[str]]]


@dataclass
class _Rows:
    """The fact rows of an entry: those it wrote that still hold, and those it revoked."""

    written: dict[type[Fact], list[Fact]] = field(default_factory=dict)
    revoked: dict[type[Fact], list[Fact]] = field(default_factory=dict)

    def all(self) -> dict[type[Fact], list[Fact]]:
        models = dict.fromkeys([*self.written, *self.revoked])
        return {model: [*self.written.get(model, []), *self.revoked.get(model, [])] for model in models}


# The objects that an act was done to, of one kind; None where its verb is not about single ones.
Whose = Callable[[Entry], "models.QuerySet[Any] | None"]
_tables: dict[type[Fact], _Table] = {}
_needs: dict[str, tuple[str, Whose]] = {}
_inverses: dict[str, _Inverse] = {}


def add_table(
    model: type[Fact],
    *,
    describe: Callable[[Any], str],
    after: Callable[[list[Fact], Act], None],
    depends: Callable[[list[Fact]], list[str]] = lambda _: [],
    reads: tuple[str, ...] = (),
) -> None:
    """Hand in a table of facts.

    *describe* puts a row into words, *depends* says why rows cannot go, *after* does what follows from rows that are others now.
    *reads* are further relations that *describe* needs, fetched for all rows at once.
    """
    _tables[model] = _Table(describe, depends, after, reads)


def add_verbs(needs: str, *names: str, whose: Whose = lambda _: None) -> None:
    """Hand in journal verbs that can be taken back by whoever may do *needs* (a verb of the policy) to all of *whose*."""
    for name in names:
        verbs.sentence(name)
        _needs[name] = needs, whose


def of_rows(kind: type[models.Model], *tables: type[Fact], column: str = "person") -> Whose:
    """The objects of a kind that an entry's rows in these tables point at."""

    def found(entry: Entry) -> models.QuerySet[Any]:
        keys: set[int] = set()
        for table in tables:
            rows = EntryRow.objects.filter(entry=entry, table=table._meta.db_table).values("row")
            keys |= set(table._default_manager.filter(pk__in=rows).values_list(f"{column}_id", flat=True))
        return kind._default_manager.filter(pk__in=keys)

    return found


def of_object(kind: type[models.Model]) -> Whose:
    """The object of a kind that an entry is about."""
    return lambda entry: kind._default_manager.filter(public_id=entry.object_id)


def add_inverse(
    needs: str,
    verb: str,
    *,
    undo: Callable[[Entry, Act], None],
    whose: Whose = lambda _: None,
    depends: Callable[[Entry], list[str]] = lambda _: [],
    describe: Callable[[Entry], tuple[list[str], list[str]]] = lambda _: ([], []),
) -> None:
    """Hand in the inverse of what an act wrote beside facts: what stands against it, and how it is undone.

    *describe* puts into words what was before the act, and what after it.
    """
    add_verbs(needs, verb, whose=whose)
    _inverses[verb] = _Inverse(depends, undo, describe)


def may_be_taken_back(entry: Entry) -> bool:
    """Whether there is a way back from acts of this kind, and this one was not taken back yet, nor shortened."""
    # What it wrote of somebody who is kept as a number only is not there any more to be compared with.
    is_over = Q(takes_back=entry.number) | Q(number=entry.number, shortened__isnull=False)
    return entry.verb in _needs and not Entry.objects.filter(is_over).exists()


@contextmanager
def watched() -> Iterator[Watched]:
    """Watch an act: afterwards it is known by which number it can be taken back, if it can.

    Only what the act itself records counts, not what others record meanwhile. What stands against it from the start (a freed
    seat that went to somebody at once) keeps the way back from being offered.
    """
    seen = Watched()
    recorded: list[Entry] = []
    token = watching.set(recorded)
    try:
        yield seen
    finally:
        watching.reset(token)
    # The first of them: what follows from an act is recorded after it.
    made = next((entry for entry in recorded if entry.verb in _needs and entry.takes_back is None), None)
    seen.act = made.number if made and not obstacles(made) else None


@dataclass
class Watched:
    """The number of the act that was watched, once it is done."""

    act: int | None = None


def needs(entry: Entry) -> str:
    """What one must be allowed to do to take an act of this kind back."""
    return _needs[entry.verb][0]


def whose(entry: Entry) -> models.QuerySet[Any] | None:
    """To what one must be allowed to do it; None where its verb is not about single objects."""
    return _needs[entry.verb][1](entry)


def rows_in_words(entry: Entry, *, limit: int) -> tuple[list[str], list[str], int]:
    """What an entry wrote, as it left it: what held before it, what holds after it, and how many fact rows there are."""
    tables = {model._meta.db_table: model for model in fact_models()}
    rows = EntryRow.objects.filter(entry=entry).order_by("pk")
    shown = list(rows[:limit])
    facts = {
        table: _with_names(tables[table], [r.row for r in shown if r.table == table])
        for table in {r.table for r in shown}
    }
    before, after = map(list, _inverses[entry.verb].describe(entry)) if entry.verb in _inverses else ([], [])
    for one in shown:
        model, row = tables[one.table], facts[one.table].get(one.row)
        if row is None or model not in _tables:
            continue
        revoked_by_it = row.revoked_on is not None and not _held_after(one, row)
        (before if revoked_by_it else after).append(_tables[model].describe(row))
    return before, after, rows.count()


def _with_names(model: type[Fact], keys: Sequence[int]) -> dict[int, Fact]:
    """Fact rows with what they point at, in one query for all of them."""
    pointing = [column.name for column in model._meta.concrete_fields if column.is_relation]
    rows = model._default_manager.select_related(*pointing)
    if model in _tables:
        rows = rows.prefetch_related(*_tables[model].reads)
    found: dict[int, Fact] = rows.in_bulk(list(keys))
    return found


def _held_after(one: EntryRow, row: Fact) -> bool:
    """Whether the entry left the row holding: then its digest is that of the row before it was revoked."""
    # Being revoked is all that can have happened to a fact since, so its digest without that tells how the act left it.
    row.revoked_on, revoked_on = None, row.revoked_on
    held = row_digest(row) == one.digest
    row.revoked_on = revoked_on
    return held


def obstacles(entry: Entry) -> list[str]:
    """Why an act cannot be taken back now; empty where it can."""
    return _look(entry)[1]


@transaction.atomic
def take_back(entry: Entry, *, by: Actor) -> Entry:
    """Undo an act by a new one. Raises CannotTakeBack with everything that stands against it."""
    rows, reasons = _look(entry)
    if reasons:
        raise CannotTakeBack(reasons)
    changed: list[Fact] = []
    touched: dict[type[Fact], list[Fact]] = {}
    for model, of_model in rows.written.items():
        gone = revoke_many(model, [row.pk for row in of_model])
        changed += gone
        touched.setdefault(model, []).extend(gone)
    # Recorded again, not un-revoked: on the days between it was known not to be, and a past board says so.
    for model, of_model in rows.revoked.items():
        for row in of_model:
            again = _recorded_again(row)
            changed.append(again)
            touched.setdefault(model, []).append(again)
    about = Named(entry.object_kind, entry.object_id, entry.object_name)
    data = {"what": as_sentence(entry), "number": entry.number}
    made = record("take_back", by=by, about=about, data=data, rows=changed, takes_back=entry.number)
    if entry.verb in _inverses:
        _inverses[entry.verb].undo(entry, made.act)
    # Last: whoever listens reads what the inverse has put back.
    for model, of_model in touched.items():
        _tables[model].after(of_model, made.act)
    return made


def _look(entry: Entry) -> tuple[_Rows, list[str]]:
    if entry.verb not in _needs:
        return _Rows(), ["Acts of this kind have no way back."]
    later = Entry.objects.filter(takes_back=entry.number).first()
    if later is not None:
        return _Rows(), [f"{later.actor_name} took it back already."]
    tables = {model._meta.db_table: model for model in fact_models()}
    rows, reasons = _Rows(), []
    by_table: dict[str, dict[int, str]] = {}
    for table, key, digest in EntryRow.objects.filter(entry=entry).values_list("table", "row", "digest"):
        by_table.setdefault(table, {})[key] = digest
    for table, digests in by_table.items():
        found, changed = as_left(tables[table], digests, entry)
        reasons += changed
        for row in found:
            (rows.written if row.revoked_on is None else rows.revoked).setdefault(tables[table], []).append(row)
    if entry.verb in _inverses:
        reasons += _inverses[entry.verb].depends(entry)
    for model, of_model in rows.all().items():
        reasons += _tables[model].depends(of_model)
    return rows, _few(reasons)


def _few(reasons: list[str]) -> list[str]:
    single = list(dict.fromkeys(reasons))
    more = len(single) - SHOWN
    return single[:SHOWN] + ([f"And {more} more."] if more > 0 else [])


def _recorded_again(row: Fact) -> Fact:
    model = type(row)
    again: Fact = model._default_manager.get(pk=row.pk)
    again.pk, again.public_id = None, new_public_id()
    again.recorded_on, again.revoked_on = clock.today(), None
    again.save(force_insert=True)
    return again
