"""Facts with two clocks: when they hold, and when they were recorded and revoked. Rule: 5, "As of"."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from datetime import UTC, date, datetime
from typing import Any, Self

from django.db import DEFAULT_DB_ALIAS, connections, models

from stepladder import clock
from stepladder.identity import new_public_id

__all__ = ["Fact", "FactQuerySet", "insert_many", "row_digest"]


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
    values = {}
    for name, value in row.items():
        if isinstance(value, datetime):
            # The same instant reads back in UTC, whatever zone it was written in.
            value = value.astimezone(UTC)
        values[name] = value if isinstance(value, int | float | bool | None) else str(value)
    text = json.dumps(values, sort_keys=True, default=str, ensure_ascii=False)
    return hashlib.sha256(text.encode()).hexdigest()


def _stored(column: models.Field[Any, Any], value: Any, database: Any) -> Any:
    """A value as the database takes it; text and numbers are taken as they are."""
    return value if value is None or type(value) in (str, int, bool) else column.get_db_prep_save(value, database)


def insert_many(model: type[models.Model], rows: Sequence[Mapping[str, Any]]) -> list[tuple[str, int, str]]:
    """Write new rows past the ORM's objects, which take longer to make than a large import has: (table, key, digest) of each.

    A row is column → value; columns that are left out get their defaults. The model has a public id, by which the keys are
    read back in the order of the rows.
    """
    if not rows:
        return []
    columns = [column for column in model._meta.concrete_fields if not column.primary_key]
    defaults = {column.attname: column.get_default() for column in columns if column.attname != "public_id"}
    whole = [{**defaults, "public_id": new_public_id(), **row} for row in rows]
    # The connection itself: asking the proxy for each value takes longer than the value.
    database = connections[DEFAULT_DB_ALIAS]
    quote, table = database.ops.quote_name, model._meta.db_table
    names = ", ".join(quote(str(column.column)) for column in columns)
    marks = ", ".join(["%s"] * len(columns))
    with database.cursor() as cursor:
        cursor.executemany(
            f"INSERT INTO {quote(table)} ({names}) VALUES ({marks})",  # noqa: S608 - names of our own tables
            [[_stored(column, row[column.attname], database) for column in columns] for row in whole],
        )
    keys: dict[str, int] = {}
    for at in range(0, len(whole), 500):
        wanted = [row["public_id"] for row in whole[at : at + 500]]
        keys |= dict(model._default_manager.filter(public_id__in=wanted).values_list("public_id", "pk"))
    own = model._meta.pk
    assert own is not None, "every stored model has a key"
    return [(table, keys[row["public_id"]], _digest({own.attname: keys[row["public_id"]], **row})) for row in whole]
