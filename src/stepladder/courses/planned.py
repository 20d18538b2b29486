"""Releases on a day to come: said today, done by the daily run of that day, or told why not."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import date
from typing import Literal

from django.db import transaction
from django_tasks import task

from stepladder import clock
from stepladder.accounts import policy
from stepladder.courses.actions import about, ready_for_release, release_course
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Course, Edition
from stepladder.events import Doer
from stepladder.journal.actions import Actor, record
from stepladder.refusals import Refusal
from stepladder.web.templatetags.web import day as written

__all__ = ["Planned", "drop_plan", "plan_release", "planned_of", "release_planned"]


@dataclass(frozen=True)
class Planned:
    """A release to come, as it was said; *trouble*: why it did not come on its day."""

    on: date
    size: Literal["small", "large"]
    retake_by: date | None
    note: str
    by_id: str
    by_name: str
    trouble: str = ""

    def stored(self) -> dict[str, str | None]:
        said = asdict(self)
        return said | {"on": self.on.isoformat(), "retake_by": self.retake_by.isoformat() if self.retake_by else None}


def planned_of(edition: Edition) -> Planned | None:
    """The release that is to come of a draft."""
    if edition.planned is None:
        return None
    said = dict(edition.planned)
    retake = said["retake_by"]
    days = {"on": date.fromisoformat(said["on"]), "retake_by": date.fromisoformat(retake) if retake else None}
    return Planned(**{**said, **days})


@transaction.atomic
def plan_release(
    *, course: Course, on: date, size: Literal["small", "large"], retake_by: date | None, note: str, by: Actor
) -> Planned:
    """The draft, as it stands on that day, is released on it. What it lacks today is said now, while one can mend it.
    Raises CourseError, CannotRelease."""
    policy.require(by, "change courses", course)
    if on <= clock.today():
        raise CourseError("Choose a day to come, or none to release it now.")
    if retake_by is not None and retake_by < on:
        raise CourseError("The day to retake it by lies before the release. Choose a later one.")
    draft, _, _ = ready_for_release(course=course, size=size, retake_by=retake_by)
    plan = Planned(on, size, retake_by, note, by.public_id, by.name)
    draft.planned = plan.stored()
    draft.save(update_fields=["planned"])
    record("plan_release", by=by, about=about(course), data={"day": written(on)})
    return plan


@transaction.atomic
def drop_plan(*, course: Course, by: Actor) -> None:
    """It is released on no day by itself any more."""
    policy.require(by, "change courses", course)
    if Edition.objects.filter(course=course, state=Edition.State.DRAFT, planned__isnull=False).update(planned=None):
        record("drop_plan", by=by, about=about(course))


@task()
def release_planned() -> None:
    """The daily run: every draft whose day has come is released in the name of who said so; what stands against one is kept on it."""
    rows = Edition.objects.filter(state=Edition.State.DRAFT, planned__isnull=False).select_related("course")
    for edition in rows.order_by("pk"):
        plan = planned_of(edition)
        if plan is not None and plan.on <= clock.today() and not plan.trouble:
            _release(edition, plan)


def _release(edition: Edition, plan: Planned) -> None:
    by = Doer(plan.by_id, plan.by_name)
    try:
        with transaction.atomic():
            Edition.objects.filter(pk=edition.pk).update(planned=None)
            release_course(course=edition.course, size=plan.size, retake_by=plan.retake_by, note=plan.note, by=by)
    except Refusal as refusal:
        with transaction.atomic():
            told = {**plan.stored(), "trouble": str(refusal)}
            Edition.objects.filter(pk=edition.pk, state=Edition.State.DRAFT).update(planned=told)
            record("release_waits", by=by, about=about(edition.course), data={"why": str(refusal)})
