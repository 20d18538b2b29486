"""The facts that a step is done, or is not any more: written by actions that have asked whether they may be."""

from __future__ import annotations

from datetime import datetime
from fractions import Fraction

from stepladder import clock
from stepladder.core.days import day_of
from stepladder.journal.actions import Actor, Named, record
from stepladder.learning.models import Enrolment, StepDone
from stepladder.library.models import ModuleVersion
from stepladder.people.models import Person

__all__ = ["about", "do_step", "percent", "undo_step"]


def about(person: Person) -> Named:
    return Named("person", person.public_id, person.name)


def percent(score: Fraction | None) -> str:
    return f"{int(score * 100)} %" if score is not None else "–"


def do_step(
    *,
    enrolment: Enrolment,
    version: ModuleVersion,
    at: datetime,
    score: Fraction | None,
    by: Actor,
    is_exempted: bool = False,
) -> None:
    """The fact that a step was done, or spared by the entry test, at an instant. Whoever calls it has asked whether it may be, and
    completes the course."""
    module = version.module
    StepDone.objects.create(
        enrolment=enrolment,
        module=module,
        version=version,
        at=at,
        day=day_of(at, clock.zone()),
        score=score,
        is_exempted=is_exempted,
    )
    data = {"module": module.title, "course": enrolment.course.title, "score": percent(score)}
    record("exempt_step" if is_exempted else "finish_step", by=by, about=about(enrolment.person), data=data)


def undo_step(step: StepDone, *, by: Actor) -> None:
    """A step that was done is not: the fact is revoked. Whoever calls it has asked what rests on it."""
    step.revoke()
    # What it spared was done by it, as of the same instant.
    spared = StepDone.objects.known_now().filter(enrolment=step.enrolment_id, is_exempted=True, at=step.at)
    for other in spared.exclude(pk=step.pk).select_related("module", "enrolment__course", "enrolment__person"):
        undo_step(other, by=by)
    data = {"module": step.module.title, "course": step.enrolment.course.title}
    record("undo_step", by=by, about=about(step.enrolment.person), data=data)
