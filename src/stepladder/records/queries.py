"""Boards and lists: who stands how, on any day."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date

import numpy as np
from numpy.typing import NDArray

from stepladder.assignments.queries import requirements
from stepladder.core.board import NO_DAY, Cell, RequirementColumns, board_cells
from stepladder.core.days import FOREVER
from stepladder.core.requirements import LATE, WORST_FIRST, Status
from stepladder.courses.models import Course
from stepladder.people.models import Chart, Person, Placement, Unit
from stepladder.people.queries import units_tree
from stepladder.records.columns import requirement_columns

__all__ = [
    "Board",
    "BoardCell",
    "BoardRow",
    "Filters",
    "Forecast",
    "ListRow",
    "board",
    "forecast",
    "late_count",
    "late_summary",
    "requirements_of",
    "standing_rows",
]

EVERYONE = 0


def pairs_on(day: date, known_on: date, chart: Chart | None) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """(unit, person): every unit of the chart that a person rolls up to on a day, each once; unit 0 is everyone."""
    tree = units_tree(day, known_on)
    own = set(Unit.objects.filter(chart=chart).values_list("pk", flat=True)) if chart else set(tree.parent)
    units = own & set(tree.parent)
    rows = Placement.objects.known_on(known_on).filter(from_day__lte=day).exclude(to_day__lt=day)
    pairs = {
        (up, person)
        for unit, person in rows.values_list("unit_id", "person_id")
        if unit in units
        for up in tree.upwards(unit)
    }
    pairs |= {(EVERYONE, person) for person in Person.objects.values_list("pk", flat=True)}
    ordered = sorted(pairs)
    return np.array([u for u, _ in ordered], dtype=np.int64), np.array([p for _, p in ordered], dtype=np.int64)


@dataclass(frozen=True)
class BoardCell:
    """A cell: its rate, how many are late, and the bar's three parts in percent of all who are asked."""

    course: str
    rate: int | None
    late: int
    cell: Cell | None

    @property
    def shares(self) -> tuple[float, float, float]:
        """Covered, not yet due, late; waived people are in none."""
        if self.cell is None or not self.cell.all:
            return 0.0, 0.0, 0.0
        covered, late = self.cell.covered, self.cell.late
        open_ = self.cell.all - covered - late - self.cell.of(Status.WAIVED)
        shares = [round(30 * n / self.cell.all, 2) for n in (covered, open_, late)]
        return shares[0], shares[1], shares[2]

    @property
    def open_x(self) -> tuple[float, float] | None:
        """Where the part that is not yet due begins and ends."""
        covered, open_, _ = self.shares
        return (round(2 + covered, 2), round(2 + covered + open_, 2)) if open_ else None

    @property
    def late_x(self) -> float:
        """Where the late part begins: it ends at the bar's end."""
        return round(32 - self.shares[2], 2)


@dataclass(frozen=True)
class BoardRow:
    """A unit with its cells."""

    key: int
    name: str
    public_id: str
    depth: int
    people: int
    cells: list[BoardCell]


@dataclass(frozen=True)
class Board:
    """Units × courses on a day."""

    courses: list[Course]
    rows: list[BoardRow]
    day: date


def board(
    *,
    day: date,
    known_on: date,
    rate: str,
    chart: Chart | None,
    only: Sequence[str] = (),
    seen: frozenset[int] | None = None,
    attending: bool = False,
) -> Board:
    """The board: open mandatory requirements of those *seen* (None: all), each person once in every unit they roll up to.

    *attending*: as if everybody who is booked in a session attended it.
    """
    columns = requirement_columns(day=day, known_on=known_on, attending=attending)
    columns = _of_seen(columns.where(columns.mandatory), seen)
    units, people = pairs_on(day, known_on, chart)
    if seen is not None:
        here = np.isin(people, list(seen))
        units, people = units[here], people[here]
    cells = board_cells(columns, units, people)
    asked = {course for _, course in cells}
    courses = [c for c in Course.objects.order_by("title") if c.pk in asked and (not only or c.public_id in only)]
    counts = dict(zip(*(x.tolist() for x in np.unique(units, return_counts=True)), strict=True))
    rows = []
    if chart:
        nodes = {u.pk: u for u in Unit.objects.filter(chart=chart)}
        tree = units_tree(day, known_on)
        for key, depth in tree.walk():
            if key in nodes and counts.get(key):
                made = [_cell(cells, key, c, rate) for c in courses]
                rows.append(BoardRow(key, tree.name[key], nodes[key].public_id, depth, counts[key], made))
    active = len(set(people[units != EVERYONE].tolist()))
    rows.append(BoardRow(EVERYONE, "Everyone", "", 0, active, [_cell(cells, EVERYONE, c, rate) for c in courses]))
    return Board(courses, rows, day)


