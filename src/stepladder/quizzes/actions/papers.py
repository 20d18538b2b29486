"""Everything that writes papers: begun, answered, handed in. The time is the server's; each answer is saved by itself."""

from __future__ import annotations

import random
import secrets
from datetime import datetime
from fractions import Fraction
from typing import Any

from django.db import transaction
from django.db.models import Q

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.questions import BY_HAND, BadAnswer, Kind, grade, read_answer, read_question
from stepladder.core.questions.variants import BadFormula, draw_values
from stepladder.core.quizzes import (
    GRACE,
    Allowance,
    Counts,
    Drawn,
    Earned,
    Plan,
    counting,
    draw,
    ends_at,
    has_passed,
    is_over,
    next_attempt,
    read_plan,
    score_of,
    shortages,
)
from stepladder.journal.actions import Actor, Machine
from stepladder.learning.actions import begin_again, check_place, keep_attempt
from stepladder.learning.marking import hand_in as hand_in_attempt
from stepladder.learning.marking import mark, score_step
from stepladder.learning.models import Attempt, HandIn
from stepladder.learning.time_spent import MOST_SECONDS, add_time
from stepladder.playing.reading import Unreadable
from stepladder.quizzes.asking import order_shown, question_of
from stepladder.quizzes.errors import AnsweredElsewhere, HandedIn, NoMoreAttempts, NothingToDraw, TimeIsUp
from stepladder.quizzes.models import Allowed, Answer, Paper, QuizVersion, Wording
from stepladder.quizzes.pools import pools_of_version

__all__ = [
    "allowance_of",
    "answer_question",
    "begin_paper",
    "hand_in_paper",
    "late_papers",
    "papers_of",
    "settle",
    "worth",
]

MACHINE = Machine("Marking")
RELATED = ("attempt__enrolment__person", "attempt__enrolment__course", "attempt__module", "attempt__version", "quiz")
# So many reports of a page are known again.
MOST_HEARD = 50


def papers_of(attempt: Attempt) -> list[Paper]:
    """All papers of the step that an attempt is at, in their order."""
    rows = Paper.objects.filter(attempt__enrolment=attempt.enrolment_id, attempt__module=attempt.module_id)
    return list(rows.select_related(*RELATED).order_by("attempt__number"))


def allowance_of(attempt: Attempt) -> Allowance:
    """What whoever makes it is allowed beyond what all are: of several the most."""
    rows = Allowed.objects.filter(
        Q(module=None) | Q(module=attempt.module_id), person=attempt.enrolment.person_id, ended_at=None
    ).values_list("extra_time", "extra_attempts")
    return Allowance(max((time for time, _ in rows), default=0), max((more for _, more in rows), default=0))


@transaction.atomic
def begin_paper(*, attempt: Attempt, by: Actor, drawing: random.Random | None = None) -> Paper:
    """The questions of an attempt, drawn; from now on its time runs. Begun already, it is that paper; ended, it is another attempt's.

    Raises PlaceClosed, NoMoreAttempts, NothingToDraw.
    """
    policy.require(by, "learn", attempt)
    check_place(attempt.enrolment)
    papers = papers_of(attempt)
    if papers and papers[-1].handed_in_at is None:
        return papers[-1]
    quiz = QuizVersion.objects.get(version=attempt.version)
    plan, allowance, now = read_plan(quiz.plan), allowance_of(attempt), clock.now()
    last = papers[-1].handed_in_at if papers else None
    coming = next_attempt(plan.conditions, allowance, len(papers), last)
    if papers and not coming.may_begin(now):
        raise NoMoreAttempts(None if coming.left == 0 else coming.opens)
    if attempt.ended_at is not None:
        attempt = begin_again(attempt=attempt, by=by)
        # It may be on a newer version by now.
        quiz = QuizVersion.objects.get(version=attempt.version)
        plan = read_plan(quiz.plan)
    pools = pools_of_version(quiz)
    if shortages(plan, pools):
        raise NothingToDraw
    chance = drawing or secrets.SystemRandom()
    paper = Paper.objects.create(
        attempt=attempt,
        quiz=quiz,
        begun_at=now,
        ends_at=ends_at(now, plan.conditions, allowance),
        extra_time=allowance.extra_time if plan.conditions.minutes else 0,
        is_marked_twice=chance.randrange(100) < plan.conditions.marked_twice,
    )
    _lay_out(paper, draw(plan, pools, chance), chance)
    return paper


def _lay_out(paper: Paper, drawn: list[Drawn], chance: random.Random) -> None:
    wordings = {row.pk: row for row in Wording.objects.filter(pk__in=[one.question for one in drawn])}
    answers = []
    for place, one in enumerate(drawn, 1):
        wording = wordings[one.question]
        ranges = read_question(wording.data).drawn
        try:
            numbers = draw_values(ranges, wording.data, chance) if ranges else {}
        except BadFormula:
            raise NothingToDraw from None
        answers.append(
            Answer(paper=paper, place=place, section=one.section, points=one.points, wording=wording, drawn=numbers)
        )
    Answer.objects.bulk_create(answers)


