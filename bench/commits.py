"""What packages report while they run: commits of many learners, beside a bare update of the same row."""

from __future__ import annotations

import json
import statistics
import time
from collections.abc import Callable, Mapping
from functools import partial
from pathlib import Path
from unittest.mock import patch
from urllib.parse import urlsplit

from django.db import connection, transaction
from django.http import HttpRequest, JsonResponse
from django.test import Client
from django.test.utils import override_settings
from django.urls import path, reverse

from bench import check, company
from stepladder import clock
from stepladder.accounts import policy
from stepladder.accounts.actions import create_account
from stepladder.assignments import actions as assigning
from stepladder.assignments.models import AssignmentRule
from stepladder.config import demo
from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.learning.models import Enrolment, StepDone
from stepladder.library import storage
from stepladder.library.actions import create_binder, create_module
from stepladder.library.deriving import process, work_out
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.playing import hosts
from stepladder.playing.launches import read_token
from stepladder.playing.models import ScoState

FILE = Path(demo.__file__).parent / "files/extinguishers-and-blankets.zip"
UNITS = 20
# What a long package keeps of where one is.
STATE = "x" * 4_000


def run(learners: int, each: int) -> list[str]:
    """Lines of what it came to: so many learners, each with so many commits."""
    company.people(learners, *company.found(UNITS))
    module = _module()
    _everybody_takes(module)
    opened = [_opened(person, module, n) for n, person in enumerate(Person.objects.order_by("pk")[:learners])]
    took = [_timed(partial(_commit, *place, seq, seq == each)) for seq in range(1, each + 1) for place in opened]
    check(StepDone.objects.count() == learners, "a step was not done")
    rows = {row.attempt.enrolment.person_id: row for row in ScoState.objects.select_related("attempt__enrolment")}
    people = Person.objects.order_by("pk")[:learners]
    with patch.object(hosts, "URLCONF", __name__):
        viewed = [
            _timed(partial(_view, *place, rows[p.pk]))
            for place, p in zip(opened, people, strict=True)
            for _ in range(5)
        ]
    with override_settings(ROOT_URLCONF=__name__), patch.dict(policy.ADDRESSES, {"one_update": "sign in"}):
        signed_in = _signed_in(next(iter(people)), rows)
    bare = [_timed(partial(_update, row)) for row in rows.values() for _ in range(5)]
    took.sort()
    share = statistics.median(viewed) / statistics.median(took)
    return [
        f"{len(took):,} commits of 4 kB: {1000 * statistics.median(took):.1f} ms in the middle, "
        f"95 of 100 within {1000 * took[len(took) * 95 // 100]:.1f} ms, the longest {1000 * took[-1]:.0f} ms",
        f"a view of the same host and token with one update of the same row: {1000 * statistics.median(viewed):.1f} ms: "
        f"commits come to {share:.2f} of it; the update alone {1000 * statistics.median(bare):.2f} ms",
        f"a view of the application, signed in, with the same update: {1000 * signed_in:.1f} ms: "
        f"commits come to {signed_in / statistics.median(took):.2f} of it (aim 0.7)",
        f"one process takes {len(took) / sum(took):.0f} commits a second",
    ]


def _module() -> Module:
    owner = company.administrator()
    binder = create_binder(name="Deck", owner=owner, is_shared=True, by=company.BY)
    kind, _, worked = work_out(FILE, FILE.name)
    version = create_module(
        binder=binder,
        kind=kind,
        worked=worked,
        original=storage.keep(FILE, "application/zip"),
        file_name=FILE.name,
        by=company.BY,
    )
    process(version, lambda done, total: None)
    return version.module


def _everybody_takes(module: Module) -> None:
    course = courses.create_course(title="Fire", binder=module.binder, by=company.BY)
    courses.edit_edition(course=course, revision=None, summary="To be fit for it.", by=company.BY)
    courses.add_steps(course=course, part=Part.MAIN, modules=[module], by=company.BY)
    courses.release_course(course=course, size="small", retake_by=None, by=company.BY)
    rule = AssignmentRule(
        reach={"in": {"kind": "all", "parts": []}}, start=clock.today(), due_trigger="opening", due_days=30
    )
    assigning.assign(course=course, name="Fire", message="", rule=rule, by=company.BY)


def _opened(person: Person, module: Module, number: int) -> tuple[Client, str, str]:
    """A package as its learner's browser has it open: a client of its content host, its path, its launch."""
    account = create_account(email=f"l{number}@bench.example", name=person.name, roles=["learner"], by=company.BY)
    person.account = account
    person.save(update_fields=["account"])
    client = Client()
    client.force_login(account)
    place = Enrolment.objects.get(person=person)
    answer = client.get(reverse("playing:step", args=[place.public_id, module.public_id]))
    address = urlsplit(answer.context["launch"])
    content = Client(headers={"host": address.netloc})
    page = content.get(address.path).content.decode()
    launch = json.loads(page.split('type="application/json">')[1].split("</script>")[0])["launch"]
    return content, address.path, launch


def _commit(content: Client, path: str, launch: str, seq: int, is_last: bool) -> None:
    values = {"cmi.suspend_data": f"{seq}{STATE}", "cmi.core.lesson_location": f"p{seq}"}
    if is_last:
        values |= {"cmi.core.lesson_status": "passed", "cmi.core.score.raw": "90"}
    body = {"launch": launch, "seq": seq, "fin": is_last, "set": values}
    answer = content.post(path + "commit", json.dumps(body), content_type="application/json")
    check(answer.status_code == 200, f"a commit answered {answer.status_code}")


def one_update(request: HttpRequest, token: str, sco: int) -> JsonResponse:
    """The least a view that keeps what a package reports can be: who asks is known, and one row is written."""
    read_token(token, request.get_host())
    sent = json.loads(request.body)
    with transaction.atomic():
        ScoState.objects.filter(pk=sent["row"]).update(values=sent["set"])
    return JsonResponse({"result": True})


def signed_in_update(request: HttpRequest) -> JsonResponse:
    """The same behind everything that stands before a view of the application."""
    sent = json.loads(request.body)
    with transaction.atomic():
        ScoState.objects.filter(pk=sent["row"]).update(values=sent["set"])
    return JsonResponse({"result": True})


urlpatterns = [path("one/", signed_in_update, name="one_update"), path("run/<str:token>/<int:sco>/commit", one_update)]


def _signed_in(person: Person, rows: Mapping[int, ScoState]) -> float:
    """What a view takes that keeps the same for who is signed in, in the middle."""
    if person.account is None:
        raise LookupError("a learner without an account")
    client, row = Client(), rows[person.pk]
    client.force_login(person.account)
    body = json.dumps({"row": row.pk, "set": row.values})

    def ask() -> None:
        answer = client.post("/one/", body, content_type="application/json")
        check(answer.status_code == 200, f"the view answered {answer.status_code}")

    return statistics.median(_timed(ask) for _ in range(100))


def _view(content: Client, address: str, launch: str, row: ScoState) -> None:
    body = {"row": row.pk, "launch": launch, "set": row.values}
    answer = content.post(address + "commit", json.dumps(body), content_type="application/json")
    check(answer.status_code == 200, f"the view answered {answer.status_code}")


def _update(row: ScoState) -> None:
    table = ScoState._meta.db_table
    with transaction.atomic(), connection.cursor() as cursor:
        cursor.execute(f'UPDATE "{table}" SET "values" = %s WHERE id = %s', [json.dumps(row.values), row.pk])  # noqa: S608 - our own name


def _timed(act: Callable[[], object]) -> float:
    began = time.perf_counter()
    act()
    return time.perf_counter() - began