def _of_seen(columns: RequirementColumns, seen: frozenset[int] | None) -> RequirementColumns:
    return columns if seen is None else columns.where(np.isin(columns.person, list(seen)))


def _cell(cells: dict[tuple[int, int], Cell], unit: int, course: Course, rate: str) -> BoardCell:
    cell = cells.get((unit, course.pk))
    if cell is None:
        return BoardCell(course.public_id, None, 0, None)
    return BoardCell(course.public_id, cell.on_time_rate if rate == "on time" else cell.covered_rate, cell.late, cell)


@dataclass(frozen=True)
class Forecast:
    """The rate of everything mandatory on a day to come, by what is assumed until then. Rule: 5."""

    nobody_learns: int | None
    booked_attend: int | None


def forecast(*, day: date, known_on: date, rate: str, seen: frozenset[int] | None = None) -> Forecast:
    """Both rates of a day to come: nobody learns anything more; everybody who is booked attends."""
    rates = []
    for attending in (False, True):
        columns = _of_seen(requirement_columns(day=day, known_on=known_on, attending=attending), seen)
        ranks = np.bincount(columns.rank[columns.mandatory], minlength=len(WORST_FIRST))
        cell = Cell(tuple(ranks.tolist()))
        rates.append(cell.on_time_rate if rate == "on time" else cell.covered_rate)
    return Forecast(*rates)


@dataclass(frozen=True)
class Filters:
    """What a list of requirements is narrowed to. *statuses* empty: all; *seen* None: everybody."""

    day: date
    known_on: date
    text: str = ""
    unit: Unit | None = None
    course: Course | None = None
    statuses: frozenset[Status] = field(default_factory=frozenset)
    with_suggested: bool = False
    due_from: date | None = None
    due_to: date | None = None
    expires_to: date | None = None
    seen: frozenset[int] | None = None
    attending: bool = False


@dataclass(frozen=True)
class ListRow:
    """A person's requirement in a list."""

    person: Person
    course: Course
    status: Status
    due: date | None
    valid_until: date | None
    where: str
    days_late: int | None
    mandatory: bool

    @property
    def pair(self) -> tuple[int, int]:
        """Person and course."""
        return self.person.pk, self.course.pk

    @property
    def key(self) -> str:
        """The same as text, for templates."""
        return f"{self.person.pk}:{self.course.pk}"


SORTS = {"name", "course", "status", "due", "valid", "late"}


def standing_rows(filters: Filters, *, sort: str) -> list[ListRow]:
    """The requirements that fit, sorted; a page of them is cut by the caller."""
    columns = _of_seen(
        requirement_columns(day=filters.day, known_on=filters.known_on, attending=filters.attending), filters.seen
    )
    columns = _fitting(columns, filters)
    people = Person.objects.in_bulk(np.unique(columns.person).tolist())
    courses = Course.objects.in_bulk(np.unique(columns.course).tolist())
    places = _places(filters.day, filters.known_on, people.keys())
    rows = []
    for n in range(len(columns)):
        person = people[int(columns.person[n])]
        if filters.text and not _has(person, filters.text):
            continue
        status = WORST_FIRST[int(columns.rank[n])]
        due, valid = _day(int(columns.due[n])), _day(int(columns.valid_until[n]))
        late = None
        if status in LATE:
            since = valid if status is Status.LAPSED and valid else due
            late = (filters.day - since).days if since else None
        rows.append(
            ListRow(
                person,
                courses[int(columns.course[n])],
                status,
                due,
                valid,
                places.get(person.pk, ""),
                late,
                bool(columns.mandatory[n]),
            )
        )
    return _sorted(rows, sort)


