"""What somebody is allowed in quizzes beyond what all are: more time, more attempts. It holds for papers begun from then on."""

from __future__ import annotations

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.quizzes.errors import QuizError
from stepladder.quizzes.models import Allowed

__all__ = ["allow", "end_allowed"]


@transaction.atomic
def allow(
    *, person: Person, module: Module | None, extra_time: int, extra_attempts: int, because: str, by: Actor
) -> Allowed:
    """So many per cent more time and so many more attempts, in one quiz or (None) in all; in the place of what held there before."""
    policy.require(by, "change people", person)
    if not extra_time and not extra_attempts:
        raise QuizError("Say how much more time, or how many more attempts.")
    now = clock.now()
    Allowed.objects.filter(person=person, module=module, ended_at=None).update(ended_at=now)
    row = Allowed.objects.create(
        person=person,
        module=module,
        extra_time=extra_time,
        extra_attempts=extra_attempts,
        because=because,
        by_name=by.name,
        at=now,
    )
    data = {"time": extra_time, "attempts": extra_attempts, "where": _where(module), "because": because, "key": row.pk}
    record("allow_in_quizzes", by=by, about=_about(person), data=data)
    return row


@transaction.atomic
def end_allowed(*, allowed: Allowed, by: Actor) -> None:
    """From now on it is as for all. Twice is as once."""
    policy.require(by, "change people", allowed.person)
    if Allowed.objects.filter(pk=allowed.pk, ended_at=None).update(ended_at=clock.now()):
        data = {"where": _where(allowed.module), "key": allowed.pk}
        record("end_allowed_in_quizzes", by=by, about=_about(allowed.person), data=data)


def _where(module: Module | None) -> str:
    return f"“{module.title}”" if module else "every quiz"


def _about(person: Person) -> Named:
    return Named("person", person.public_id, person.name)
