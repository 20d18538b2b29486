"""What learners say of links, and leads confirm."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Any, Literal

from django.db import transaction
from django.db.models import QuerySet

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.journal import undoing
from stepladder.journal.actions import Actor, Named, record
from stepladder.journal.models import Entry
from stepladder.learning.actions import (
    check_place,
    complete_if_done,
    finish_step,
    keep_attempt,
    resting_on,
    revoke_confirmed,
)
from stepladder.learning.models import Attempt
from stepladder.learning.steps import do_step
from stepladder.people.models import Person

__all__ = ["confirm_said", "register", "report_link", "said_to_be_done", "state_of"]


def state_of(attempt: Attempt | None) -> str:
    """How far somebody is with a link: "" (not opened), "opened", "said" (to be confirmed), "done"."""
    if attempt is None:
        return ""
    if attempt.status == "completed":
        return "done"
    return "said" if attempt.data.get("said_at") else "opened" if attempt.data.get("opened_at") else ""


@transaction.atomic
def report_link(*, attempt: Attempt, did: Literal["opened", "said"], by: Any) -> Attempt:
    """It was opened, or whoever learns says that it is done. Whether that makes the step done, its version says. Raises PlaceClosed."""
    policy.require(by, "learn", attempt)
    related = ("version", "enrolment__person", "enrolment__course", "module")
    attempt = Attempt.objects.select_related(*related).get(pk=attempt.pk)
    check_place(attempt.enrolment)
    if attempt.status == "completed":
        return attempt
    done_when = attempt.version.data.get("done_when", "opened")
    data = {f"{did}_at": clock.now().isoformat()} | attempt.data
    is_done = did == done_when
    status = "completed" if is_done else "incomplete"
    keep_attempt(attempt=attempt, data=data, seconds=attempt.seconds, status=status, score=None)
    if is_done:
        finish_step(attempt=attempt, score=None, by=by)
    return Attempt.objects.select_related(*related).get(pk=attempt.pk)


def said_to_be_done(account: Any) -> QuerySet[Attempt]:
    """What people say that they have done and the account may confirm, the oldest first."""
    people = policy.visible(account, "confirm", Person.objects.all())
    waiting = Attempt.objects.filter(
        status="incomplete",
        version__data__done_when="confirmed",
        data__said_at__isnull=False,
        enrolment__completed_at__isnull=True,
        enrolment__closed_on__isnull=True,
        enrolment__person__in=people,
    )
    return waiting.select_related("module", "version", "enrolment__person", "enrolment__course").order_by(
        "last_at", "pk"
    )


@transaction.atomic
def confirm_said(*, attempts: Sequence[Attempt], by: Actor) -> int:
    """The steps are done, as of the instant that it was said; how many. Nobody confirms their own. One act, taken back whole. Rule: 6."""
    chosen = []
    for attempt in attempts:
        person = attempt.enrolment.person
        policy.require(by, "confirm", person)
        if state_of(attempt) == "said" and person.account_id != getattr(by, "pk", None):
            chosen.append(attempt)
    given = []
    for attempt in chosen:
        data = attempt.data | {"confirmed_by": by.name}
        keep_attempt(attempt=attempt, data=data, seconds=attempt.seconds, status="completed", score=None)
        do_step(enrolment=attempt.enrolment, version=attempt.version, at=_said_at(attempt), score=None, by=by)
        if completion := complete_if_done(attempt.enrolment, by):
            given.append(completion.public_id)
        about = Named("person", attempt.enrolment.person.public_id, attempt.enrolment.person.name)
        record("confirm_said", by=by, about=about, data={"module": attempt.module.title})
    if chosen:
        first = chosen[0].module
        data = {"count": len(chosen), "attempts": [attempt.public_id for attempt in chosen], "given": given}
        record("confirm_many", by=by, about=Named("module", first.public_id, first.title), data=data)
    return len(chosen)


def _said_at(attempt: Attempt) -> datetime:
    return datetime.fromisoformat(attempt.data["said_at"])


def _attempts_of(entry: Entry) -> QuerySet[Attempt]:
    found = Attempt.objects.filter(public_id__in=entry.data["attempts"])
    return found.select_related("enrolment__person", "enrolment__course", "module", "version").order_by("pk")


def _people_of(entry: Entry) -> QuerySet[Person]:
    return Person.objects.filter(enrolments__attempts__public_id__in=entry.data["attempts"]).distinct()


def _against(entry: Entry) -> list[str]:
    found = []
    for attempt in _attempts_of(entry):
        person, at = attempt.enrolment.person_id, _said_at(attempt)
        for name, course in resting_on(people=[person], module=attempt.module_id, at=at, given=entry.data["given"]):
            found.append(f"{name} has completed “{course}” by it since: revoke that completion first.")
    return found


def _undo(entry: Entry, act: events.Act) -> None:
    for attempt in _attempts_of(entry):
        revoke_confirmed(attempt=attempt, at=_said_at(attempt), by=act.by, given=entry.data["given"])
        # It is said still, and waits again.
        attempt.data = {name: value for name, value in attempt.data.items() if name != "confirmed_by"}
        attempt.status = "incomplete"
        attempt.save(update_fields=["data", "status"])


def register() -> None:
    """Hand in the way back."""
    undoing.add_inverse("confirm", "confirm_many", whose=_people_of, depends=_against, undo=_undo)
