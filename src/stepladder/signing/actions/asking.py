"""Asking for a sign-off, and taking it back."""

from __future__ import annotations

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.journal.actions import Actor, record
from stepladder.learning.actions import check_place
from stepladder.learning.models import Attempt
from stepladder.learning.steps import about
from stepladder.notices.actions import Message, tell
from stepladder.people.models import Person
from stepladder.signing.errors import AlreadyDone, SigningError
from stepladder.signing.models import Asked, Task
from stepladder.signing.notices import ASKED, path_to_sign
from stepladder.signing.signers import signers_of

__all__ = ["ask_for_sign_off", "ask_no_more"]


@transaction.atomic
def ask_for_sign_off(*, attempt: Attempt, by: Actor, of: Person | None = None, words: str = "") -> Asked:
    """Whoever may sign it off is told, or only the one who is asked. Asked again, it is as once, of whom and with the words of now.

    Raises PlaceClosed, AlreadyDone, SigningError.
    """
    policy.require(by, "learn", attempt)
    check_place(attempt.enrolment)
    person = attempt.enrolment.person
    if attempt.status == "completed":
        raise AlreadyDone(person.name, attempt.module.title)
    signers = signers_of(person, Task.objects.filter(module=attempt.module).first())
    if of is not None and of.pk not in {one.pk for one in signers}:
        raise SigningError(f"{of.name} does not sign this off any more. Choose somebody else.")
    before = Asked.objects.filter(attempt=attempt, settled_at=None).first()
    said = {"of": of, "words": words[:300]}
    asked, is_new = Asked.objects.update_or_create(
        attempt=attempt, settled_at=None, defaults=said, create_defaults={**said, "at": clock.now()}
    )
    told = [of] if of is not None else signers
    if is_new or (before is not None and before.of_id != asked.of_id):
        data = {"module": attempt.module.title, "of": of.name if of else "whoever may sign it off"}
        record("ask_for_sign_off", by=by, about=about(person), data=data)
        fields = {"name": person.name, "task": attempt.module.title, "words": asked.words or "–"}
        tell(ASKED.name, [Message(one, path_to_sign(attempt), fields) for one in told])
    return asked


@transaction.atomic
def ask_no_more(*, attempt: Attempt, by: Actor) -> None:
    """It is not asked for any more. Twice is as once."""
    policy.require(by, "learn", attempt)
    if Asked.objects.filter(attempt=attempt, settled_at=None).update(settled_at=clock.now()):
        record("ask_no_more", by=by, about=about(attempt.enrolment.person), data={"module": attempt.module.title})
