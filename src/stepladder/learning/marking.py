"""What is handed in to be marked, and the marks. The step counts from when it was handed in. Rule: 6."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.days import day_of
from stepladder.journal.actions import Actor, record
from stepladder.learning.actions import check_place, complete_if_done, end_attempt
from stepladder.learning.errors import AttemptEnded, CountedSince, OwnHandIn
from stepladder.learning.models import Attempt, Completion, HandIn, Mark, StepDone
from stepladder.learning.steps import about, do_step, percent, undo_step

__all__ = ["hand_in", "mark", "to_be_marked"]


@transaction.atomic
def hand_in(*, attempt: Attempt, data: Mapping[str, Any], by: Actor) -> HandIn:
    """What was answered in an attempt, which ends with it. Raises PlaceClosed, AttemptEnded."""
    policy.require(by, "learn", attempt)
    check_place(attempt.enrolment)
    if attempt.ended_at is not None:
        raise AttemptEnded(attempt.module.title)
    now = clock.now()
    handed_in = HandIn.objects.create(attempt=attempt, at=now, day=day_of(now, clock.zone()), data=dict(data))
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


def to_be_marked(module: int) -> list[HandIn]:
    """What was handed in for a module and has no mark yet, the oldest first."""
    waiting = HandIn.objects.known_now().filter(attempt__module=module)
    marked = Mark.objects.known_now().filter(hand_in__in=waiting).values("hand_in")
    return list(waiting.exclude(pk__in=marked).select_related("attempt__enrolment__person").order_by("at", "pk"))