def _fitting(columns: RequirementColumns, filters: Filters) -> RequirementColumns:
    keep = np.ones(len(columns), dtype=bool)
    if not filters.with_suggested:
        keep &= columns.mandatory
    if filters.course:
        keep &= columns.course == filters.course.pk
    if filters.statuses:
        keep &= np.isin(columns.rank, [WORST_FIRST.index(s) for s in filters.statuses])
    if filters.unit:
        units, people = pairs_on(filters.day, filters.known_on, filters.unit.chart)
        keep &= np.isin(columns.person, people[units == filters.unit.pk])
    if filters.due_from:
        keep &= columns.due >= filters.due_from.toordinal()
    if filters.due_to:
        keep &= columns.due <= filters.due_to.toordinal()
    if filters.expires_to:
        keep &= (columns.valid_until > 0) & (columns.valid_until <= filters.expires_to.toordinal())
    return columns.where(keep)


def _day(ordinal: int) -> date | None:
    return None if ordinal <= 0 or ordinal == NO_DAY else date.fromordinal(ordinal)


def _has(person: Person, text: str) -> bool:
    words = text.lower().split()
    hay = f"{person.given_name} {person.family_name} {person.employee_number}".lower()
    return all(word in hay for word in words)


def _places(day: date, known_on: date, people: Iterable[int]) -> dict[int, str]:
    rows = (
        Placement.objects.known_on(known_on)
        .filter(from_day__lte=day, person__in=list(people))
        .exclude(to_day__lt=day)
        .order_by("from_day")
        .values_list("person_id", "unit__name", "position__name")
    )
    found: dict[int, list[str]] = {}
    for person, unit, position in rows:
        found.setdefault(person, []).append(f"{unit}, {position}" if position else unit)
    return {person: "; ".join(names) for person, names in found.items()}


def _sorted(rows: list[ListRow], sort: str) -> list[ListRow]:
    keys = {
        "name": lambda r: (r.person.family_name, r.person.given_name, r.course.title),
        "course": lambda r: (r.course.title, r.person.family_name, r.person.given_name),
        "status": lambda r: (WORST_FIRST.index(r.status), r.due or FOREVER, r.person.family_name),
        "due": lambda r: (r.due or FOREVER, r.person.family_name),
        "valid": lambda r: (r.valid_until or FOREVER, r.person.family_name),
        "late": lambda r: (-(r.days_late or 0), r.person.family_name),
    }
    name = sort.lstrip("-")
    return sorted(rows, key=keys[name if name in SORTS else "late"], reverse=sort.startswith("-"))


def _late(day: date, seen: frozenset[int] | None) -> RequirementColumns:
    columns = _of_seen(requirement_columns(day=day, known_on=day), seen)
    return columns.where(columns.mandatory & np.isin(columns.rank, [WORST_FIRST.index(s) for s in LATE]))


def late_count(day: date, seen: frozenset[int] | None = None) -> int:
    """How many of those seen are late with something mandatory on a day."""
    return len(np.unique(_late(day, seen).person))


def late_summary(day: date, seen: frozenset[int] | None = None) -> tuple[int, list[tuple[str, int]]]:
    """How many of those seen are late with something mandatory on a day; and per course, the most first."""
    late = _late(day, seen)
    keys, counts = np.unique(late.course, return_counts=True)
    titles = dict(Course.objects.filter(pk__in=keys.tolist()).values_list("pk", "title"))
    per_course = [(titles[int(key)], int(count)) for key, count in zip(keys, counts, strict=True)]
    return len(np.unique(late.person)), sorted(per_course, key=lambda row: (-row[1], row[0]))


def requirements_of(person: Person, day: date, known_on: date) -> list[ListRow]:
    """One person's requirements, mandatory and suggested, the worst first."""
    found = requirements(people=[person.pk], day=day, known_on=known_on)
    courses = Course.objects.in_bulk([row.course for row in found])
    rows = [
        ListRow(
            person,
            courses[row.course],
            row.requirement.status,
            row.requirement.due,
            row.requirement.valid_until if row.requirement.valid_until != FOREVER else None,
            "",
            None,
            row.requirement.mandatory,
        )
        for row in found
    ]
    return _sorted(rows, "status")
