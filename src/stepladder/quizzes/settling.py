"""What a paper that was handed in comes to: each answer by the key that holds, the score, and what follows from it. Rule: 7."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from django.db import transaction
from django.db.models import BooleanField, ExpressionWrapper, Q

from stepladder.core.questions import BY_HAND, grade, read_answer, read_question
from stepladder.core.questions.variants import fill
from stepladder.core.quizzes import Counts, Earned, Plan, counting, has_passed, read_plan, score_of
from stepladder.events import Doer
from stepladder.journal.actions import Actor, Machine
from stepladder.learning.marking import hand_in as hand_in_attempt
from stepladder.learning.marking import mark, score_step
from stepladder.learning.models import Attempt, HandIn
from stepladder.quizzes.asking import order_shown, question_of
from stepladder.quizzes.models import Answer, Paper, Wording
from stepladder.quizzes.papers import papers_of

__all__ = ["MACHINE", "judge", "reckon", "settle", "worth_by", "write_hand_in"]

MACHINE = Machine("Marking")


def judge(answer: Answer) -> None:
    """What was answered, whatever order it was shown in, and what that is worth by the key that holds. Raises BadAnswer.

    Nothing where it is empty; None where a marker is to say it.
    """
    question = question_of(answer)
    given = read_answer(question, answer.given, order_shown(answer, question))
    answer.chosen = list(given) if isinstance(given, tuple) else given
    if question.kind in BY_HAND:
        answer.share = Fraction(0) if given is None else None
    else:
        answer.share = grade(question_of(answer, answer.wording.holding), given)


def reckon(paper: Paper) -> bool:
    """The score of a paper that was handed in, for whoever calls it to keep; False while an answer is still to be marked.

    What was left empty is worth nothing, also where a marker would say it.
    """
    plan = read_plan(paper.quiz.plan)
    empty = ExpressionWrapper(Q(chosen__isnull=True), output_field=BooleanField())
    rows = paper.answers.values_list("section", "points", "share", empty)
    earned = [Earned(section, points, Fraction(0) if is_empty else share) for section, points, share, is_empty in rows]
    score = score_of(plan, earned)
    if score is None:
        return False
    paper.score, paper.has_passed = score, has_passed(score, plan)
    return True


@transaction.atomic
def write_hand_in(paper: Paper, *, by: Actor | None = None) -> HandIn:
    """The fact that a paper was handed in, with all that was answered, *by* whom (None: by whose it is); the attempt ends with it.

    Twice is as once. Raises PlaceClosed.
    """
    attempt = paper.attempt
    known: HandIn | None = HandIn.objects.known_now().filter(attempt=attempt).first()
    if known is not None:
        return known
    paper.answers.filter(chosen__isnull=True).update(share="0")
    answers = paper.answers.values_list("wording__public_id", "chosen", "drawn", "points")
    account = attempt.enrolment.person.account
    who = by or (Doer(account.public_id, account.name) if account else MACHINE)
    data = {"answers": [_proof(*one) for one in answers]}
    made = hand_in_attempt(attempt=attempt, data=data, by=who, at=paper.handed_in_at)
    attempt.refresh_from_db(fields=["ended_at", "status"])
    return made


def _proof(wording: str, chosen: Any, drawn: Any, points: int) -> dict[str, Any]:
    """What the fact keeps of an answer: which wording was asked, with which numbers, and what was answered, by that wording."""
    said = {"wording": wording, "chosen": chosen, "points": points}
    return said | ({"drawn": drawn} if drawn else {})


def worth_by(answer: Answer, key: Wording) -> Fraction | None:
    """What an answer that was handed in is worth by the key of a wording like its own."""
    question = read_question(fill(key.data, answer.drawn))
    return grade(question, tuple(answer.chosen) if isinstance(answer.chosen, list) else answer.chosen)


@transaction.atomic
def settle(paper: Paper, *, by: Actor, note: str = "") -> bool:
    """What follows from the score of a paper that was handed in; False while an answer is still to be marked. Twice is as once.

    Whoever calls it has asked whether it may be. Raises CountedSince.
    """
    handed_in = write_hand_in(paper)
    if not reckon(paper):
        return False
    paper.save(update_fields=["score", "has_passed"])
    plan, attempt = read_plan(paper.quiz.plan), paper.attempt
    # The rows at hand, not others like them.
    handed_in.attempt = attempt
    # Where the first attempt counts, those after it are for oneself.
    is_counted = plan.conditions.counts != Counts.FIRST or attempt.number == 1
    mark(handed_in=handed_in, has_passed=bool(paper.has_passed) and is_counted, score=paper.score, note=note, by=by)
    # The mark of a first attempt has given the step its score.
    if attempt.number > 1:
        _score_the_step(attempt, plan, MACHINE)
    return True


def _score_the_step(attempt: Attempt, plan: Plan, by: Actor) -> None:
    """The step's score is that of the attempt that counts among those that are marked."""
    scores = [paper.score for paper in papers_of(attempt) if paper.score is not None]
    score = scores[counting(scores, plan.conditions.counts)]
    score_step(enrolment=attempt.enrolment, module=attempt.module_id, score=score, by=by)
