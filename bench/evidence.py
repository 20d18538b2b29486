"""An evidence pack of many people: how long it takes to make and to check, and how large it is."""

from __future__ import annotations

import random
import resource
import time
from collections.abc import Iterator
from datetime import timedelta

from django.db import transaction

from bench import board, check, company
from stepladder import clock
from stepladder.accounts.models import Account
from stepladder.courses.models import Course, Edition
from stepladder.evidence import check as stand_alone
from stepladder.evidence.actions import ask_pack
from stepladder.evidence.asking import PackAsked
from stepladder.evidence.making import file_of
from stepladder.evidence.models import Pack
from stepladder.facts import insert_facts, row_digest
from stepladder.journal.actions import Named, record
from stepladder.journal.queries import fact_models
from stepladder.learning.models import Completion, ValiditySpan
from stepladder.learning.validity import refresh
from stepladder.people.models import Person, Placement

ABOUT = Named("organisation", "", "Bench")


def _entry(written: list[tuple[str, int, str]], what: str) -> None:
    record("write", by=company.BY, about=ABOUT, data={"what": what}, written=written)


def fill(people: int, units: int, courses: int) -> None:
    """The world of the board with facts that the journal knows: those of people as one import, each completion as an act of its own."""
    board.fill(people, units, courses)
    ValiditySpan.objects.all().delete()
    rng = random.Random(company.SEED + 3)  # noqa: S311 - the same numbers each time
    with transaction.atomic():
        for model in fact_models():
            digests = [(model._meta.db_table, row.pk, row_digest(row)) for row in model._default_manager.iterator()]
            if digests:
                _entry(digests, f"{len(digests)} rows")
    today = clock.today()
    editions = dict(Edition.objects.values_list("course_id", "pk"))
    every, number = list(Course.objects.order_by("pk").values_list("pk", flat=True)), 0
    with transaction.atomic():
        for person in Person.objects.order_by("pk").values_list("pk", flat=True):
            for course in every:
                if rng.random() < 2 / 3:
                    number += 1
                    day = today - timedelta(days=rng.randrange(730))
                    said = {
                        "person_id": person,
                        "course_id": course,
                        "edition_id": editions[course],
                        "enrolment_id": None,
                    }
                    more = {
                        "day": day,
                        "at": clock.now(),
                        "score": None,
                        "own_expiry": None,
                        "number": f"B{number:09d}",
                    }
                    _entry(insert_facts(Completion, [said | more]), "1 completion")
    refresh()


def run(people: int, asked: int, courses: int) -> Iterator[str]:
    """A pack of so many of the people, in all courses, without certificates and with them."""
    units = max(people // asked, 2)
    fill(people, units, courses)
    by = Account.objects.get(email="ines@bench.example")
    of = Placement.objects.values_list("unit", flat=True).order_by("pk")[units // 2 : units // 2 + 1]
    reach = {"in": {"kind": "all", "parts": [{"kind": "unit", "unit": next(iter(of)), "below": False}]}}
    day = clock.today() - timedelta(days=30)
    # The second time the digests of all entries are there, as every night.
    for with_certificates in (False, False, True):
        asked_for = PackAsked(reach, list(Course.objects.all()), day, clock.today(), with_certificates)
        begun = time.perf_counter()
        # Made once that is written, as by the queue.
        ask_pack(asked=asked_for, name="Bench", by=by)
        took, pack = time.perf_counter() - begun, Pack.objects.latest("pk")
        check(pack.state == Pack.State.DONE and not pack.fails, f"the pack holds: {pack.trouble} {pack.fails[:3]}")
        begun = time.perf_counter()
        check(stand_alone.check(file_of(pack), [pack.head]).is_whole, "it checks")
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
        yield (
            f"  a pack of {pack.people:,} people, {courses} courses, {pack.head.partition(':')[0]} entries"
            f"{' with certificates' if with_certificates else ''}: made and checked in {took:.1f} s, {pack.size / 1e6:.1f} MB; "
            f"checked elsewhere in {time.perf_counter() - begun:.1f} s; at most {memory} MB of memory"
        )
