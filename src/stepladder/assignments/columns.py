"""The stored reasons, spans and waivers as columns, kept between boards, so that a board is arithmetic."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass, field, replace
from datetime import date
from threading import Lock

import numpy as np
from django.db.models import Max
from numpy.typing import NDArray

from stepladder.accounts.organisation import organisation
from stepladder.assignments.column_cache import store_tables, stored_tables
from stepladder.assignments.column_reading import Tables, read_tables
from stepladder.assignments.models import Assignment, Moved
from stepladder.assignments.moved_tables import MovedTables
from stepladder.core.columns import (
    LinkColumns,
    ReasonColumns,
    RequirementColumns,
    StatusColumns,
    WaiverColumns,
    is_one_of,
    latest_links,
    statuses_on,
)
from stepladder.core.path_columns import path_columns, stage_counts
from stepladder.core.requirements import WORST_FIRST
from stepladder.courses.models import PathEdition
from stepladder.courses.paths import plan_of
from stepladder.courses.standing import PathStanding

__all__ = [
    "Everything",
    "asked_by",
    "asked_columns",
    "assignment_counts",
    "everything",
    "moved_since",
    "newest_change",
    "note_moved",
    "open_reasons",
    "path_columns_on",
    "path_standing",
    "path_standings",
    "requirement_columns",
]

# Where so many rows are in them, columns are kept on disk; fewer are read quicker than they are found there.
WORTH_STORING = 200_000
# Of so many people who moved since they were kept, columns are kept anew.
MANY_MOVED = 1_000
# So many rows are read in the time in which one person's are picked out and sorted in.
ROWS_A_MOVE = 400
# The statuses of so many days are kept: most often today's alone is asked for, page after page.
MOST_DAYS = 2

# How many stand how: a row an assignment, by its key; a column a status, by its place in WORST_FIRST.
Counts = NDArray[np.int64]


@dataclass(frozen=True, eq=False)
class OnADay:
    """What follows from all columns for a day: the requirements, and how many stand how by each assignment."""

    requirements: RequirementColumns
    by_assignment: Counts
    by_path_assignment: Counts


@dataclass(frozen=True, eq=False)
class Everything:
    """All columns, and the number of the newest change that is in them."""

    change: int
    tables: Tables | MovedTables
    # Whether they are on disk, and how many people moved since they were.
    is_stored: bool = False
    moved_since: int = 0
    # Statuses worked out from them, by what was asked: they go with the rows that they follow from.
    days: OrderedDict[tuple[date, date, int], OnADay] = field(default_factory=OrderedDict)

    @property
    def is_large(self) -> bool:
        return self.tables.size >= WORTH_STORING


_cache: list[Everything] = []
_reading, _counting = Lock(), Lock()


def note_moved(people: Iterable[int] | None) -> None:
    """Write down whose rows changed (None: everybody's), for every process that keeps columns."""
    if people is None:
        Moved.objects.filter(person__isnull=True).delete()
        Moved.objects.create(person=None)
        return
    keys = sorted(set(people))
    # One row a person, always with the newest number: the table stays as long as there are people.
    Moved.objects.filter(person__in=keys).delete()
    Moved.objects.bulk_create([Moved(person_id=key) for key in keys], batch_size=500)


def everything() -> Everything:
    """The columns; of those read before, only the rows of people who moved since are read again."""
    # One thread reads for all: what takes a large firm's second or ten is not done twice at once.
    with _reading:
        # The number is read before the rows: what is written in between is read once more the next time.
        newest = _newest()
        if not _cache or _cache[0].change != newest:
            _cache[:] = [_read(newest)]
        return _cache[0]


def _newest() -> int:
    return Moved.objects.aggregate(newest=Max("pk"))["newest"] or 0


def _read(newest: int) -> Everything:
    before = _cache[0] if _cache else _from_disk()
    if before and before.change > newest:
        # Another process has kept them on disk since the number was read.
        newest = _newest()
    moved = _moved_since(before, newest) if before else None
    found = _with_anew(before, newest, moved) if before and moved is not None else Everything(newest, read_tables())
    if found.is_large and (not found.is_stored or found.moved_since > MANY_MOVED):
        store_tables(newest, found.tables.whole())
        # What others map as well is no memory of this process. What could not be written, or is another's by now, is not taken.
        mapped = _from_disk()
        if mapped and mapped.change == found.change:
            found = replace(mapped, days=found.days)
    return found


def _from_disk() -> Everything | None:
    stored = stored_tables()
    return Everything(*stored, is_stored=True) if stored else None


def _moved_since(before: Everything, newest: int) -> list[int] | None:
    """Whose rows changed since; None where it was everybody's, or where the columns are of another database's future."""
    moved = moved_since(before.change, newest)
    # Beyond that, picking out and sorting in takes longer than reading all anew.
    return None if moved is None or len(moved) > max(before.tables.size // ROWS_A_MOVE, 100) else moved


def moved_since(change: int, newest: int) -> list[int] | None:
    """Whose reasons, spans or waivers changed after a number of the newest change; None where it may be anybody's."""
    # A restore: the numbers begin again from what was backed up.
    if newest < change:
        return None
    moved = list(Moved.objects.filter(pk__gt=change).values_list("person_id", flat=True))
    return None if None in moved else [key for key in moved if key is not None]


def _with_anew(old: Everything, change: int, people: Sequence[int]) -> Everything:
    """The columns with the rows of these people read again. What was worked out of the days asked for last is brought up to date."""
    if not people:
        return replace(old, change=change)
    keys = sorted(set(people))
    more = read_tables(keys)
    new = Everything(
        change,
        old.tables.replaced(keys, more) if isinstance(old.tables, MovedTables) else MovedTables(old.tables, keys, more),
        is_stored=old.is_stored,
        moved_since=old.moved_since + len(keys),
    )
    with _counting:
        days = list(old.days.items())
    for (day, known_on, soon), worked_out in days:
        before, after = (_statuses(stored.tables.of(keys), day, known_on, soon) for stored in (old, new))
        counts = _difference(worked_out.by_assignment, before.by_assignment(), after.by_assignment())
        requirements = worked_out.requirements.replaced(keys, after.merged())
        new.days[day, known_on, soon] = OnADay(requirements, counts, _path_counts(new.tables, day, known_on, soon))
    return new


def _difference(counts: Counts, less: Counts, more: Counts) -> Counts:
    found = np.zeros((max(len(counts), len(more)), counts.shape[1]), dtype=np.int64)
    found[: len(counts)] = counts
    found[: len(less)] -= less
    found[: len(more)] += more
    return found


def requirement_columns(*, day: date, known_on: date) -> RequirementColumns:
    """Every open requirement on a day, as known on a day. Rule: 5."""
    return _worked_out(everything(), day, known_on).requirements


def assignment_counts(assignment: Assignment, *, day: date, known_on: date) -> Counts:
    """How many people stand how by an assignment on a day, by place in WORST_FIRST; of a path, how they stand with the path."""
    found = _worked_out(everything(), day, known_on)
    counts = found.by_assignment if assignment.path_id is None else found.by_path_assignment
    return counts[assignment.pk] if assignment.pk < len(counts) else np.zeros(len(WORST_FIRST), dtype=np.int64)


def asked_by(assignment: Assignment, *, day: date, known_on: date) -> RequirementColumns:
    """The requirements of whoever an assignment asks something of on a day: for its course, or its path."""
    stored = everything()
    tables = stored.tables
    if assignment.course_id is not None:
        asked, reasons = _worked_out(stored, day, known_on).requirements, tables.reasons
        asked = asked.where(asked.course == assignment.course_id)
    else:
        asked, reasons = _path_statuses(tables, day, known_on, organisation().soon_days).merged(), tables.paths
        asked = asked.where(asked.course == assignment.path_id)
    of_assignment = reasons.where(reasons.assignment == assignment.pk).on(day=day, known_on=known_on)
    return asked.where(is_one_of(asked.person, of_assignment.person))


def path_standing(edition: PathEdition, *, day: date, seen: Collection[int] | None) -> PathStanding | None:
    """Where those who are asked to climb a path stand on a day, None where nobody is; of *seen* people only, None: of everybody."""
    return path_standings([edition], day=day, seen=seen).get(edition.path_id)


def path_standings(
    editions: Sequence[PathEdition], *, day: date, seen: Collection[int] | None
) -> dict[int, PathStanding]:
    """The same of several paths, by path, with as many queries as of one; those that nobody is asked to climb are left out."""
    stored = everything()
    asked = stored.tables.paths.on(day=day, known_on=day)
    by_path = _path_statuses(stored.tables, day, day, organisation().soon_days).merged()
    latest = latest_links(stored.tables.links, day=day, known_on=day)
    waivers = stored.tables.waivers.known_on(day)
    found = {}
    for edition in editions:
        people = np.unique(asked.person[asked.course == edition.path_id])
        if seen is not None:
            people = people[is_one_of(people, seen)]
        if not len(people):
            continue
        stages = stage_counts(
            plan_of(edition),
            people,
            _worked_out(stored, day, day).requirements,
            by_path.where(by_path.course == edition.path_id),
            latest,
            waivers,
            day=day,
        )
        reached = len(people) - sum(stage.here for stage in stages)
        found[edition.path_id] = PathStanding(len(people), reached, stages)
    return found


def _statuses(tables: Tables | MovedTables, day: date, known_on: date, soon: int) -> StatusColumns:
    return statuses_on(tables.reasons, tables.links, tables.waivers, day=day, known_on=known_on, soon_days=soon)


def _path_counts(tables: Tables | MovedTables, day: date, known_on: date, soon: int) -> Counts:
    # Worked out of everybody each time: they follow from the editions of paths too, of which no row here tells.
    return _path_statuses(tables, day, known_on, soon).by_assignment()


def _path_statuses(tables: Tables | MovedTables, day: date, known_on: date, soon: int) -> StatusColumns:
    """How everybody stands with the paths that are asked of them; *course* is the path."""
    asked = tables.paths.on(day=day, known_on=known_on)
    held, waived = [], []
    if len(asked):
        latest = latest_links(tables.links, day=day, known_on=known_on)
        waivers = tables.waivers.known_on(known_on)
        paths = np.unique(asked.course).tolist()
        for edition in PathEdition.objects.known_on(known_on).filter(path__in=paths).order_by("path_id"):
            people = np.unique(asked.person[asked.course == edition.path_id])
            of_path = path_columns(plan_of(edition), edition.path_id, people, latest, waivers, day=day)
            held.append(of_path[0])
            waived.append(of_path[1])
    return statuses_on(
        asked,
        LinkColumns.all_of(held),
        WaiverColumns.all_of(waived),
        day=day,
        known_on=known_on,
        soon_days=soon,
    )


def _worked_out(stored: Everything, day: date, known_on: date) -> OnADay:
    """What follows for a day. Of the days asked for last it is kept."""
    soon = organisation().soon_days
    asked = (day, known_on, soon)
    # Threads share them: one works a day out, the others wait for it.
    with _counting:
        if asked not in stored.days:
            statuses = _statuses(stored.tables, day, known_on, soon)
            # What a path asks of its courses is counted as the path.
            counts = statuses.by_assignment(), _path_counts(stored.tables, day, known_on, soon)
            stored.days[asked] = OnADay(statuses.merged(), *counts)
        stored.days.move_to_end(asked)
        while len(stored.days) > MOST_DAYS:
            stored.days.popitem(last=False)
        return stored.days[asked]


def asked_columns(*, day: date, is_path: bool, people: Sequence[int] | None = None) -> RequirementColumns:
    """What is asked on a day as known on it: of courses, or of paths (*course* is the path); of these people (in order), None: of
    everybody."""
    stored, soon = everything(), organisation().soon_days
    if is_path:
        return _path_statuses(_tables_of(stored, people), day, day, soon).merged()
    if people is None:
        return _worked_out(stored, day, day).requirements
    return _statuses(_tables_of(stored, people), day, day, soon).merged()


def path_columns_on(*, day: date, known_on: date, links: LinkColumns | None = None) -> RequirementColumns:
    """How everybody stands on a day with the paths that are asked of them, as known on a day; *course* is the path. *links*: instead of
    those that are stored."""
    tables = everything().tables
    tables = tables if links is None else tables.whole()._replace(links=links)
    return _path_statuses(tables, day, known_on, organisation().soon_days).merged()


def open_reasons(*, day: date, is_path: bool, people: Sequence[int] | None = None) -> ReasonColumns:
    """The open reasons that `asked_columns` comes from."""
    tables = _tables_of(everything(), people)
    return (tables.paths if is_path else tables.reasons).on(day=day, known_on=day)


def _tables_of(stored: Everything, people: Sequence[int] | None) -> Tables | MovedTables:
    return stored.tables if people is None else stored.tables.of(people)


def newest_change() -> int:
    """The number of the newest change of anybody's reasons, spans or waivers: what was worked out from the columns holds as long as it
    is the same."""
    return _newest()
