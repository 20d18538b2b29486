"""What is handed in to be marked, and the marks. The step counts from when it was handed in. Rule: 6."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from fractions import Fraction
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.days import day_of
from stepladder.journal.actions import Actor, record
from stepladder.learning.actions import check_place, complete_if_done, end_attempt
from stepladder.learning.errors import AttemptEnded, CountedSince, OwnHandIn
from stepladder.learning.models import Attempt, Completion, Enrolment, HandIn, Mark, StepDone
from stepladder.learning.steps import about, do_step, percent, undo_step

__all__ = ["hand_in", "mark", "score_step"]


@transaction.atomic
def hand_in(*, attempt: Attempt, data: Mapping[str, Any], by: Actor, at: datetime | None = None) -> HandIn:
    """What was answered in an attempt, which ends with it; *at* is when its time was up, where nobody handed it in.

    Raises PlaceClosed, AttemptEnded.
    """
    policy.require(by, "learn", attempt)
    check_place(attempt.enrolment)
    if attempt.ended_at is not None:
        raise AttemptEnded(attempt.module.title)
    now = at or clock.now()
    handed_in = HandIn.objects.create(attempt=attempt, at=now, day=day_of(now, clock.zone()), data=dict(data))
    attempt.status = "handed in"
    attempt.save(update_fields=["status"])
    said = {"module": attempt.module.title, "course": attempt.enrolment.course.title}
    record("hand_in", by=by, about=about(attempt.enrolment.person), data=said, rows=[handed_in])
    end_attempt(attempt=attempt, by=by)
    return handed_in


@transaction.atomic
def mark(*, handed_in: HandIn, has_passed: bool, by: Actor, score: Fraction | None = None, note: str = "") -> Mark:
    """Say what a hand-in came to; said again, it takes the place of what was said. Raises OwnHandIn, CountedSince.

    Passed, the step is done as of when it was handed in; not passed, it is not, unless by another attempt.
    """
    attempt = handed_in.attempt
    enrolment = attempt.enrolment
    policy.require(by, "mark", attempt.module)
    if enrolment.person.account_id is not None and enrolment.person.account_id == getattr(by, "pk", None):
        raise OwnHandIn
    before = Mark.objects.known_now().filter(hand_in=handed_in).first()
    said = {"has_passed": has_passed, "score": score, "note": note, "at": clock.now(), "by_name": by.name}
    rows: list[Mark] = [before] if before else []
    given = before.succeeded_by(**said) if before else Mark.objects.create(hand_in=handed_in, **said)
    data = {
        "module": attempt.module.title,
        "course": enrolment.course.title,
        "score": percent(score),
        "outcome": "passed" if has_passed else "did not pass",
    }
    record("mark", by=by, about=about(enrolment.person), data=data, rows=[*rows, given])
    attempt.status, attempt.score = "completed" if has_passed else "failed", score
    attempt.save(update_fields=["status", "score"])
    _count(handed_in, given, by)
    return given


def _count(handed_in: HandIn, given: Mark, by: Actor) -> None:
    """Whether the step is done by what was given for it."""
    attempt = handed_in.attempt
    enrolment = attempt.enrolment
    done = StepDone.objects.known_now().filter(enrolment=enrolment, module=attempt.module).first()
    if done is not None and done.at == handed_in.at:
        if not given.has_passed and Completion.objects.known_now().filter(enrolment=enrolment).exists():
            raise CountedSince(enrolment.person.name, enrolment.course.title)
        if not given.has_passed:
            undo_step(done, by=by)
        elif given.score != done.score:
            done.succeeded_by(score=given.score)
    elif done is None and given.has_passed:
        do_step(enrolment=enrolment, version=attempt.version, at=handed_in.at, score=given.score, by=by)
        complete_if_done(enrolment, by)


@transaction.atomic
def score_step(*, enrolment: Enrolment, module: int, score: Fraction | None, by: Actor) -> None:
    """The score of a step that is done, where another attempt counts by now. A completed course keeps that of its day. Rule: 7."""
    policy.require(by, "learn", enrolment)
    done = StepDone.objects.known_now().filter(enrolment=enrolment, module=module).first()
    if done is not None and enrolment.is_open and done.score != score:
        done.succeeded_by(score=score)
