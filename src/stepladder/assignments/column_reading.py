"""Stored reasons, spans and waivers as arrays: a large firm has millions of them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from datetime import date
from typing import Any, NamedTuple, TypeVar

import numpy as np
from django.db.models import Max, QuerySet

from stepladder.arrays import Column, Holds, joined_columns
from stepladder.assignments.models import PathReason, Reason, Waiver
from stepladder.core.columns import LinkColumns, ReasonColumns, WaiverColumns
from stepladder.core.days import FOREVER
from stepladder.learning.models import ValiditySpan

__all__ = ["Tables", "links_of", "read_tables"]

Columns = TypeVar("Columns", ReasonColumns, LinkColumns, WaiverColumns)
# Field of the arrays → column of the table.
REASON_COLUMNS = {
    "person": "person_id",
    "course": "course_id",
    "assignment": "assignment_id",
    "first": "first",
    "last": "last",
    "opened": "opened",
    "due": "due",
    "notice": "notice_days",
    "taken_from": "taken_from",
    "mandatory": "is_mandatory",
    "known_from": "known_from",
    "known_to": "known_to",
}
PATH_REASON_COLUMNS = REASON_COLUMNS | {"course": "path_id"}
LINK_COLUMNS = {
    "person": "person_id",
    "course": "course_id",
    "first": "first",
    "taken": "taken",
    "valid_until": "valid_until",
    "window": "window_days",
    "grace": "grace_days",
    "known_from": "known_from",
    "known_to": "known_to",
}
WAIVER_COLUMNS = {
    "person": "person_id",
    "course": "course_id",
    "first": "from_day",
    "last": "to_day",
    "known_from": "recorded_on",
    "known_to": "revoked_on",
}
# Days that are none: any completion counts; for all others it is never.
ANY = date.min
DAYS = frozenset({"first", "last", "opened", "due", "taken_from", "taken", "valid_until", "known_from", "known_to"})
# Databases take so many keys in one condition, and give so many rows of a table at once.
PIECE_OF_PEOPLE, PIECE_OF_ROWS = 5_000, 100_000
# Of so many people rows are read one by one.
FEW_PEOPLE = 20


class Tables(NamedTuple):
    """The columns of reasons, of those for paths (*course* is the path), of validity spans and of waivers."""

    reasons: ReasonColumns
    paths: ReasonColumns
    links: LinkColumns
    waivers: WaiverColumns

    @property
    def size(self) -> int:
        """How many reasons and spans there are."""
        return len(self.reasons) + len(self.links)

    def whole(self) -> Tables:
        """All rows: these."""
        return self

    def of(self, people: Sequence[int]) -> Tables:
        """The rows of these people, who are in order."""
        return Tables._make(rows.of(people) for rows in self)

    def replaced(self, people: Sequence[int], more: Tables) -> Tables:
        """The rows of these people, who are in order, replaced by *more* of the same."""
        return Tables._make(old.replaced(people, new) for old, new in zip(self, more, strict=True))


def read_tables(people: Sequence[int] | None = None) -> Tables:
    """The rows of these people, or of everybody, as they are stored."""
    return Tables(
        _read(ReasonColumns, Reason.objects.all(), REASON_COLUMNS, people),
        _read(ReasonColumns, PathReason.objects.all(), PATH_REASON_COLUMNS, people),
        _read(LinkColumns, ValiditySpan.objects.all(), LINK_COLUMNS, people),
        _read(WaiverColumns, Waiver.objects.all(), WAIVER_COLUMNS, people),
    )


def _read(kind: type[Columns], rows: QuerySet[Any], of: Mapping[str, str], people: Sequence[int] | None) -> Columns:
    pieces = [kind.none()]
    if people is None:
        last = rows.aggregate(last=Max("pk"))["last"] or 0
        for at in range(0, last, PIECE_OF_ROWS):
            pieces.append(_piece(kind, rows.filter(pk__gt=at, pk__lte=at + PIECE_OF_ROWS), of))
    elif len(people) <= FEW_PEOPLE:
        pieces.append(_few(kind, rows.filter(person__in=people), of))
    else:
        for at in range(0, len(people), PIECE_OF_PEOPLE):
            pieces.append(_piece(kind, rows.filter(person__in=people[at : at + PIECE_OF_PEOPLE]), of))
    return kind.all_of(pieces)


def _piece(kind: type[Columns], rows: QuerySet[Any], of: Mapping[str, str]) -> Columns:
    """Some rows, column by column."""
    arrays = joined_columns(rows, {field: _column(field, name) for field, name in of.items()})
    if "taken_from" in arrays:
        arrays["taken_from"] = np.where(arrays["taken_from"] == ANY.toordinal(), 0, arrays["taken_from"])
    narrow: dict[str, Any] = {field: v if v.dtype == bool else v.astype(np.int32) for field, v in arrays.items()}
    return kind(**narrow)


def _few(kind: type[Columns], rows: QuerySet[Any], of: Mapping[str, str]) -> Columns:
    """Some rows of a few people, row by row: for them alone one statement of all columns takes longer to say than to answer."""
    found = list(rows.values_list(*of.values()))
    columns = zip(*found, strict=True) if found else ((),) * len(of)
    arrays: dict[str, Any] = {}
    for field, values in zip(of, columns, strict=True):
        if field in DAYS:
            # Of no day: any completion counts (taken_from), for all others it is never.
            none = 0 if field == "taken_from" else FOREVER.toordinal()
            arrays[field] = np.array(
                [none if day is None or day == ANY else day.toordinal() for day in values], dtype=np.int32
            )
        else:
            # What nobody assigned, since one chose it oneself, is of assignment 0.
            numbers = [value or 0 for value in values]
            arrays[field] = np.array(numbers, dtype=bool if field == "mandatory" else np.int32)
    return kind(**arrays)


def _column(field: str, name: str) -> Column:
    if field in DAYS:
        return Column(name, Holds.DAYS, none=ANY if field == "taken_from" else FOREVER)
    return Column(name, Holds.TRUTHS if field == "mandatory" else Holds.NUMBERS)


def links_of(spans: Iterable[ValiditySpan]) -> LinkColumns:
    """Spans, stored or not, as columns."""
    rows = list(spans)

    def values(column: str) -> list[int]:
        read = (getattr(row, column) for row in rows)
        return [value.toordinal() if isinstance(value, date) else value for value in read]

    arrays = {field: np.array(values(column), dtype=np.int32) for field, column in LINK_COLUMNS.items()}
    return LinkColumns(**arrays).ordered()
