"""Everything that writes question banks. What a question said stays: attempts were asked it."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.questions import BadQuestion, faults_of, media_beside
from stepladder.core.questions.plain_text import Filed
from stepladder.journal.actions import Actor, Named, record
from stepladder.library.models import Binder, ModuleVersion
from stepladder.quizzes.bringing import Kept
from stepladder.quizzes.errors import NotAQuestion, QuizError
from stepladder.quizzes.models import Bank, KeptItem, Question, Wording, WordingMedia
from stepladder.web.sheets import TOUCHED, touch
from stepladder.writing.beside import PLAYED, are_usable, versions_named

__all__ = [
    "about",
    "add_questions",
    "change_bank",
    "create_bank",
    "drop_item",
    "keep_items",
    "put_back_questions",
    "remove_questions",
    "word_question",
]

MOST_QUESTIONS = 20_000


def about(bank: Bank) -> Named:
    return Named("bank", bank.public_id, bank.name)


@transaction.atomic
def create_bank(*, binder: Binder, name: str, by: Actor, note: str = "") -> Bank:
    """An empty bank in a binder."""
    policy.require(by, "change modules", binder)
    bank = Bank.objects.create(binder=binder, name=name, note=note, changed_at=clock.now(), changed_by=by.name)
    record("create_bank", by=by, about=about(bank), data={"binder": binder.name})
    return bank


@transaction.atomic
def change_bank(*, bank: Bank, revision: int | None, name: str, note: str, by: Actor) -> Bank:
    """Its name and what it is for. Raises NewerChange."""
    policy.require(by, "change modules", bank.binder)
    touch(bank, revision=revision, by_name=by.name)
    bank.name, bank.note = name, note
    bank.save(update_fields=[*TOUCHED, "name", "note"])
    return bank


@transaction.atomic
def add_questions(*, bank: Bank, questions: Sequence[Filed], by: Actor) -> list[Question]:
    """New questions; those that were read can be asked. Raises NotAQuestion, QuizError."""
    policy.require(by, "change modules", bank.binder)
    if bank.questions.count() + len(questions) > MOST_QUESTIONS:
        raise QuizError(f"A bank has at most {MOST_QUESTIONS} questions. Make another one.")
    for one in questions:
        _check(one.raw)
    media = _usable_media([one.raw for one in questions], (), by)
    made = Question.objects.bulk_create(
        (
            Question(
                bank=bank,
                topic=one.topic,
                difficulty=one.difficulty,
                skill=one.skill,
                kind=one.raw["kind"],
                asked=one.raw.get("text", ""),
            )
            for one in questions
        ),
        batch_size=500,
    )
    wordings = Wording.objects.bulk_create(
        (
            Wording(question=row, number=1, data=one.raw, made_at=clock.now(), made_by=by.name)
            for row, one in zip(made, questions, strict=True)
        ),
        batch_size=500,
    )
    _keep_media(wordings, media)
    for row, wording in zip(made, wordings, strict=True):
        row.newest = wording
    Question.objects.bulk_update(made, ["newest"], batch_size=500)
    if made:
        record(
            "add_questions",
            by=by,
            about=about(bank),
            data={"count": len(made), "questions": [row.public_id for row in made]},
        )
    return made


@transaction.atomic
def keep_items(*, bank: Bank, items: Sequence[Kept], by: Actor) -> int:
    """Items that came in with others and are not asked here stay beside the bank as they came, each once; how many are new."""
    policy.require(by, "change modules", bank.binder)
    there = set(bank.kept_items.values_list("body", flat=True))
    new = {one.body: one for one in items if one.body not in there}
    KeptItem.objects.bulk_create(
        (KeptItem(bank=bank, title=one.title[:200], unknown=one.unknown[:200], body=one.body) for one in new.values()),
        batch_size=100,
    )
    if new:
        record("keep_items", by=by, about=about(bank), data={"count": len(new)})
    return len(new)


@transaction.atomic
def drop_item(*, item: KeptItem, by: Actor) -> None:
    """An item that is not kept any more."""
    policy.require(by, "change modules", item.bank.binder)
    record("drop_item", by=by, about=about(item.bank), data={"item": item.title})
    item.delete()


def _check(raw: Mapping[str, Any]) -> None:
    try:
        faults = faults_of(raw)
    except BadQuestion as refusal:
        faults = [f"cannot be read: {refusal}"]
    if faults:
        raise NotAQuestion(faults)


def _usable_media(raws: Sequence[Mapping[str, Any]], before: Sequence[str], by: Actor) -> dict[str, ModuleVersion]:
    """The films and sound beside questions, by their names; those that were not there *before*, whoever puts them there may use.

    Raises QuizError.
    """
    named = {name for raw in raws for name in media_beside(raw)}
    found = versions_named(named)
    is_played = all(version.module.kind in PLAYED for version in found.values())
    if len(found) < len(named) or not is_played or not are_usable(named - set(before), by):
        raise QuizError("A film or sound beside it is not yours to use, or is gone. Choose another in its stead.")
    return found


def _keep_media(wordings: Sequence[Wording], media: Mapping[str, ModuleVersion]) -> None:
    WordingMedia.objects.bulk_create(
        WordingMedia(wording=wording, version=media[name])
        for wording in wordings
        for name in media_beside(wording.data)
    )


@transaction.atomic
def word_question(
    *,
    question: Question,
    raw: Mapping[str, Any],
    topic: str,
    difficulty: str,
    skill: str,
    by: Actor,
    was: int | None = None,
) -> Question:
    """What a question says from now on; released quizzes go on asking what they were released with.

    *was* is the wording that was opened (None: whichever). Raises NotAQuestion, QuizError.
    """
    policy.require(by, "change modules", question.bank.binder)
    _check(raw)
    question.refresh_from_db(from_queryset=Question.objects.select_for_update().select_related("newest"))
    newest = question.newest
    assert newest is not None
    if was is not None and newest.number != was:
        raise QuizError(
            f"{newest.made_by} changed this question in the meantime. Nothing of yours was saved: look at what it says now."
        )
    question.topic, question.difficulty, question.skill = topic, difficulty, skill
    if dict(raw) != newest.data:
        media = _usable_media([raw], media_beside(newest.data), by)
        question.newest = Wording.objects.create(
            question=question, number=newest.number + 1, data=dict(raw), made_at=clock.now(), made_by=by.name
        )
        _keep_media([question.newest], media)
        question.kind, question.asked = raw["kind"], raw.get("text", "")
        record("word_question", by=by, about=about(question.bank), data={"question": question.asked[:80]})
    question.save(update_fields=["topic", "difficulty", "skill", "newest", "kind", "asked"])
    return question


@transaction.atomic
def remove_questions(*, bank: Bank, questions: Sequence[Question], by: Actor) -> int:
    """Take questions out of a bank: drafts draw them no more, released quizzes still do. How many were."""
    policy.require(by, "change modules", bank.binder)
    return _set_removed(bank, questions, True, by)


@transaction.atomic
def put_back_questions(*, bank: Bank, questions: Sequence[Question], by: Actor) -> int:
    """Questions that were taken out are there again. How many were."""
    policy.require(by, "change modules", bank.binder)
    return _set_removed(bank, questions, False, by)


def _set_removed(bank: Bank, questions: Sequence[Question], is_removed: bool, by: Actor) -> int:
    rows = bank.questions.filter(pk__in=[one.pk for one in questions], removed_at__isnull=is_removed)
    keys = list(rows.values_list("public_id", flat=True))
    if keys:
        rows.update(removed_at=clock.now() if is_removed else None)
        verb = "remove_questions" if is_removed else "put_back_questions"
        record(verb, by=by, about=about(bank), data={"count": len(keys), "questions": keys})
    return len(keys)
