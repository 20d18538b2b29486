"""Tables: the column that sorts, the page one is on, and the addresses of the others."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Generic, TypeVar, overload

from django.core.paginator import Paginator
from django.db.models import F, QuerySet
from django.http import HttpRequest

__all__ = ["Column", "LazyRows", "Page", "page_of", "sorted_by"]

Row = TypeVar("Row")
PER_PAGE = 50
# A walk through all rows makes so many at a time.
PIECE = 500


@dataclass(frozen=True)
class Column:
    """A column's head: its label, the address that sorts by it, and how it sorts now."""

    label: str
    url: str = ""
    sort: str = ""
    numeric: bool = False


@dataclass(frozen=True)
class Page(Generic[Row]):
    """One page of rows with the addresses of its neighbours."""

    rows: Sequence[Row]
    columns: list[Column]
    number: int
    pages: int
    total: int
    previous_url: str
    next_url: str
    per_page: int = PER_PAGE

    @property
    def first(self) -> int:
        return (self.number - 1) * self.per_page + 1 if self.total else 0

    @property
    def last(self) -> int:
        return min(self.number * self.per_page, self.total)


class LazyRows(Sequence[Row]):
    """Rows of which only those that are asked for are made: who extends it says how many there are, and makes a slice of them."""

    def made(self, start: int, stop: int) -> list[Row]:
        """The rows from *start* up to before *stop*, with a number of queries that does not grow with them."""
        raise NotImplementedError

    @overload
    def __getitem__(self, at: int) -> Row: ...
    @overload
    def __getitem__(self, at: slice) -> list[Row]: ...
    def __getitem__(self, at: int | slice) -> Row | list[Row]:
        if isinstance(at, int):
            at = range(len(self))[at]
            return self.made(at, at + 1)[0]
        start, stop, _ = at.indices(len(self))
        return self.made(start, stop) if stop > start else []

    def __iter__(self) -> Iterator[Row]:
        # Piece by piece: one by one each row would cost the queries of a page.
        for start in range(0, len(self), PIECE):
            yield from self.made(start, min(start + PIECE, len(self)))


def sorted_by(request: HttpRequest, allowed: Mapping[str, Sequence[str]], default: str) -> tuple[str, list[Any]]:
    """The sort asked for (`?sort=name` or `-name`) if it is allowed, and what to order by; empty values last."""
    asked = request.GET.get("sort", default)
    if asked.lstrip("-") not in allowed:
        asked = default
    down = asked.startswith("-")
    order = [
        F(name).desc(nulls_last=True) if down else F(name).asc(nulls_last=True) for name in allowed[asked.lstrip("-")]
    ]
    return asked, order


def page_of(
    request: HttpRequest,
    rows: QuerySet[Any] | Sequence[Any],
    heads: Sequence[tuple[str, str]],
    *,
    sort: str = "",
    numeric: frozenset[str] = frozenset(),
    per_page: int = PER_PAGE,
) -> Page[Any]:
    """The page asked for. *heads* are (label, key to sort by or "")."""
    found = Paginator(rows, per_page).get_page(request.GET.get("page"))
    columns = []
    for label, key in heads:
        now = {key: "ascending", f"-{key}": "descending"}.get(sort, "") if key else ""
        url = _with(request, sort=f"-{key}" if now == "ascending" else key, page=None) if key else ""
        columns.append(Column(label, url, now, key in numeric))
    return Page(
        list(found.object_list),
        columns,
        found.number,
        found.paginator.num_pages,
        found.paginator.count,
        _with(request, page=found.number - 1) if found.has_previous() else "",
        _with(request, page=found.number + 1) if found.has_next() else "",
        per_page,
    )


def _with(request: HttpRequest, **changes: Any) -> str:
    query = request.GET.copy()
    for key, value in changes.items():
        query.pop(key, None)
        if value is not None:
            query[key] = str(value)
    return "?" + query.urlencode()
