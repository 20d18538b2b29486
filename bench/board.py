"""The records of a large firm: columns, the board and lists, beside a bare kernel of the same sums."""

from __future__ import annotations

import random
import statistics
import time
from collections.abc import Callable, Iterator
from datetime import timedelta
from functools import partial
from typing import TypeVar

import numpy as np
from django.db import connection, transaction
from django.test import Client
from django.urls import reverse
from numpy.typing import NDArray

from bench import check, company
from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.assignments import columns
from stepladder.assignments.models import Assignment, AssignmentRule, Reason
from stepladder.charts.models import Chart, Unit
from stepladder.core.board import Membership, board_counts
from stepladder.core.columns import NO_DAY, RANK, LinkColumns, ReasonColumns, requirements_on
from stepladder.core.days import FOREVER
from stepladder.core.requirements import DEFAULT_SOON_DAYS, WORST_FIRST, Status
from stepladder.courses.models import Course, Edition
from stepladder.learning.models import ValiditySpan
from stepladder.library.actions import create_binder
from stepladder.people.models import Person
from stepladder.records.units import units_on

T = TypeVar("T")
PIECE = 50_000


def fill(people: int, units: int, courses: int) -> None:
    """Everybody is asked for every course; two of three have completed it. Written past the ORM: only reading is measured."""
    company.people(people, *company.found(units))
    owner = company.administrator()
    binder = create_binder(name="Bench", owner=owner, by=company.BY)
    with transaction.atomic():
        made = Course.objects.bulk_create(
            [Course(binder=binder, title=f"Course {n:02d}", state="released") for n in range(courses)]
        )
        Edition.objects.bulk_create(
            [
                Edition(
                    course=course, number=1, title=course.title, state=Edition.State.RELEASED, released_on=clock.today()
                )
                for course in made
            ]
        )
        asked = Assignment.objects.bulk_create(
            [
                Assignment(course=course, name=f"All: {course.title}", made_by="Bench", made_at=clock.now())
                for course in made
            ]
        )
        for assignment in asked:
            AssignmentRule.objects.create(
                assignment=assignment,
                reach={"in": {"kind": "all", "parts": []}},
                start=clock.today(),
                due_trigger="opening",
            )
    keys = list(Person.objects.order_by("pk").values_list("pk", flat=True))
    pairs = [(course.pk, assignment.pk) for course, assignment in zip(made, asked, strict=True)]
    _write(Reason, REASON, _reasons(keys, pairs))
    _write(ValiditySpan, SPAN, _spans(keys, pairs))


REASON = (
    "person_id", "course_id", "assignment_id", "first", "last", "opened", "due", "is_mandatory", "notice_days",
    "taken_from", "known_from", "known_to",
)  # fmt: skip
SPAN = (
    "person_id", "course_id", "first", "taken", "valid_until", "window_days", "grace_days", "renew_from", "grace_until",
    "completion_key", "known_from", "known_to",
)  # fmt: skip
Row = tuple[int | str | None, ...]


def _reasons(people: list[int], pairs: list[tuple[int, int]]) -> Iterator[Row]:
    rng, today = random.Random(company.SEED), clock.today()  # noqa: S311 - the same numbers each time
    days = [(today - timedelta(days=n)).isoformat() for n in range(1500)]
    dues = [(today + timedelta(days=n - 400)).isoformat() for n in range(500)]
    for person in people:
        opened = days[rng.randrange(1500)]
        for n, (course, assignment) in enumerate(pairs):
            yield (
                person, course, assignment, opened, FOREVER.isoformat(), opened, dues[rng.randrange(500)], n % 10 != 0, 14,
                None, opened, FOREVER.isoformat(),
            )  # fmt: skip


def _spans(people: list[int], pairs: list[tuple[int, int]]) -> Iterator[Row]:
    rng, today = random.Random(company.SEED + 1), clock.today()  # noqa: S311 - the same numbers each time
    days = [(today + timedelta(days=n - 1000)).isoformat() for n in range(2000)]
    for person in people:
        for n, (course, _) in enumerate(pairs):
            if rng.random() < 2 / 3:
                taken = rng.randrange(1000)
                until = FOREVER.isoformat() if n % 4 == 0 else days[taken + 730]
                yield (
                    person, course, days[taken], days[taken], until, 60, 30, until, until, 1, days[taken],
                    FOREVER.isoformat(),
                )  # fmt: skip


def _write(model: type[Reason] | type[ValiditySpan], columns: tuple[str, ...], rows: Iterator[Row]) -> None:
    names = ", ".join(f'"{column}"' for column in columns)
    insert = f"INSERT INTO {model._meta.db_table} ({names}) VALUES ({', '.join(['%s'] * len(columns))})"  # noqa: S608
    piece: list[Row] = []
    for row in rows:
        piece.append(row)
        if len(piece) == PIECE:
            _insert(insert, piece)
            piece.clear()
    _insert(insert, piece)


def _insert(insert: str, rows: list[Row]) -> None:
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.executemany(insert, rows)


TIMES = 5


