"""Stored reasons, spans and waivers as arrays, read past the ORM's objects: a large firm has millions of them."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import fields
from datetime import date
from typing import Any, TypeVar

import numpy as np
from django.db.models import Aggregate, BooleanField, Field, Max, QuerySet, TextField, Value
from django.db.models.functions import Cast, Coalesce
from numpy.typing import NDArray

from stepladder.assignments.models import Reason, Waiver
from stepladder.core.board import LinkColumns, ReasonColumns, WaiverColumns
from stepladder.core.days import FOREVER
from stepladder.learning.models import ValiditySpan

__all__ = ["LINK_NAMES", "columns_of", "read_links", "read_reasons", "read_waivers"]

Columns = TypeVar("Columns", ReasonColumns, LinkColumns, WaiverColumns)
# The columns of each table in the order of the arrays' fields.
REASON_NAMES = [
    "person_id",
    "course_id",
    "first",
    "last",
    "opened",
    "due",
    "notice_days",
    "taken_from",
    "is_mandatory",
    "known_from",
    "known_to",
]
LINK_NAMES = [
    "person_id",
    "course_id",
    "first",
    "taken",
    "valid_until",
    "window_days",
    "grace_days",
    "known_from",
    "known_to",
]
WAIVER_NAMES = ["person_id", "course_id", "from_day", "to_day", "recorded_on", "revoked_on"]
# Days that are none: any completion counts; for all others it is never.
ANY = date.min
DAYS = frozenset({"first", "last", "opened", "due", "taken_from", "taken", "valid_until", "known_from", "known_to"})
# Databases take so many keys in one condition, and give so many rows of a table at once.
PIECE_OF_PEOPLE, PIECE_OF_ROWS = 5_000, 100_000
FIRST_DAY = date(1970, 1, 1).toordinal()


class Joined(Aggregate):
    """All values of a column as one text. Millions of rows as objects take five times as long to make as to read."""

    function = "GROUP_CONCAT"
    template = "%(function)s(%(expressions)s)"
    output_field = TextField()

    def as_postgresql(self, compiler: Any, connection: Any, **context: Any) -> Any:
        return self.as_sql(compiler, connection, function="STRING_AGG", **context)


class AsText(Cast):
    """A column as text. SQLite joins days, numbers and truths as they are, and is twice as quick without being told to."""

    def __init__(self, name: str) -> None:
        super().__init__(name, TextField())

    def as_sqlite(self, compiler: Any, connection: Any, **context: Any) -> Any:
        return compiler.compile(self.get_source_expressions()[0])

    def as_postgresql(self, compiler: Any, connection: Any, **context: Any) -> Any:
        # Truths would be words: they go by way of a number.
        if isinstance(self.get_source_expressions()[0].output_field, BooleanField):
            return self.as_sql(
                compiler, connection, template="CAST(CAST(%(expressions)s AS integer) AS text)", **context
            )
        return super().as_postgresql(compiler, connection, **context)


def read_reasons(people: Sequence[int] | None = None) -> ReasonColumns:
    """The reasons of these people, or of everybody."""
    return _read(ReasonColumns, Reason.objects.all(), REASON_NAMES, people)


def read_links(people: Sequence[int] | None = None) -> LinkColumns:
    """The validity spans of these people, or of everybody."""
    return _read(LinkColumns, ValiditySpan.objects.all(), LINK_NAMES, people)


def read_waivers(people: Sequence[int] | None = None) -> WaiverColumns:
    """The waivers of these people, or of everybody."""
    return _read(WaiverColumns, Waiver.objects.all(), WAIVER_NAMES, people)


def _read(kind: type[Columns], rows: QuerySet[Any], names: list[str], people: Sequence[int] | None) -> Columns:
    pieces = [columns_of(kind, [])]
    if people is None:
        last = rows.aggregate(last=Max("pk"))["last"] or 0
        for at in range(0, last, PIECE_OF_ROWS):
            pieces.append(_piece(kind, rows.filter(pk__gt=at, pk__lte=at + PIECE_OF_ROWS), names))
    else:
        for at in range(0, len(people), PIECE_OF_PEOPLE):
            pieces.append(_piece(kind, rows.filter(person__in=people[at : at + PIECE_OF_PEOPLE]), names))
    joined = {f.name: np.concatenate([getattr(piece, f.name) for piece in pieces]) for f in fields(kind)}
    return kind(**joined).ordered()


def _piece(kind: type[Columns], rows: QuerySet[Any], names: list[str]) -> Columns:
    """Some rows, column by column: within one statement every column comes in the same order."""
    of = dict(zip(names, fields(kind), strict=True))
    columns = {column.attname: column for column in rows.model._meta.concrete_fields}
    texts = rows.order_by().aggregate(**{f.name: _joined(columns[name], f.name) for name, f in of.items()})
    return kind(**{f.name: _array(f.name, texts[f.name] or "") for f in of.values()})


def _joined(column: Field[Any, Any], field: str) -> Joined:
    if field not in DAYS:
        return Joined(AsText(column.attname), Value(","))
    none = Value((ANY if field == "taken_from" else FOREVER).isoformat())
    day = Coalesce(AsText(column.attname), none) if column.null else AsText(column.attname)
    return Joined(day, Value(""))


def _array(field: str, text: str) -> NDArray[Any]:
    if field not in DAYS:
        numbers = np.fromstring(text, dtype=np.int64, sep=",")
        return numbers.astype(bool if field == "mandatory" else np.int32)
    days = np.frombuffer(text.encode(), dtype="S10").astype("datetime64[D]").astype(np.int64) + FIRST_DAY
    if field == "taken_from":
        days[days == ANY.toordinal()] = 0
    return days.astype(np.int32)


def columns_of(kind: type[Columns], rows: Sequence[Sequence[Any]]) -> Columns:
    """Arrays of rows whose values (numbers and days) stand in the order of the arrays' fields."""
    values = list(zip(*rows, strict=True)) if rows else [()] * len(fields(kind))
    numbers = ([day.toordinal() if isinstance(day, date) else day for day in column] for column in values)
    return kind(
        **{
            field.name: np.array(column, dtype=bool if field.name == "mandatory" else np.int32)
            for field, column in zip(fields(kind), numbers, strict=True)
        }
    )
