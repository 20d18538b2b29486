"""Reports of a large firm: two years of months by thousands of units, what was done, how long people learned, and files of it."""

from __future__ import annotations

import random
import resource
import time
from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from functools import partial
from typing import Any

from django.db import connection, transaction
from django.test import Client
from django.urls import reverse

from bench import board, check, company
from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.courses.models import Course, Edition
from stepladder.learning.models import Attempt, Completion, Enrolment, Stretch
from stepladder.library.models import Module, ModuleVersion
from stepladder.people.models import Person

PIECE = 50_000
# Of so many a person learned for some minutes.
STRETCHES = 6


def fill(people: int, units: int, courses: int) -> None:
    """The world of the board, with a completion of two courses of three, and some stretches of learning a person over two years."""
    board.fill(people, units, courses)
    rng, now = random.Random(company.SEED + 2), clock.now()  # noqa: S311 - the same numbers each time
    keys = list(Person.objects.order_by("pk").values_list("pk", flat=True))
    every = list(Course.objects.order_by("pk"))
    editions = dict(Edition.objects.values_list("course_id", "pk"))
    today = clock.today()

    def completions() -> Any:
        number = 0
        for person in keys:
            for course in every:
                if rng.random() < 2 / 3:
                    number += 1
                    day = today - timedelta(days=rng.randrange(730))
                    at = f"{day} 12:00:00"
                    yield (
                        f"c{number:09d}",
                        today - timedelta(days=731),
                        person,
                        course.pk,
                        editions[course.pk],
                        day,
                        at,
                        "4/5",
                        f"B{number:09d}",
                    )

    _write(
        Completion,
        ("public_id", "recorded_on", "person_id", "course_id", "edition_id", "day", "at", "score", "number"),
        completions(),
    )
    course = every[0]
    module = Module.objects.create(
        binder=course.binder, kind="document", title="Booklet", minutes=10, changed_at=now, changed_by="Bench"
    )
    version = ModuleVersion.objects.create(
        module=module, number=1, data={"pages": 3}, minutes=10, made_at=now, made_by="Bench"
    )
    with transaction.atomic():
        places = Enrolment.objects.bulk_create(
            [Enrolment(person_id=key, course=course, edition_id=editions[course.pk], opened_on=today) for key in keys],
            batch_size=500,
        )
        attempts = Attempt.objects.bulk_create(
            [
                Attempt(
                    enrolment=place, module=module, version=version, begun_at=now - timedelta(days=729), last_at=now
                )
                for place in places
            ],
            batch_size=500,
        )

    def stretches() -> Any:
        for attempt in attempts:
            for _ in range(STRETCHES):
                began = datetime.combine(today - timedelta(days=rng.randrange(729)), datetime.min.time(), UTC)
                began += timedelta(seconds=rng.randrange(70_000))
                yield (
                    attempt.pk,
                    "",
                    began.isoformat(" ")[:19],
                    (began + timedelta(seconds=900)).isoformat(" ")[:19],
                    0.0,
                )

    _write(Stretch, ("attempt_id", "source", "began_at", "ended_at", "idle_seconds"), stretches())


def _write(model: Any, columns: tuple[str, ...], rows: Any) -> None:
    names = ", ".join(f'"{column}"' for column in columns)
    insert = f"INSERT INTO {model._meta.db_table} ({names}) VALUES ({', '.join(['%s'] * len(columns))})"  # noqa: S608
    piece: list[Any] = []

    def keep() -> None:
        with transaction.atomic(), connection.cursor() as cursor:
            cursor.executemany(insert, piece)
        piece.clear()

    for row in rows:
        piece.append([str(value) if not isinstance(value, int | float) else value for value in row])
        if len(piece) == PIECE:
            keep()
    keep()


def run(people: int, units: int, courses: int) -> list[str]:
    """Lines of what it came to."""
    fill(people, units, courses)
    client = Client()
    client.force_login(Account.objects.get(email="ines@bench.example"))
    new = reverse("reports:new")
    said = {"first": "today-729d", "last": "today"}
    lines = [f"{Completion.objects.count():,} completions, {Stretch.objects.count():,} stretches"]
    for label, figure, by, then in (
        ("covered, 24 months", "requirements.covered", "month", ""),
        ("covered, 24 months by unit", "requirements.covered", "unit", "month"),
        ("completions by unit", "completions.completions", "unit", ""),
        ("days taken by course", "completions.days_taken", "course", ""),
        ("hours by unit and month", "time.hours", "unit", "month"),
        ("who learns, 24 months", "people.learned", "month", ""),
        ("completions, their rows", "completions.completions", "", ""),
    ):
        answer, took = _timed(partial(client.get, new, {"figure": figure, "by": by, "then": then, **said}))
        check(answer.status_code == 200, f"{label} answered {answer.status_code}")
        lines.append(f"{label}: {took:.1f} s, {len(answer.content) // 1000} kB")
    before = _memory()
    rows = {"figure": "completions.completions", "by": "", "then": "", **said, "as": "csv"}
    answer, _ = _timed(partial(client.get, new, rows))
    size, took = _timed(lambda: sum(len(piece) for piece in answer.streaming_content))
    lines.append(
        f"all rows as CSV: {took:.0f} s, {size // 1_000_000} MB; memory beyond the page’s: {_memory() - before} MB"
    )
    return lines


def _timed(act: Callable[[], Any]) -> tuple[Any, float]:
    began = time.perf_counter()
    found = act()
    return found, time.perf_counter() - began


def _memory() -> int:
    """The most memory that this process had, in MB."""
    return resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1000