def run(people: int, units: int, courses: int) -> list[str]:
    """Lines of what it came to."""
    fill(people, units, courses)
    _, first = _timed(columns.everything)
    columns._cache.clear()
    stored, again = _timed(columns.everything)
    tables = stored.tables
    today = clock.today()
    chart = Chart.objects.get(kind=Chart.Kind.UNIT)
    of = units_on(today, today, chart)
    keys = np.array(sorted(Course.objects.values_list("pk", flat=True)))

    def by_core() -> NDArray[np.int64]:
        asked = requirements_on(tables.reasons, tables.links, tables.waivers, day=today, known_on=today)
        return board_counts(asked, of.members, keys, asked.mandatory)

    def bare() -> NDArray[np.int64]:
        return _kernel(tables.reasons, tables.links, of.members, keys, today.toordinal())

    check((by_core() == bare()).all(), "the board and the bare kernel differ")
    kernel, board = _median(bare), _median(by_core)
    moved = Person.objects.order_by("pk")[people // 2]
    statuses = partial(columns.requirement_columns, day=today, known_on=today)
    _, worked_out = _timed(statuses)
    columns.note_moved([moved.pk])
    _, refreshed = _timed(statuses)
    return [
        f"{len(tables.reasons):,} reasons, {len(tables.links):,} spans",
        f"columns, read first: {first:.1f} s",
        f"columns, kept on disk, by a process that starts: {again:.2f} s",
        f"statuses of a day: {worked_out:.2f} s; with the columns, after one person moved: {refreshed:.2f} s",
        f"statuses and roll-up: {board:.2f} s, the bare kernel {kernel:.2f} s, ratio {board / kernel:.1f}",
        f"memory of this process that is not shared: {_unshared():,} MB",
        *_pages(keys),
    ]


def _kernel(
    reasons: ReasonColumns, links: LinkColumns, members: Membership, courses: NDArray[np.int64], today: int
) -> NDArray[np.int64]:
    """The same counts for this company alone: nobody has a waiver, a second reason, or a second unit, and all of it is known."""
    asked, held = (rows.person.astype(np.int64) * 1000 + rows.course for rows in (reasons, links))
    at = np.minimum(np.searchsorted(held, asked), len(held) - 1)
    has, until = held[at] == asked, links.valid_until[at]
    valid, window, grace = has & (until >= today), links.window[at], links.grace[at]
    rank = np.full(len(asked), RANK[Status.TO_DO], dtype=np.int8)
    rank[reasons.due - today <= DEFAULT_SOON_DAYS] = RANK[Status.DUE_SOON]
    rank[reasons.due < today] = RANK[Status.OVERDUE]
    expired = has & ~valid & (until >= reasons.opened)
    rank[expired] = RANK[Status.LAPSED]
    rank[expired & (until + grace >= today)] = RANK[Status.IN_GRACE]
    rank[valid] = RANK[Status.CURRENT]
    rank[valid & (until - today <= window) & (until != NO_DAY)] = RANK[Status.RENEW]
    unit_of = np.zeros(int(reasons.person.max()) + 1, dtype=np.int64)
    unit_of[members.person] = members.unit
    width = len(courses) * len(WORST_FIRST)
    column = np.searchsorted(courses, reasons.course) * len(WORST_FIRST) + rank
    size = len(members.parent) * width
    own = np.where(reasons.mandatory, unit_of[reasons.person] * width + column, size)
    counts = np.bincount(own, minlength=size + 1)[:size].reshape(-1, width)
    for unit in range(len(members.parent) - 1, 0, -1):
        counts[members.parent[unit]] += counts[unit]
    return np.concatenate([counts, counts[:1]]).reshape(-1, len(courses), len(WORST_FIRST))


def _pages(courses: NDArray[np.int64]) -> list[str]:
    """Each page the first time it is asked for, and then."""
    client = Client()
    client.force_login(Account.objects.get(email="ines@bench.example"))
    standing = reverse("records:standing")
    course = Course.objects.get(pk=courses[1]).public_id
    unit = Unit.objects.get(name="Unit 0001").public_id
    lines = []
    for label, url in (
        ("board, folded", reverse("records:board")),
        ("board, a unit unfolded", reverse("records:board") + f"?open={unit}"),
        ("board, in thirty days, both ways", reverse("records:board") + "?day=today%2B30d"),
        ("a cell’s people", reverse("records:cell") + f"?course={course}"),
        ("who is late", reverse("records:late")),
        ("who stands how", standing),
        ("the same by name, page 20,000", f"{standing}?sort=name&page=20000"),
        ("the same, found by name", f"{standing}?q=family0001"),
        ("the same, of one unit and status", f"{standing}?unit={unit}&status=current&sort=-valid"),
        ("Desk", reverse("desk:desk")),
    ):
        took, size = [], 0
        for _ in range(TIMES):
            answer, seconds = _timed(partial(client.get, url))
            check(answer.status_code == 200, f"{url} answered {answer.status_code}")
            took.append(seconds)
            size = len(answer.content)
        lines.append(f"{label}: {statistics.median(took):.2f} s, {size // 1000} kB (the first time {took[0]:.1f} s)")
    return lines


def _timed(act: Callable[[], T]) -> tuple[T, float]:
    began = time.perf_counter()
    found = act()
    return found, time.perf_counter() - began


def _median(act: Callable[[], object]) -> float:
    return statistics.median(_timed(act)[1] for _ in range(TIMES))


def _unshared() -> int:
    """What the kernel says of this process's own pages, in MB."""
    with open("/proc/self/status") as status:  # noqa: PTH123 - no file of ours
        line = next(line for line in status if line.startswith("RssAnon"))
    return int(line.split()[1]) // 1000
