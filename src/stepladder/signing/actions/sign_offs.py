"""Signing off: what was seen of somebody's task on a day. It counts from when it was done. Rule: 6."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date, datetime, time, timedelta
from typing import Any

from django.db import transaction

from stepladder import clock, events
from stepladder.accounts import policy
from stepladder.core.days import day_of
from stepladder.core.sign_offs import (
    CheckList,
    Said,
    Seen,
    enough,
    faults_of,
    left_of,
    made_true_by,
    read_check_list,
)
from stepladder.courses.models import Step
from stepladder.journal.actions import Actor, record
from stepladder.learning.actions import begin_step, check_place, complete_if_done, resting_on, revoke_confirmed
from stepladder.learning.models import Attempt, Enrolment, StepDone
from stepladder.learning.steps import about, do_step
from stepladder.learning.time_spent import add_signed_time, drop_time
from stepladder.notices.actions import Message, tell
from stepladder.people.models import Person
from stepladder.signing.errors import AlreadyDone, BadSignOff, OwnTask
from stepladder.signing.models import Asked, SignOff
from stepladder.signing.notices import SIGNED, path_to_step
from stepladder.signing.signers import NOT_NAMED, may_sign
from stepladder.web.templatetags.web import day as day_in_words

__all__ = ["LATEST", "Given", "check_list_of", "resting_on_sign_off", "seen_of", "sign_off", "take_sign_off_back"]

# What was signed without a line is sent within so many days, or not believed.
LATEST = timedelta(days=30)


@dataclass(frozen=True)
class Given:
    """What whoever signs off has put down. *ago*: so many seconds before now it was signed, as the device that was signed on counts."""

    key: str
    day: date
    met: frozenset[str]
    not_yet: frozenset[str] = frozenset()
    minutes: int = 0
    note: str = ""
    reason: str = ""
    photo: str = ""
    photo_shows: str = ""
    signature: Any = None
    signature_of_learner: Any = None
    ago: float = 0.0


def check_list_of(attempt: Attempt) -> CheckList:
    """What is looked at in an attempt: as its version has it."""
    return read_check_list(attempt.version.data["check_list"])


def seen_of(attempt: Attempt) -> list[SignOff]:
    """What was signed of an attempt and holds, in the order in which it was seen."""
    return sorted(SignOff.objects.known_now().filter(attempt=attempt), key=lambda one: (one.day, one.at, one.pk))


@transaction.atomic
def sign_off(*, enrolment: Enrolment, step: Step, given: Given, by: Any) -> SignOff:
    """What was seen, signed; the step is done once enough was met. Sent twice (by its key), it is one.

    Raises OwnTask, BadSignOff, AlreadyDone, PlaceClosed, StepClosed, NotBegunYet.
    """
    policy.require(by, "sign off", enrolment)
    _check_signer(enrolment.person, step, by)
    before: SignOff | None = SignOff.objects.filter(key=given.key).select_related("attempt").order_by("-pk").first()
    if before is not None:
        if before.is_revoked or before.attempt.enrolment_id != enrolment.pk:
            raise BadSignOff(
                {"key": "This was signed already, and taken back since. Open the page again to sign anew."}
            )
        return before
    check_place(enrolment)
    # Who signs off may have it begun, whatever else they may do with that person's learning.
    attempt = begin_step(enrolment=enrolment, step=step, by=events.Doer(by.public_id, by.name))
    attempt.enrolment = enrolment
    if StepDone.objects.known_now().filter(enrolment=enrolment, module=step.module_id).exists():
        raise AlreadyDone(enrolment.person.name, step.title)
    made = _keep(attempt, given, by)
    check_list = check_list_of(attempt)
    met = frozenset(key for one in seen_of(attempt) for key in one.met)
    completion = _settle(attempt, check_list, by)
    _count(attempt, check_list, met, given)
    Asked.objects.filter(attempt=attempt, settled_at=None).update(settled_at=clock.now())
    outcome = _in_words(check_list, met)
    data = {
        "module": step.title,
        "course": enrolment.course.title,
        "day": made.day.isoformat(),
        "outcome": outcome,
        "sign_off": made.public_id,
        "given": [completion] if completion else [],
    }
    record("sign_off_task", by=by, about=about(enrolment.person), data=data)
    fields = {
        "task": step.title,
        "signer": by.name,
        "day": day_in_words(made.day),
        "outcome": outcome,
        "words": made.note or "–",
    }
    tell(SIGNED.name, [Message(enrolment.person, path_to_step(attempt), fields)])
    return made


def _check_signer(person: Person, step: Step, by: Any) -> None:
    if person.account_id is not None and person.account_id == getattr(by, "pk", None):
        raise OwnTask
    if not may_sign(by, person, step.module_id):
        raise BadSignOff({"signer": NOT_NAMED})


def _keep(attempt: Attempt, given: Given, by: Any) -> SignOff:
    now = clock.now()
    signed_at = now - min(max(timedelta(seconds=given.ago), timedelta()), LATEST)
    today = day_of(signed_at, clock.zone())
    before = seen_of(attempt)
    said = Said(
        day=given.day,
        today=today,
        opened=attempt.enrolment.opened_on,
        reason=given.reason,
        minutes=given.minutes,
        has_photo=bool(given.photo) or any(one.photo for one in before),
        is_signed=bool(given.signature),
        is_signed_by_learner=bool(given.signature_of_learner),
        met=given.met,
        not_yet=given.not_yet,
        met_before=frozenset(key for one in before for key in one.met),
    )
    if faults := faults_of(check_list_of(attempt), said):
        raise BadSignOff(faults)
    return SignOff.objects.create(
        key=given.key[:40],
        attempt=attempt,
        signer=Person.objects.filter(account__public_id=by.public_id).first(),
        by_name=by.name,
        day=given.day,
        at=signed_at if given.day == today else datetime.combine(given.day, time(12), clock.zone()),
        signed_at=signed_at,
        reason=given.reason.strip()[:300] if given.day != today else "",
        met=sorted(given.met),
        not_yet=sorted(given.not_yet),
        note=given.note.strip(),
        minutes=given.minutes,
        photo=given.photo,
        photo_shows=given.photo_shows,
        signature=given.signature,
        signature_of_learner=given.signature_of_learner,
    )


def _settle(attempt: Attempt, check_list: CheckList, by: Any) -> str:
    """The step is done as of what made it true; the public id of a completion that follows, or "" """
    reached = _made_true_by(check_list, seen_of(attempt))
    if reached is None:
        return ""
    do_step(enrolment=attempt.enrolment, version=attempt.version, at=reached.at, score=None, by=by)
    completion = complete_if_done(attempt.enrolment, events.Doer(by.public_id, by.name))
    return completion.public_id if completion else ""


def _made_true_by(check_list: CheckList, rows: Sequence[SignOff]) -> Seen | None:
    return made_true_by(check_list, [Seen(one.day, one.at, frozenset(one.met)) for one in rows])


def _count(attempt: Attempt, check_list: CheckList, met: frozenset[str], given: Given | None) -> None:
    attempt.status = "completed" if enough(check_list, met) else "incomplete" if met else ""
    attempt.data = {**attempt.data, "met": sorted(met)}
    rows = seen_of(attempt)
    attempt.seconds = sum(one.minutes for one in rows) * 60
    attempt.last_at = clock.now()
    attempt.save(update_fields=["status", "data", "seconds", "last_at"])
    if given is not None:
        made = next(one for one in rows if one.key == given.key)
        add_signed_time(attempt=attempt, source=_source(made), until=made.at, minutes=made.minutes)


def _source(made: SignOff) -> str:
    return f"signed {made.public_id}"


def _in_words(check_list: CheckList, met: frozenset[str]) -> str:
    left = left_of(check_list, met)
    return "signed off" if not left else f"{left} more to be seen"


def resting_on_sign_off(made: SignOff, given: Sequence[str]) -> list[tuple[str, str]]:
    """The completions, as (name, course), that would not hold without it, but for those *given* for it (public ids)."""
    attempt, check_list = made.attempt, check_list_of(made.attempt)
    rest = [one for one in seen_of(attempt) if one.pk != made.pk]
    if _made_true_by(check_list, rest) is not None:
        return []
    done = StepDone.objects.known_now().filter(enrolment=attempt.enrolment_id, module=attempt.module_id).first()
    if done is None:
        return []
    return resting_on(people=[attempt.enrolment.person_id], module=attempt.module_id, at=done.at, given=given)


def take_sign_off_back(*, made: SignOff, given: Sequence[str], by: Actor) -> None:
    """It was never signed: what was done by it is not, and whoever asked for it waits again. Raises CountedSince."""
    attempt = made.attempt
    policy.require(by, "sign off", attempt.enrolment)
    check_list = check_list_of(attempt)
    made.revoke()
    rest = seen_of(attempt)
    done = StepDone.objects.known_now().filter(enrolment=attempt.enrolment_id, module=attempt.module_id).first()
    if done is not None and _made_true_by(check_list, rest) is None:
        carried_on = events.Doer(by.public_id, by.name)
        revoke_confirmed(attempt=attempt, at=done.at, by=carried_on, given=given)
    drop_time(attempt=attempt, source=_source(made))
    _count(attempt, check_list, frozenset(key for one in rest for key in one.met), None)
