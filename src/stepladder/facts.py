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
from stepladder.refusals import Refusal

# So many keys fit well into one condition.
PIECE = 5_000
_quoted = json.encoder.encode_basestring

__all__ = [
    "Fact",
    "FactQuerySet",
    "Overtaken",
    "changed_since",
    "insert_facts",
    "insert_many",
    "revoke_many",
    "row_digest",
    "row_text",
    "write_differences",
]


def _today() -> date:
    return clock.today()


# What belongs to the row and not to what it says.
_OF_THE_ROW = frozenset({"id", "public_id", "recorded_on", "revoked_on"})


class Overtaken(Refusal):
    """A fact was to be changed that somebody else has changed since it was read."""

    def __init__(self) -> None:
        super().__init__(
            "Somebody else changed this in the meantime. Look at it again, and do it once more if it is still to be done."
        )


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
        """Say that it never was. It stays known for the days before. Raises Overtaken where somebody else was quicker."""
        _in_transaction()
        day = clock.today()
        # Compare and set: the row that was read may have been revoked since, by another request.
        if not type(self)._default_manager.filter(pk=self.pk, revoked_on__isnull=True).update(revoked_on=day):
            raise Overtaken
        self.revoked_on = day

    def replaced_by(self, *versions: Mapping[str, Any]) -> list[Self]:
        """The one way to change a fact: it is revoked, and for each version one is recorded like it but for what the version
        says. Raises Overtaken, and then nothing is changed.
        """
        self.revoke()
        # By key, so that what it points at need not be read.
        like = {c.attname: getattr(self, c.attname) for c in self._meta.concrete_fields if c.name not in _OF_THE_ROW}
        rows: Any = type(self)._default_manager
        return [rows.create(**{**like, **self._columns(version)}) for version in versions]

    def succeeded_by(self, **changes: Any) -> Self:
        """As replaced_by, by one."""
        return self.replaced_by(changes)[0]

    def _columns(self, version: Mapping[str, Any]) -> dict[str, Any]:
        """What a version says, by columns: a row that is pointed at by its key."""
        said = {}
        for name, value in version.items():
            column: Any = self._meta.get_field(name)
            said[column.attname] = value.pk if isinstance(value, models.Model) else value
        return said


def _in_transaction() -> None:
    if not connections[DEFAULT_DB_ALIAS].in_atomic_block:
        raise RuntimeError("A fact is changed within the transaction of its act.")


def row_digest(row: models.Model) -> str:
    """A digest of every column of a row, so that a change behind the application's back can be found."""
    return hashlib.sha256(row_text(row).encode()).hexdigest()


def row_text(row: models.Model) -> str:
    """What is digested of a row: every column by its name, as JSON."""
    return _text({column.attname: getattr(row, column.attname) for column in row._meta.concrete_fields})


def _digest(row: Mapping[str, Any]) -> str:
    return hashlib.sha256(_text(row).encode()).hexdigest()


def _text(row: Mapping[str, Any]) -> str:
    """The columns by name; written out here, for an import digests a hundred thousand rows."""
    text = ", ".join([f'"{name}": {_as_json(row[name])}' for name in sorted(row)])
    return f"{{{text}}}"


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
    """Say of many facts that they never were, as Fact.revoke says of one; the facts as they are then. Raises Overtaken."""
    _in_transaction()
    wanted = sorted(set(keys))
    found: list[Fact] = []
    for at in range(0, len(wanted), PIECE):
        piece = wanted[at : at + PIECE]
        some = model._default_manager.filter(pk__in=piece)
        if some.filter(revoked_on__isnull=True).update(revoked_on=clock.today()) != len(piece):
            raise Overtaken
        found += some.order_by("pk")
    return found


def insert_facts(model: type[Fact], rows: Sequence[Mapping[str, Any]]) -> list[tuple[str, int, str]]:
    """Write new facts as insert_many does: (table, key, digest) of each, for the journal."""
    table = model._meta.db_table
    return [(table, row["id"], _digest(row)) for row in insert_many(model, rows)]


def changed_since(model: type[Fact], day: date) -> set[int]:
    """The persons of whom facts were recorded or revoked on a day or since."""
    rows = model._default_manager.filter(models.Q(recorded_on__gte=day) | models.Q(revoked_on__gte=day))
    return set(rows.values_list("person_id", flat=True))


def write_differences(stored: models.QuerySet[Any], wanted: Iterable[models.Model]) -> set[int]:
    """Bring derived rows up to date: what is stored but not wanted goes, what is wanted but not stored is added, and all else
    keeps its row and key. The persons whose rows are others now.

    *stored* are all rows that *wanted*, unsaved rows of the same model, would replace; each has a person_id.
    """
    columns = [column.attname for column in stored.model._meta.concrete_fields if column.attname != "id"]
    before: dict[tuple[Any, ...], list[int]] = {}
    for key, *values in stored.values_list("pk", *columns):
        before.setdefault(tuple(values), []).append(key)
    person = columns.index("person_id")
    new, moved = [], set()
    for row in wanted:
        values = tuple(getattr(row, name) for name in columns)
        # Rows may be alike: each stored one stands for one that is wanted.
        if same := before.get(values):
            same.pop()
        else:
            new.append(row)
            moved.add(values[person])
    gone = []
    for values, keys in before.items():
        if keys:
            gone += keys
            moved.add(values[person])
    for at in range(0, len(gone), PIECE):
        stored.model._default_manager.filter(pk__in=gone[at : at + PIECE]).delete()
    stored.model._default_manager.bulk_create(new, batch_size=500)
    return moved


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
    columns, table, key_field = model._meta.concrete_fields, model._meta.db_table, model._meta.pk
    assert key_field is not None, "every stored model has a key"
    quote = database.ops.quote_name
    names = ", ".join(quote(str(column.column)) for column in columns)
    marks = ", ".join(["%s"] * len(columns))
    by_name = [(column.attname, column) for column in columns]
    defaults = {column.attname: column.get_default() for column in columns if column.attname != "public_id"}
    with database.cursor() as cursor:
        # Not the largest key there is: the key of a row that is gone is never used again, and the database counts on from it.
        cursor.execute("SELECT coalesce(max(seq), 0) FROM sqlite_sequence WHERE name = %s", [table])
        last = int(cursor.fetchone()[0])
        whole = [
            {**defaults, "public_id": public_id, **row, key_field.attname: key}
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
