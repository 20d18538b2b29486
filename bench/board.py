"""The records of a large firm: columns, the board, lists and their files, beside a bare kernel of the same sums."""

from __future__ import annotations

import random
from collections.abc import Iterator
from datetime import timedelta

from django.db import connection, transaction

from bench import company
from stepladder import clock
from stepladder.assignments.models import Assignment, Reason
from stepladder.core.days import FOREVER
from stepladder.courses.models import Course
from stepladder.learning.models import ValiditySpan
from stepladder.library.actions import create_binder
from stepladder.people.models import Person

PIECE = 50_000


def fill(people: int, units: int, courses: int) -> None:
    """Everybody is asked for every course; two of three have completed it. Written past the ORM: only reading is measured."""
    company.people(people, *company.found(units))
    owner = company.administrator()
    binder = create_binder(name="Bench", owner=owner, by=company.BY)
    with transaction.atomic():
        made = Course.objects.bulk_create(
            [
                Course(binder=binder, title=f"Course {n:02d}", state="released")
                for n in range(courses)
            ]
        )
        asked = Assignment.objects.bulk_create(
            [
                Assignment(course=course, name=f"All: {course.title}", made_by="Bench", made_at=clock.now())
                for course in made
            ]
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
    insert = f'INSERT INTO {model._meta.db_table} ({names}) VALUES ({", ".join(["%s"] * len(columns))})'  # noqa: S608
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
