"""Taking back what was recorded or confirmed of training from outside."""

from __future__ import annotations

from django.db.models import QuerySet

from stepladder.events import Act
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.learning.actions import revoke_completion
from stepladder.outside.models import OutsideTraining
from stepladder.people.models import Person

__all__ = ["register"]

State = OutsideTraining.State


def _training(entry: Entry) -> OutsideTraining:
    return OutsideTraining.objects.select_related("person", "completion__course").get(public_id=entry.data["training"])


def _people(entry: Entry) -> QuerySet[Person]:
    return Person.objects.filter(outside_training__public_id=entry.data["training"])


def _against(entry: Entry) -> list[str]:
    training = _training(entry)
    if training.state != State.CONFIRMED:
        return [f"“{training.title}” is {training.get_state_display()} by now."]
    if training.completion is not None and training.completion.is_revoked:
        return ["Its completion was revoked, or corrected, since."]
    return []


def _undo(entry: Entry, act: Act) -> None:
    training = _training(entry)
    if training.completion is not None:
        revoke_completion(completion=training.completion, because="taken back", by=act.by)
    # What was asked for waits again; what was only written down never was.
    training.state = State.ASKED if entry.verb == "confirm_outside" else State.WITHDRAWN
    training.completion = None
    training.decided_at, training.decided_by, training.words = None, "", ""
    training.save(update_fields=["state", "completion", "decided_at", "decided_by", "words"])


def register() -> None:
    """Hand in the ways back."""
    for verb in ("record_outside", "confirm_outside"):
        undoing.add_inverse("change records", verb, whose=_people, depends=_against, undo=_undo)
