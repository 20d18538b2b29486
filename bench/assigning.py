"""An assignment to everybody: what the act itself costs, how long others wait for its pieces, and how long until all stands."""

from __future__ import annotations

import time
from typing import Any

from django.test.utils import override_settings
from django_tasks_db.models import DBTaskResult

from bench import check, company
from stepladder import clock
from stepladder.assignments import actions
from stepladder.assignments.models import AssignmentRule, Reason
from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.courses.models import Course
from stepladder.library.actions import create_binder
from stepladder.library.models import Module, ModuleVersion
from stepladder.queue.models import Piece

# As it is served: rows, which a worker comes to.
ROWS = {"default": {"BACKEND": "django_tasks_db.DatabaseBackend", "QUEUES": ["default", "now", "bulk", "mail"]}}


def run(people: int, units: int) -> list[str]:
    """Lines of what it came to."""
    company.people(people, *company.found(units))
    course = _course()
    everybody: dict[str, Any] = {"in": {"kind": "all", "parts": [{"kind": "hired within", "days": 3650}]}}
    rule = AssignmentRule(reach=everybody, start=clock.today(), due_trigger="opening", due_days=30)
    found, looked = _timed(lambda: actions.in_reach(rule))
    with override_settings(TASKS=ROWS):
        _, act = _timed(
            lambda: actions.assign(course=course, name="All", message="", rule=rule, people=found, by=company.BY)
        )
        (cut,) = _work()
        pieces = _work()
    check(len(found) > 0, "nobody was in the reach")
    check(not Piece.objects.filter(done_at=None).exists(), "a piece was not done")
    check(Reason.objects.count() == len(found), "somebody has no reason")
    return [
        f"looking who is in the reach, before the act: {looked:.1f} s ({len(found):,} people)",
        f"the act itself: {act:.2f} s",
        f"cutting it into pieces: {cut:.1f} s",
        f"{len(pieces)} pieces: {sum(pieces) / len(pieces):.2f} s each, the longest {max(pieces):.2f} s",
        f"until all of it stands: {cut + sum(pieces):.0f} s",
    ]


def _work() -> list[float]:
    """Do what waits in the queue for many, as the worker would; the seconds of each. E-mail waits in a queue of its own."""
    took = []
    for row in list(DBTaskResult.objects.ready().filter(queue_name="bulk")):
        took.append(_timed(lambda row=row: row.task.call(**row.args_kwargs["kwargs"]))[1])
        DBTaskResult.objects.filter(pk=row.pk).delete()
    return took


def _timed(act: Any) -> tuple[Any, float]:
    began = time.perf_counter()
    found = act()
    return found, time.perf_counter() - began


def _course() -> Course:
    owner = company.administrator()
    binder = create_binder(name="Deck", owner=owner, is_shared=True, by=company.BY)
    module = Module.objects.create(
        binder=binder, kind="document", title="The booklet", minutes=10, changed_at=clock.now(), changed_by="Bench"
    )
    ModuleVersion.objects.create(
        module=module, number=1, data={"pages": 3}, minutes=10, made_at=clock.now(), made_by="Bench"
    )
    course = courses.create_course(title="Fire", binder=binder, by=company.BY)
    courses.edit_edition(course=course, revision=None, summary="What one can do after it.", by=company.BY)
    courses.add_steps(course=course, part=Part.MAIN, modules=[module], by=company.BY)
    courses.release_course(course=course, size="small", retake_by=None, by=company.BY)
    course.refresh_from_db()
    return course
