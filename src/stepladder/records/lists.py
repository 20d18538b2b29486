"""Who stands how, as lists: filtered, sorted and counted on arrays; only the rows that are shown are made."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import date
from typing import Any

import numpy as np
from numpy.typing import NDArray

from stepladder.charts.dated_charts import positions_tree, units_tree
from stepladder.charts.models import Position, Unit
from stepladder.core.columns import NO_DAY, RequirementColumns, is_one_of
from stepladder.core.requirements import LATE, WORST_FIRST, Status
from stepladder.courses.models import Course, Path
from stepladder.people.models import Person, Placement
from stepladder.people.name_order import names
from stepladder.people.queries import places_of
from stepladder.records.attending import path_requirement_columns, requirement_columns
from stepladder.records.list_columns import Filters, ListRow, list_columns
from stepladder.web.tables import LazyRows

__all__ = [
    "StatusRows",
    "by_course",
    "by_due",
    "by_late",
    "by_name",
    "by_status",
    "by_valid",
    "one_key",
    "people_below",
    "status_rows",
]

# A walk through all rows makes so many at a time.
PIECE = 2_000


class StatusRows(LazyRows[ListRow]):
    """The requirements that fit, in order; a slice makes its rows, with a few queries for any number of them.

    *which* are the rows of all columns that fit, *keys* a number for each by which they are ordered, no two the same.
    """

    def __init__(
        self, columns: RequirementColumns, which: NDArray[np.int64], keys: NDArray[np.int64], filters: Filters
    ) -> None:
        self.columns, self.which, self.keys, self.filters = columns, which, keys, filters

    def __len__(self) -> int:
        return len(self.which)

    def made(self, start: int, stop: int) -> list[ListRow]:
        return self._made(self.which[self._order(start, stop)])

    def __iter__(self) -> Iterator[ListRow]:
        for piece in self.pieces():
            yield from piece

    def pieces(self) -> Iterator[list[ListRow]]:
        """All rows, piece by piece."""
        order = np.argsort(self.keys)
        for at in range(0, len(self), PIECE):
            yield self._made(self.which[order[at : at + PIECE]])

    def _order(self, start: int, stop: int) -> NDArray[np.int64]:
        """The places from *start* to *stop*: of millions of rows only those up to them, from the nearer end, are sorted."""
        if start > len(self) // 2:
            last = len(self) - start
            ends = np.argpartition(~self.keys, last - 1)[:last]
            ends = ends[np.argsort(self.keys[ends])]
            return ends[: stop - start]
        first = np.argpartition(self.keys, stop - 1)[:stop]
        found: NDArray[np.int64] = first[np.argsort(self.keys[first])][start:]
        return found

    def without(self, status: Status) -> StatusRows:
        """The others, in the same order."""
        keep = self.columns.rank[self.which] != WORST_FIRST.index(status)
        return StatusRows(self.columns, self.which[keep], self.keys[keep], self.filters)

    def counts(self) -> dict[Status, int]:
        """How many have which status."""
        counts = np.bincount(self.columns.rank[self.which], minlength=len(WORST_FIRST)).tolist()
        return {status: n for status, n in zip(WORST_FIRST, counts, strict=True) if n}

    def expiring(self, after: date, until: date) -> int:
        """How many are valid beyond one day, and not beyond another."""
        valid = self.columns.valid_until[self.which]
        return int(((valid > after.toordinal()) & (valid <= until.toordinal())).sum())

    def _made(self, which: NDArray[np.int64]) -> list[ListRow]:
        found = self.columns.picked(which)
        people = Person.objects.in_bulk(list(set(found.person.tolist())))
        things: Any = Path.objects if self.filters.path else Course.objects
        courses = things.in_bulk(list(set(found.course.tolist())))
        places = places_of(people.keys(), self.filters.day, known_on=self.filters.known_on)
        late = _days_late(found, self.filters.day).tolist()
        return [
            ListRow(
                people[person],
                courses[course],
                WORST_FIRST[rank],
                _day(due),
                _day(valid),
                places.get(person, ""),
                late[n] if WORST_FIRST[rank] in LATE else None,
                mandatory,
            )
            for n, (person, course, rank, due, valid, mandatory) in enumerate(
                zip(
                    found.person.tolist(),
                    found.course.tolist(),
                    found.rank.tolist(),
                    found.due.tolist(),
                    found.valid_until.tolist(),
                    found.mandatory.tolist(),
                    strict=True,
                )
            )
        ]


def status_rows(filters: Filters, *, sort: str) -> StatusRows:
    """The requirements that fit, sorted; *sort* is the key of a column that sorts, with a minus for the other way round."""
    read = path_requirement_columns if filters.path else requirement_columns
    columns = read(day=filters.day, known_on=filters.known_on, attending=filters.attending)
    which = np.flatnonzero(_fits(columns, filters))
    sorting = next((c.sort for c in list_columns() if c.sort and c.key == sort.lstrip("-")), by_late)
    keys = one_key(sorting(columns, filters.day), which)
    return StatusRows(columns, which, -keys if sort.startswith("-") else keys, filters)


def one_key(arrays: Sequence[NDArray[Any]], which: NDArray[np.int64]) -> NDArray[np.int64]:
    """For some rows one number each that orders as the arrays do, the first of them first; rows that tie in the order they have."""
    spans = [(int(array.min(initial=0)), int(array.max(initial=0))) for array in arrays]
    room = 1
    for least, most in spans:
        room *= most - least + 1
    count = max(len(arrays[0]), 1)
    if room * count >= 2**62:
        # Too many to be told apart by one number: their places in the sorted order.
        order = np.lexsort([array[which] for array in arrays][::-1])
        keys = np.empty(len(which), dtype=np.int64)
        keys[order] = np.arange(len(which))
        return keys
    keys = np.zeros(len(which), dtype=np.int64)
    for array, (least, most) in zip(arrays, spans, strict=True):
        keys = keys * (most - least + 1) + (array[which].astype(np.int64) - least)
    return keys * count + which


def _fits(columns: RequirementColumns, filters: Filters) -> NDArray[np.bool_]:
    keep = np.ones(len(columns), dtype=bool) if filters.with_suggested else columns.mandatory.copy()
    if filters.scope is not None:
        keep &= is_one_of(columns.person, filters.scope)
    if filters.course:
        keep &= columns.course == filters.course.pk
    if filters.path:
        keep &= columns.course == filters.path.pk
    if filters.person:
        keep &= columns.person == filters.person.pk
    if filters.position:
        keep &= is_one_of(columns.person, _people_at(filters.position, filters.day, filters.known_on))
    if filters.statuses:
        keep &= columns.stands(filters.statuses)
    if filters.unit:
        keep &= is_one_of(columns.person, people_below(filters.unit, filters.day, filters.known_on))
    if filters.text:
        keep &= is_one_of(columns.person, names().found_by(filters.text))
    if filters.due_from:
        keep &= columns.due >= filters.due_from.toordinal()
    if filters.due_to:
        keep &= columns.due <= filters.due_to.toordinal()
    if filters.expires_to:
        keep &= (columns.valid_until > 0) & (columns.valid_until <= filters.expires_to.toordinal())
    return keep


def people_below(unit: Unit, day: date, known_on: date) -> list[int]:
    """Who is placed in a unit, or below it, on a day as known on a day."""
    tree = units_tree(day, known_on)
    below = tree.below(unit.pk) if unit.pk in tree.parent else ()
    rows = Placement.objects.known_on(known_on).filter(from_day__lte=day, unit__in=below).exclude(to_day__lt=day)
    return list(rows.values_list("person_id", flat=True))


def _people_at(position: Position, day: date, known_on: date) -> list[int]:
    tree = positions_tree(day, known_on)
    below = tree.below(position.pk) if position.pk in tree.parent else ()
    rows = Placement.objects.known_on(known_on).filter(from_day__lte=day, position__in=below).exclude(to_day__lt=day)
    return list(rows.values_list("person_id", flat=True))


def _name_order(columns: RequirementColumns) -> NDArray[np.int32]:
    found: NDArray[np.int32] = names().order[columns.person]
    return found


def _title_order(columns: RequirementColumns) -> NDArray[np.int32]:
    titles = Course.objects.filter(pk__in=np.flatnonzero(np.bincount(columns.course)).tolist()).order_by("title", "pk")
    order = np.zeros(int(columns.course.max(initial=0)) + 1, dtype=np.int32)
    for n, key in enumerate(titles.values_list("pk", flat=True)):
        order[key] = n
    found: NDArray[np.int32] = order[columns.course]
    return found


def _valid(columns: RequirementColumns) -> NDArray[np.int32]:
    """What never was valid stands last."""
    return np.where(columns.valid_until > 0, columns.valid_until, NO_DAY)


def _days_late(columns: RequirementColumns, day: date) -> NDArray[np.int32]:
    """For how many days each is late, 0 for who is not: since it lapsed, or since it was due."""
    lapsed = columns.stands([Status.LAPSED]) & (columns.valid_until > 0)
    since = np.where(lapsed, columns.valid_until, columns.due)
    is_late = columns.stands(LATE) & (since != NO_DAY)
    return np.where(is_late, day.toordinal() - since, 0)


def by_name(columns: RequirementColumns, day: date) -> list[NDArray[Any]]:
    return [_name_order(columns), _title_order(columns)]


def by_course(columns: RequirementColumns, day: date) -> list[NDArray[Any]]:
    return [_title_order(columns), _name_order(columns)]


def by_status(columns: RequirementColumns, day: date) -> list[NDArray[Any]]:
    """The worst first, of those the first due."""
    return [columns.rank, columns.due, _name_order(columns)]


def by_due(columns: RequirementColumns, day: date) -> list[NDArray[Any]]:
    return [columns.due, _name_order(columns)]


def by_valid(columns: RequirementColumns, day: date) -> list[NDArray[Any]]:
    return [_valid(columns), _name_order(columns)]


def by_late(columns: RequirementColumns, day: date) -> list[NDArray[Any]]:
    """The longest late first."""
    return [-_days_late(columns, day), _name_order(columns)]


def _day(ordinal: int) -> date | None:
    return None if ordinal <= 0 or ordinal == NO_DAY else date.fromordinal(ordinal)
