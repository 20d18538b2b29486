"""What a paper that was handed in comes to: each answer by the key that holds, the score, and what follows from it. Rule: 7."""

from __future__ import annotations

from fractions import Fraction

from django.db import transaction

from stepladder.core.questions import BY_HAND, grade, read_answer, read_question
from stepladder.core.questions.variants import fill
from stepladder.core.quizzes import Counts, Earned, Plan, counting, has_passed, read_plan, score_of
from stepladder.journal.actions import Actor, Machine
from stepladder.learning.marking import mark, score_step
from stepladder.learning.models import Attempt, HandIn
from stepladder.quizzes.asking import order_shown, question_of
from stepladder.quizzes.models import Answer, Paper, Wording
from stepladder.quizzes.papers import papers_of

__all__ = ["MACHINE", "judge", "reckon", "settle", "worth_by"]

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
    """The score of a paper that was handed in, kept with it; False while an answer is still to be marked."""
    plan = read_plan(paper.quiz.plan)
    rows = paper.answers.values_list("section", "points", "share")
    score = score_of(plan, [Earned(section, points, share) for section, points, share in rows])
    if score is None:
        return False
    paper.score, paper.has_passed = score, has_passed(score, plan)
    paper.save(update_fields=["score", "has_passed"])
    return True


def worth_by(answer: Answer, key: Wording) -> Fraction | None:
    """What an answer that was handed in is worth by the key of a wording like its own."""
    question = read_question(fill(key.data, answer.drawn))
    return grade(question, tuple(answer.chosen) if isinstance(answer.chosen, list) else answer.chosen)


@transaction.atomic
def settle(paper: Paper, *, by: Actor, note: str = "") -> bool:
    """What follows from the score of a paper that was handed in; False while an answer is still to be marked. Twice is as once.

    Whoever calls it has asked whether it may be. Raises CountedSince.
    """
    if not reckon(paper):
        return False
    plan, attempt = read_plan(paper.quiz.plan), paper.attempt
    handed_in = HandIn.objects.known_now().get(attempt=attempt)
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
