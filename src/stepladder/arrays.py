"""Columns of tables as arrays, read past the ORM's objects: of millions of rows objects take five times as long to make as to read."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from enum import Enum
from fractions import Fraction
from typing import Any

import numpy as np
from django.db.models import Aggregate, BooleanField, DateTimeField, Max, QuerySet, TextField, Value
from django.db.models.functions import Cast, Coalesce
from numpy.typing import NDArray

from stepladder.core.days import FOREVER

__all__ = ["Column", "Holds", "joined_columns", "read_arrays"]

# So many rows are joined by one statement: a column of them is a text of some tens of megabytes.
AT_ONCE = 2_000_000
FIRST_DAY = date(1970, 1, 1).toordinal()


class Holds(Enum):
    """What a column holds: whole numbers (none is 0), truths, days as ordinals, instants in microseconds since 1970, words, or shares
    between 0 and 1 (none is nan)."""

    NUMBERS = "numbers"
    TRUTHS = "truths"
    DAYS = "days"
    INSTANTS = "instants"
    WORDS = "words"
    SHARES = "shares"


# What stands for no value; of numbers and truths 0 does.
_NONE = {Holds.WORDS: "none", Holds.SHARES: "nan", Holds.INSTANTS: "NaT"}


@dataclass(frozen=True)
class Column:
    """A column by its name in a query, also across tables. *none*: the day that stands for none."""

    name: str
    holds: Holds = Holds.NUMBERS
    none: date = FOREVER


class Joined(Aggregate):
    """All values of a column as one text."""

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
        said = self.get_source_expressions()[0].output_field
        # Truths would be words: they go by way of a number. Instants are said as SQLite keeps them.
        if isinstance(said, BooleanField):
            template = "CAST(CAST(%(expressions)s AS integer) AS text)"
            return self.as_sql(compiler, connection, template=template, **context)
        if isinstance(said, DateTimeField):
            template = "TO_CHAR(%(expressions)s AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI:SS.US')"
            return self.as_sql(compiler, connection, template=template, **context)
        return super().as_postgresql(compiler, connection, **context)


def read_arrays(rows: QuerySet[Any], columns: Mapping[str, Column]) -> dict[str, NDArray[Any]]:
    """The columns of all rows, in no order, but every column in the same.

    Joins must be to one: a row comes once.
    """
    if rows.order_by().count() <= AT_ONCE:
        # Asked for by ranges of keys as well, the database might look through all of an index for each of them.
        return joined_columns(rows, columns)
    last = rows.order_by().aggregate(last=Max("pk"))["last"] or 0
    pieces = [joined_columns(rows.filter(pk__gt=at, pk__lte=at + AT_ONCE), columns) for at in range(0, last, AT_ONCE)]
    return {name: np.concatenate([piece[name] for piece in pieces]) for name in columns}


def joined_columns(rows: QuerySet[Any], columns: Mapping[str, Column]) -> dict[str, NDArray[Any]]:
    """The columns of some rows, by one statement."""
    asked = {f"array_{name}": _joined(column) for name, column in columns.items()}
    texts = rows.order_by().aggregate(**asked)
    return {name: _array(column, texts[f"array_{name}"] or "") for name, column in columns.items()}


def _joined(column: Column) -> Joined:
    # What is none would be left out of the row of values, so something stands for it.
    if column.holds is Holds.DAYS:
        return Joined(Coalesce(AsText(column.name), Value(column.none.isoformat())), Value(""))
    none = Value(_NONE.get(column.holds, "0"))
    return Joined(Coalesce(AsText(column.name), none), Value("\x1f" if column.holds is Holds.WORDS else ","))


def _array(column: Column, text: str) -> NDArray[Any]:
    if column.holds is Holds.DAYS:
        found = np.frombuffer(text.encode(), dtype="S10").astype("datetime64[D]").astype(np.int64) + FIRST_DAY
        return found.astype(np.int32)
    if column.holds is Holds.WORDS:
        return np.array(text.split("\x1f"), dtype=object) if text else np.zeros(0, dtype=object)
    if column.holds is Holds.SHARES:
        return _shares(text.split(",")) if text else np.zeros(0)
    if column.holds is Holds.INSTANTS:
        instants = np.array(text.split(","), dtype="datetime64[us]") if text else np.zeros(0, dtype="datetime64[us]")
        return instants.astype(np.int64)
    numbers = np.fromstring(text, dtype=np.int64, sep=",")
    return numbers.astype(bool) if column.holds is Holds.TRUTHS else numbers


def _shares(texts: list[str]) -> NDArray[np.float64]:
    """Exact shares are a handful of different ones, over and over."""
    known = {text: float("nan") if text == "nan" else float(Fraction(text)) for text in set(texts)}
    return np.array([known[text] for text in texts])
