"""Facts with two clocks: when they hold, and when they were recorded and revoked. Rule: 5, "As of"."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from datetime import UTC, date, datetime
from typing import Any, Self

from django.db import DEFAULT_DB_ALIAS, connections, models

from stepladder import clock
from stepladder.identity import new_public_id, new_public_ids

# So many keys fit well into one condition.
PIECE = 5_000
_quoted = json.encoder.encode_basestring

__all__ = ["Fact", "FactQuerySet", "insert_facts", "insert_many", "revoke_many", "row_digest"]


def _today() -> date:
    return clock.today()


class FactQuerySet(models.QuerySet[Any]):
    """Facts as known on a day."""

    def known_on(self, day: date) -> Self:
        """Recorded by *day* and not revoked by then."""
        return self.filter(recorded_on__lte=day).exclude(revoked_on__lte=day)

    def known_now(self) -> Self:
        """Never revoked."""
        return self.filter(revoked_on__isnull=True)


class Fact(models.Model):
    """A fact that is never changed: a correction revokes it and records a new one."""

    public_id = models.CharField(max_length=20, unique=True, default=new_public_id, editable=False)
    recorded_on = models.DateField(default=_today)
    revoked_on = models.DateField(null=True, blank=True)

    objects = FactQuerySet.as_manager()

    class Meta:
        abstract = True

    @property
    def is_revoked(self) -> bool:
        return self.revoked_on is not None

    def revoke(self) -> None:
        """Say that it never was. It stays known for the days before."""
        self.revoked_on = clock.today()
        self.save(update_fields=["revoked_on"])


def row_digest(row: models.Model) -> str:
    """A digest of every column of a row, so that a change behind the application's back can be found."""
    return _digest({column.attname: getattr(row, column.attname) for column in row._meta.concrete_fields})


def _digest(row: Mapping[str, Any]) -> str:
    """Of the row as JSON, its columns by name; written out here, for an import digests a hundred thousand rows."""
    text = ", ".join([f'"{name}": {_as_json(row[name])}' for name in sorted(row)])
    return hashlib.sha256(f"{{{text}}}".encode()).hexdigest()


def _as_json(value: Any) -> str:
    if value is None:
        return "null"
    kind = type(value)
    if kind is str:
        return _quoted(value)
    if kind is int:
        return str(value)
    if isinstance(value, int | float):
        return json.dumps(value)
    if isinstance(value, datetime):
        # The same instant reads back in UTC, whatever zone it was written in.
        value = value.astimezone(UTC)
    return _quoted(str(value))


# Types that the database takes as they are.
_PLAIN = frozenset({str, int, bool, type(None)})


def _stored(column: models.Field[Any, Any], value: Any, database: Any) -> Any:
    """A value that is none of the plain ones as the database takes it."""
    return str(value) if type(value) is date else column.get_db_prep_save(value, database)


def revoke_many(model: type[Fact], keys: Iterable[int]) -> list[Fact]:
    """Say of many facts that they never were, as Fact.revoke says of one; the facts as they are then."""
    wanted = sorted(set(keys))
    found: list[Fact] = []
    for at in range(0, len(wanted), PIECE):
        some = model._default_manager.filter(pk__in=wanted[at : at + PIECE])
        some.update(revoked_on=clock.today())
        found += some.order_by("pk")
    return found


def insert_facts(model: type[Fact], rows: Sequence[Mapping[str, Any]]) -> list[tuple[str, int, str]]:
    """Write new facts as insert_many does: (table, key, digest) of each, for the journal."""
    table = model._meta.db_table
    return [(table, row["id"], _digest(row)) for row in insert_many(model, rows)]


def insert_many(model: type[models.Model], rows: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    """Write new rows past the ORM's objects, which take longer to make than a large import has: the rows with their keys.

    A row is column → value; columns that are left out get their defaults. It belongs into a transaction: who writes has the only
    pen, so the next keys are known before the rows are written.
    """
    if not rows:
        return []
    # The connection itself: asking the proxy for each value takes longer than the value.
    database = connections[DEFAULT_DB_ALIAS]
    if not database.in_atomic_block:
        raise RuntimeError("Many rows are written within a transaction.")
    columns, table, own = model._meta.concrete_fields, model._meta.db_table, model._meta.pk
    assert own is not None, "every stored model has a key"
    quote = database.ops.quote_name
    names = ", ".join(quote(str(column.column)) for column in columns)
    marks = ", ".join(["%s"] * len(columns))
    by_name = [(column.attname, column) for column in columns]
    defaults = {column.attname: column.get_default() for column in columns if column.attname != "public_id"}
    with database.cursor() as cursor:
        cursor.execute("SELECT coalesce(max(seq), 0) FROM sqlite_sequence WHERE name = %s", [table])
        last = int(cursor.fetchone()[0])
        whole = [
            {**defaults, "public_id": public_id, **row, own.attname: key}
            for key, (public_id, row) in enumerate(zip(new_public_ids(len(rows)), rows, strict=True), last + 1)
        ]
        cursor.executemany(
            f"INSERT INTO {quote(table)} ({names}) VALUES ({marks})",  # noqa: S608 - names of our own tables
            [
                [
                    value if type(value := row[name]) in _PLAIN else _stored(column, value, database)
                    for name, column in by_name
                ]
                for row in whole
            ],
        )
    return whole