@transaction.atomic
def answer_question(
    *,
    attempt: Attempt,
    place: int,
    given: Any,
    is_set_aside: bool,
    revision: int,
    tab: str,
    by: Actor,
    seconds: float = 0,
    name: str = "",
    ago: float = 0,
) -> Answer:
    """An answer, saved at once. *revision* is that of the answer that one saw, in a *tab*: what another tab saved since is not written
    over. *name* is what the page calls the report: sent twice it counts once.

    Raises PlaceClosed, HandedIn, TimeIsUp, AnsweredElsewhere, Unreadable.
    """
    policy.require(by, "learn", attempt)
    paper = Paper.objects.select_related(*RELATED).filter(attempt=attempt).first()
    if paper is None:
        raise Unreadable("this quiz is not begun")
    attempt = paper.attempt
    check_place(attempt.enrolment)
    answer = paper.answers.select_related("wording").filter(place=place).first()
    if answer is None:
        raise Unreadable("there is no such question on this paper")
    if name and name in attempt.data.get("heard", ()):
        return answer
    if paper.handed_in_at is not None:
        raise TimeIsUp if paper.ran_out else HandedIn
    if is_over(paper.ends_at, clock.now()):
        raise TimeIsUp
    # A tab that was without a line tells several changes of its own, each of what it saw last.
    if revision != answer.revision and tab != answer.tab:
        raise AnsweredElsewhere
    question = question_of(answer)
    if question.kind == Kind.FILE:
        # Files come by a request of their own; here one is only set aside.
        given = answer.given
    try:
        read_answer(question, given, order_shown(answer, question))
    except BadAnswer as refusal:
        raise Unreadable(str(refusal)) from None
    _save(answer, given=given, is_set_aside=is_set_aside, tab=tab)
    heard = [*attempt.data.get("heard", []), *([name] if name else [])][-MOST_HEARD:]
    spent = attempt.seconds + round(max(0, min(seconds, MOST_SECONDS)))
    data = attempt.data | {"heard": heard, "answered": place}
    keep_attempt(attempt=attempt, data=data, seconds=spent, status="incomplete", score=None)
    add_time(attempt=attempt, seconds=seconds, ago=ago)
    return answer


def _save(answer: Answer, **changes: Any) -> None:
    for field, value in changes.items():
        setattr(answer, field, value)
    answer.revision += 1
    answer.saved_at = clock.now()
    answer.save(update_fields=[*changes, "revision", "saved_at"])


@transaction.atomic
def hand_in_paper(*, paper: Paper, by: Actor) -> Paper:
    """The attempt is over, and what needs no marker is judged at once. Twice is as once. Raises PlaceClosed.

    Where the time was up, it was handed in then.
    """
    attempt = paper.attempt
    policy.require(by, "learn", attempt)
    paper = Paper.objects.select_related(*RELATED).get(pk=paper.pk)
    attempt = paper.attempt
    if paper.handed_in_at is not None or attempt.ended_at is not None:
        return paper
    now = clock.now()
    paper.ran_out = is_over(paper.ends_at, now)
    at = paper.ends_at if paper.ran_out and paper.ends_at else now
    answers = list(paper.answers.select_related("wording__key_from"))
    for answer in answers:
        answer.share = worth(answer)
    Answer.objects.bulk_update(answers, ["share"], batch_size=200)
    paper.handed_in_at = at
    paper.save(update_fields=["handed_in_at", "ran_out"])
    hand_in_attempt(attempt=attempt, data={"answers": [_proof(one) for one in answers]}, by=by, at=at)
    settle(paper, by=MACHINE)
    return paper


def worth(answer: Answer) -> Fraction | None:
    """What an answer is worth by the key that holds; None where a marker says it. What was left empty is worth nothing."""
    question = question_of(answer, answer.wording.holding)
    if question.kind in BY_HAND:
        return Fraction(0) if answer.given in (None, "", []) else answer.share
    try:
        given = read_answer(question, answer.given, order_shown(answer, question))
    except BadAnswer:
        # Its key was corrected by one with other answers: what was chosen then is none of them.
        return Fraction(0)
    return grade(question, given)


def _proof(answer: Answer) -> dict[str, Any]:
    """What the fact keeps of an answer: which wording was asked, with which numbers, and what was given, as it was shown."""
    shown = list(order_shown(answer, question_of(answer)))
    said = {"wording": answer.wording.public_id, "given": answer.given, "shown": shown, "points": answer.points}
    return said | ({"drawn": answer.drawn} if answer.drawn else {})


@transaction.atomic
def settle(paper: Paper, *, by: Actor, note: str = "") -> bool:
    """The score of a paper that was handed in, and what follows from it; False while an answer is still to be marked.

    Whoever calls it has asked whether it may be. Raises CountedSince.
    """
    plan = read_plan(paper.quiz.plan)
    rows = paper.answers.values_list("section", "points", "share")
    score = score_of(plan, [Earned(section, points, share) for section, points, share in rows])
    if score is None:
        return False
    attempt = paper.attempt
    paper.score, paper.has_passed = score, has_passed(score, plan)
    paper.save(update_fields=["score", "has_passed"])
    handed_in = HandIn.objects.known_now().get(attempt=attempt)
    # Where the first attempt counts, those after it are for oneself.
    is_counted = plan.conditions.counts != Counts.FIRST or attempt.number == 1
    mark(handed_in=handed_in, has_passed=paper.has_passed and is_counted, score=score, note=note, by=by)
    _score_the_step(attempt, plan, MACHINE)
    return True


def _score_the_step(attempt: Attempt, plan: Plan, by: Actor) -> None:
    """The step's score is that of the attempt that counts among those that are marked."""
    scores = [paper.score for paper in papers_of(attempt) if paper.score is not None]
    score = scores[counting(scores, plan.conditions.counts)]
    score_step(enrolment=attempt.enrolment, module=attempt.module_id, score=score, by=by)


def late_papers(now: datetime) -> Q:
    """Of papers: those under way whose time and grace are over."""
    return Q(handed_in_at=None, ends_at__lt=now - GRACE)
