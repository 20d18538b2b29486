"""The way back from what was done to the questions of a bank."""

from __future__ import annotations

from django.db.models import QuerySet

from stepladder import clock
from stepladder.events import Act
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.library.models import Binder
from stepladder.people.models import Person
from stepladder.quizzes.actions.correcting import take_correction_back
from stepladder.quizzes.models import Allowed, Question, Wording

__all__ = ["register"]


def _questions(entry: Entry) -> QuerySet[Question]:
    return Question.objects.filter(public_id__in=entry.data["questions"])


def _binder(entry: Entry) -> QuerySet[Binder]:
    return Binder.objects.filter(banks__public_id=entry.object_id)


def _take_out(entry: Entry, act: Act) -> None:
    _questions(entry).filter(removed_at=None).update(removed_at=clock.now())


def _put_back(entry: Entry, act: Act) -> None:
    _questions(entry).exclude(removed_at=None).update(removed_at=None)


def _person(entry: Entry) -> QuerySet[Person]:
    return Person.objects.filter(public_id=entry.object_id)


def _allow_no_more(entry: Entry, act: Act) -> None:
    Allowed.objects.filter(pk=entry.data["key"], ended_at=None).update(ended_at=clock.now())


def _allow_again(entry: Entry, act: Act) -> None:
    Allowed.objects.filter(pk=entry.data["key"]).update(ended_at=None)


def _key_as_it_was(entry: Entry, act: Act) -> None:
    wording = Wording.objects.select_related("question__bank__binder").get(public_id=entry.data["wording"])
    take_correction_back(wording=wording, act=act)


def register() -> None:
    """Hand in the ways back."""
    undoing.add_inverse("change modules", "correct_key", whose=_binder, undo=_key_as_it_was)
    undoing.add_inverse("change people", "allow_in_quizzes", whose=_person, undo=_allow_no_more)
    undoing.add_inverse("change people", "end_allowed_in_quizzes", whose=_person, undo=_allow_again)
    undoing.add_inverse("change modules", "add_questions", whose=_binder, undo=_take_out)
    undoing.add_inverse("change modules", "remove_questions", whose=_binder, undo=_put_back)
    undoing.add_inverse("change modules", "put_back_questions", whose=_binder, undo=_take_out)
