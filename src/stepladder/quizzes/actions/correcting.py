"""A key that was wrong: what was answered is judged anew by the question as it says now. What follows is shown before, and taken back.

Nobody who has passed loses it by a correction: what is given is not taken away by what somebody else wrote wrongly.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from django.db import transaction

from stepladder.accounts import policy
from stepladder.core.questions import BY_HAND, read_question
from stepladder.core.quizzes import Earned, has_passed, read_plan, score_of
from stepladder.events import Act
from stepladder.journal.actions import Actor, Named, record
from stepladder.learning.errors import CountedSince
from stepladder.queue.actions import in_pieces
from stepladder.quizzes.actions.banks import about
from stepladder.quizzes.errors import QuizError
from stepladder.quizzes.models import Answer, Paper, Wording
from stepladder.quizzes.settling import MACHINE, settle, worth_by

__all__ = ["Effect", "correct_key", "effect_of", "judge_anew", "take_correction_back"]

PIECES = "judge anew"


@dataclass(frozen=True)
class Effect:
    """What judging a wording by another one's key comes to: papers whose score changes, those that pass by it, those that keep passing."""

    changed: Sequence[Paper]
    passes: Sequence[Paper]
    keeps: Sequence[Paper]


def _check_alike(old: Wording, new: Wording) -> None:
    """Whether what was answered to one can be judged by the other. Raises QuizError."""
    one, other = read_question(old.data), read_question(new.data)
    is_alike = (
        one.kind == other.kind
        and len(one.choices) == len(other.choices)
        and len(one.pairs) == len(other.pairs)
        and one.is_shuffled == other.is_shuffled
        and [range_.name for range_ in one.drawn] == [range_.name for range_ in other.drawn]
    )
    if not is_alike or one.kind in BY_HAND:
        raise QuizError(
            "What the question says now has other answers, so that those given then cannot be judged by it. Change only "
            "which of them are right; what is new is asked from the next release on."
        )


def _papers(wording: Wording) -> list[Paper]:
    rows = Paper.objects.filter(answers__wording=wording, handed_in_at__isnull=False)
    related = (
        "quiz",
        "attempt__enrolment__person",
        "attempt__enrolment__course",
        "attempt__module",
        "attempt__version",
    )
    return list(rows.select_related(*related).order_by("pk"))


def effect_of(wording: Wording, key_from: Wording) -> Effect:
    """What it would come to, without doing it. Raises QuizError."""
    _check_alike(wording, key_from)
    papers = _papers(wording)
    rows: dict[int, list[Answer]] = {}
    for answer in Answer.objects.filter(paper__in=papers).only(
        "paper", "section", "points", "share", "wording", "chosen", "drawn"
    ):
        rows.setdefault(answer.paper_id, []).append(answer)
    changed, passes, keeps = [], [], []
    for paper in papers:
        plan = read_plan(paper.quiz.plan)
        earned = [
            Earned(one.section, one.points, worth_by(one, key_from) if one.wording_id == wording.pk else one.share)
            for one in rows.get(paper.pk, [])
        ]
        score = score_of(plan, earned)
        if score is None or score == paper.score:
            continue
        passed = has_passed(score, plan)
        if paper.has_passed and not passed:
            keeps.append(paper)
            continue
        changed.append(paper)
        if passed and not paper.has_passed:
            passes.append(paper)
    return Effect(changed, passes, keeps)


@transaction.atomic
def correct_key(*, wording: Wording, key_from: Wording, by: Actor) -> Effect:
    """From now on the wording is judged by the key of a later one; everybody who was asked it is judged anew. Raises QuizError."""
    bank = wording.question.bank
    policy.require(by, "change modules", bank.binder)
    if key_from.question_id != wording.question_id:
        raise QuizError("This is another question.")
    effect = effect_of(wording, key_from)
    Wording.objects.filter(pk=wording.pk).update(key_from=key_from)
    _judge_open(wording, key_from)
    keys = [paper.pk for paper in effect.changed]
    data = {"question": wording.question.asked[:80], "count": len(keys), "wording": wording.public_id}
    entry = record("correct_key", by=by, about=about(bank), data=data)
    if keys:
        about_bank = Named("bank", bank.public_id, bank.name)
        in_pieces(PIECES, act=entry.act, ids=keys, about=about_bank, wording=wording.pk)
    return effect


def _judge_open(wording: Wording, key: Wording) -> None:
    """What is answered on papers under way was judged as it was saved."""
    rows = list(Answer.objects.filter(wording=wording, paper__handed_in_at=None).exclude(chosen__isnull=True))
    for answer in rows:
        answer.share = worth_by(answer, key)
    Answer.objects.bulk_update(rows, ["share"], batch_size=200)


@transaction.atomic
def judge_anew(papers: Sequence[int], act: Act, *, wording: int) -> None:
    """A piece of those who were asked it: their answers by the key that holds now, and what follows from their scores."""
    asked = Wording.objects.select_related("key_from").get(pk=wording)
    key = asked.key_from or asked
    related = (
        "quiz",
        "attempt__enrolment__person",
        "attempt__enrolment__course",
        "attempt__module",
        "attempt__version",
    )
    for paper in Paper.objects.select_related(*related).filter(pk__in=papers):
        for answer in paper.answers.filter(wording=wording):
            answer.share = worth_by(answer, key)
            answer.save(update_fields=["share"])
        try:
            with transaction.atomic():
                settle(paper, by=MACHINE)
        except CountedSince:
            # A completion rests on it: it is not taken away in passing, and the paper stands as it was.
            paper.refresh_from_db(fields=["score", "has_passed"])


@transaction.atomic
def take_correction_back(*, wording: Wording, act: Act) -> None:
    """Judged by its own key again; who has completed a course by the correction keeps it."""
    policy.require(act.by, "change modules", wording.question.bank.binder)
    Wording.objects.filter(pk=wording.pk).update(key_from=None)
    _judge_open(wording, wording)
    keys = list(Paper.objects.filter(answers__wording=wording, handed_in_at__isnull=False).values_list("pk", flat=True))
    if keys:
        in_pieces(PIECES, act=act, ids=keys, wording=wording.pk)
