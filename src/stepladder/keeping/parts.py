"""What goes when only somebody's number is kept: rows that are about nobody else, and words within rows that stay.

Facts stay but for their words: who completed what, when and with which score, where they were placed, what was asked of them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from django.db.models import Model, Q, QuerySet

from stepladder.accounts.models import RoleGrant, SignInLink, Visit, WrongGuesses
from stepladder.assignments.models import Waiver
from stepladder.catalogue.models import Following, Kept, PassedOn, Rating, Request
from stepladder.charts.models import AdministeredPart
from stepladder.facts import Fact
from stepladder.learning.models import Attempt, Enrolment, HandIn, Mark
from stepladder.library.models import KeptSearch, ModuleMark, TakenOut
from stepladder.messaging.models import Thread
from stepladder.notices.models import Notice, Sample
from stepladder.outside.models import HistoryRow, OutsideTraining
from stepladder.people.models import FieldValue, Person
from stepladder.people_import.actions import path_of
from stepladder.people_import.models import Import, ImportRow
from stepladder.playing.models import Note, ScoState
from stepladder.quizzes.models import Allowed, Answer, AnswerFile, Marking
from stepladder.reports.models import KeptReport, ReportFile
from stepladder.signing.models import Asked, SignOff
from stepladder.telling.models import Told
from stepladder.timetable.models import CalendarKey

__all__ = ["MESSAGES", "Gone", "Group", "Words", "add_part", "clear", "counts", "imported_files"]

Rows = Callable[[Person], "QuerySet[Any]"]
# Kinds of questions that are answered by what one writes.
WRITTEN = ("text", "long")


@dataclass(frozen=True)
class Gone:
    """Rows that go."""

    rows: Rows


@dataclass(frozen=True)
class Words:
    """Rows that stay, and what of them is emptied: by column what stands there then."""

    rows: Rows
    empty: Mapping[str, Any]

    def found(self, person: Person) -> QuerySet[Any]:
        """Those in which anything stands."""
        said = Q()
        for name, value in self.empty.items():
            said |= ~Q(**({f"{name}__isnull": True} if value is None else {name: value}))
        found: QuerySet[Any] = self.rows(person).filter(said)
        return found


@dataclass(frozen=True)
class Group:
    """What goes, as one line of the page that shows it: its *label*, and of how many rows one speaks."""

    label: str
    parts: Sequence[Gone | Words] = field(default_factory=tuple)


def _of_person(model: type[Model], name: str = "person") -> Rows:
    rows: Any = model._default_manager
    return lambda person: rows.filter(**{name: person.pk})


def _of_account(model: type[Model], name: str = "account") -> Rows:
    rows: Any = model._default_manager
    return lambda person: rows.filter(**{name: person.account_id}) if person.account_id else rows.none()


def _of_attempts(model: type[Model], name: str = "attempt") -> Rows:
    return _of_person(model, f"{name}__enrolment__person")


def _written_answers(person: Person) -> QuerySet[Any]:
    return Answer.objects.filter(paper__attempt__enrolment__person=person, wording__question__kind__in=WRITTEN)


def _with_answers_handed_in(person: Person) -> QuerySet[Any]:
    return Attempt.objects.filter(enrolment__person=person, hand_ins__isnull=False)


def _imported(person: Person) -> QuerySet[Any]:
    # As a cell of its own: a number may be part of many others.
    return ImportRow.objects.filter(cells__icontains=f'"{person.employee_number}"')


def imported_files(person: Person) -> list[Path]:
    """The files, as they came, of imports that named somebody and are over."""
    jobs = Import.objects.filter(state=Import.State.DONE, rows__in=_imported(person)).distinct()
    return [path_of(job) for job in jobs]


def _guesses(person: Person) -> QuerySet[Any]:
    return WrongGuesses.objects.filter(key__icontains=person.email) if person.email else WrongGuesses.objects.none()


MESSAGES = "messages to them"
GROUPS = [
    Group("further fields", (Words(_of_person(FieldValue), {"value": "–"}),)),
    Group(
        "parts of their sign-in: roles, links, visits",
        (
            Gone(_of_account(RoleGrant)),
            Gone(_of_account(SignInLink)),
            Gone(_of_account(Visit)),
            Gone(_of_account(AdministeredPart)),
            Gone(_guesses),
        ),
    ),
    Group(
        MESSAGES,
        (
            Gone(_of_person(Notice)),
            Gone(_of_person(Sample)),
            Gone(_of_person(Thread)),
            Gone(lambda person: Told.objects.filter(Q(reader=person) | Q(person=person))),
        ),
    ),
    Group(
        "things they kept, followed, noted or passed on",
        (
            Gone(_of_person(Following)),
            Gone(_of_person(Kept)),
            Gone(lambda person: PassedOn.objects.filter(Q(by=person) | Q(to=person))),
            Gone(_of_account(Note)),
            Gone(_of_account(KeptSearch)),
            Gone(_of_account(ModuleMark)),
            Gone(_of_account(KeptReport, "owner")),
            Gone(_of_account(ReportFile)),
            Gone(_of_account(TakenOut)),
            Gone(_of_person(CalendarKey)),
        ),
    ),
    Group(
        "answers they wrote, and what packages kept of them",
        (
            Words(_of_attempts(HandIn), {"data": {}}),
            Words(_with_answers_handed_in, {"data": {}}),
            Words(_written_answers, {"given": None, "chosen": None}),
            Gone(_of_attempts(AnswerFile, "answer__paper__attempt")),
            Words(_of_attempts(ScoState), {"values": {}, "launch": "", "before": []}),
        ),
    ),
    Group(
        "words about them, by them, pictures and signatures",
        (
            Words(_of_attempts(Mark, "hand_in__attempt"), {"note": ""}),
            Words(_of_attempts(Marking, "answer__paper__attempt"), {"note": ""}),
            Words(_of_attempts(Answer, "paper__attempt"), {"note": ""}),
            Words(
                _of_attempts(SignOff),
                {"note": "", "reason": "", "photo": "", "photo_shows": "", "signature_of_learner": None},
            ),
            Words(_of_person(SignOff, "signer"), {"signature": []}),
            Words(_of_attempts(Asked), {"words": ""}),
            Words(_of_person(Rating), {"words": ""}),
            Words(_of_person(Request), {"words": "", "answer": ""}),
            Words(_of_person(Enrolment), {"closed_because": ""}),
            Words(_of_person(Waiver), {"reason": ""}),
            Words(_of_person(Allowed), {"because": ""}),
        ),
    ),
    Group(
        "documents and notes of training outside",
        (Words(_of_person(OutsideTraining), {"note": "", "document": None, "document_name": "", "words": ""}),),
    ),
    Group(
        "rows of files that named them",
        (
            Words(_of_person(HistoryRow), {"cells": [], "note": ""}),
            Words(_imported, {"cells": [], "messages": [], "notes": []}),
        ),
    ),
]


def add_part(label: str, part: Gone | Words) -> None:
    """Hand in what goes as well, under the label of a line."""
    place = next(n for n, group in enumerate(GROUPS) if group.label == label)
    GROUPS[place] = replace(GROUPS[place], parts=(*GROUPS[place].parts, part))


def counts(person: Person) -> list[tuple[str, int]]:
    """(label, rows) of everything there is to go."""
    found = []
    for group in GROUPS:
        rows = sum((p.rows(person) if isinstance(p, Gone) else p.found(person)).count() for p in group.parts)
        if rows:
            found.append((group.label, rows))
    return found


def clear(person: Person) -> list[Fact]:
    """Let it all go; the facts whose words were emptied, as they are now, for the journal."""
    facts: list[Fact] = []
    for group in GROUPS:
        for part in group.parts:
            if isinstance(part, Gone):
                part.rows(person).delete()
            else:
                facts += _empty(part, person)
    return facts


def _empty(part: Words, person: Person) -> list[Fact]:
    rows = part.found(person)
    keys = list(rows.values_list("pk", flat=True))
    model: Any = rows.model
    model._base_manager.filter(pk__in=keys).update(**part.empty)
    return list(model._base_manager.filter(pk__in=keys)) if issubclass(model, Fact) else []
