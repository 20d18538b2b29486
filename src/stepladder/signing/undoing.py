"""The way back from a sign-off, and from who was named at a task."""

from __future__ import annotations

from django.db.models import QuerySet

from stepladder.events import Act
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.learning.models import Enrolment
from stepladder.library.models import Module
from stepladder.people.models import Person
from stepladder.signing.actions.sign_offs import resting_on_sign_off, take_sign_off_back
from stepladder.signing.models import SignOff, Task

__all__ = ["register"]


def _made(entry: Entry) -> SignOff:
    related = ("attempt__enrolment__person", "attempt__enrolment__course", "attempt__module", "attempt__version")
    made: SignOff = SignOff.objects.select_related(*related).get(public_id=entry.data["sign_off"])
    return made


def _place(entry: Entry) -> QuerySet[Enrolment]:
    return Enrolment.objects.filter(attempts__sign_offs__public_id=entry.data["sign_off"])


def _against(entry: Entry) -> list[str]:
    return [
        f"{name} has completed “{course}” by it since: revoke that completion first."
        for name, course in resting_on_sign_off(_made(entry), entry.data["given"])
    ]


def _undo(entry: Entry, act: Act) -> None:
    take_sign_off_back(made=_made(entry), given=entry.data["given"], by=act.by)


def _module(entry: Entry) -> QuerySet[Module]:
    return Module.objects.filter(public_id=entry.object_id)


def _signers_as_before(entry: Entry, act: Act) -> None:
    task = Task.objects.get(module__public_id=entry.object_id)
    task.named.set(Person.objects.filter(public_id__in=entry.data["before"]))
    task.only_named = entry.data["only_before"]
    task.save(update_fields=["only_named"])


def register() -> None:
    """Hand in the ways back."""
    undoing.add_inverse("sign off", "sign_off_task", whose=_place, depends=_against, undo=_undo)
    undoing.add_inverse("change modules", "name_signers", whose=_module, undo=_signers_as_before)
