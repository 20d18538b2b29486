"""The way back from what was done to the questions of a bank."""

from __future__ import annotations

from django.db.models import QuerySet

from stepladder import clock
from stepladder.events import Act
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.library.models import Binder
from stepladder.quizzes.models import Question

__all__ = ["register"]


def _questions(entry: Entry) -> QuerySet[Question]:
    return Question.objects.filter(public_id__in=entry.data["questions"])


def _binder(entry: Entry) -> QuerySet[Binder]:
    return Binder.objects.filter(banks__public_id=entry.object_id)


def _take_out(entry: Entry, act: Act) -> None:
    _questions(entry).filter(removed_at=None).update(removed_at=clock.now())


def _put_back(entry: Entry, act: Act) -> None:
    _questions(entry).exclude(removed_at=None).update(removed_at=None)


def register() -> None:
    """Hand in the ways back."""
    undoing.add_inverse("change modules", "add_questions", whose=_binder, undo=_take_out)
    undoing.add_inverse("change modules", "remove_questions", whose=_binder, undo=_put_back)
    undoing.add_inverse("change modules", "put_back_questions", whose=_binder, undo=_take_out)
