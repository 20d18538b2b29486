"""Everything that writes papers: begun, answered, handed in. The time is the server's; each answer is saved by itself."""

from __future__ import annotations

import random
import secrets
from typing import Any

from django.db import transaction

from stepladder import clock
from stepladder.accounts import policy
from stepladder.core.questions import BadAnswer, Kind, read_question
from stepladder.core.questions.variants import BadFormula, draw_values
from stepladder.core.quizzes import (
    Drawn,
    draw,
    ends_at,
    is_over,
    next_attempt,
    read_plan,
    shortages,
)
from stepladder.journal.actions import Actor
from stepladder.learning.actions import begin_again, check_place, keep_attempt
from stepladder.learning.models import Attempt
from stepladder.learning.time_spent import MOST_SECONDS, add_time
from stepladder.playing.reading import Unreadable
from stepladder.queue.actions import Queue, later
from stepladder.quizzes.errors import AnsweredElsewhere, HandedIn, NoMoreAttempts, NothingToDraw, TimeIsUp
from stepladder.quizzes.models import Answer, Paper, QuizVersion, Wording
from stepladder.quizzes.papers import RELATED, allowance_of, papers_of
from stepladder.quizzes.pools import pools_of_version
from stepladder.quizzes.settling import judge, write_hand_in
from stepladder.quizzes.settling_tasks import settle_paper

__all__ = [
    "answer_question",
    "begin_paper",
    "hand_in_paper",
]

# So many reports of a page are known again.
MOST_HEARD = 50


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
    if papers:
        # Whoever begins again may be quicker than the queue.
        write_hand_in(papers[-1])
        attempt = papers[-1].attempt
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
    answer = paper.answers.select_related("wording__key_from").filter(place=place).first()
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
    # Files come by a request of their own; here one is only set aside.
    if answer.wording.data["kind"] != Kind.FILE:
        answer.given = given
    try:
        # Judged as it is saved, so that handing in is short however many there are; nothing of it is told before.
        judge(answer)
    except BadAnswer as refusal:
        raise Unreadable(str(refusal)) from None
    answer.is_set_aside, answer.tab = is_set_aside, tab
    answer.revision += 1
    answer.saved_at = clock.now()
    answer.save(update_fields=["given", "chosen", "share", "is_set_aside", "tab", "revision", "saved_at"])
    heard = [*attempt.data.get("heard", []), *([name] if name else [])][-MOST_HEARD:]
    spent = attempt.seconds + round(max(0, min(seconds, MOST_SECONDS)))
    data = attempt.data | {"heard": heard, "answered": place}
    keep_attempt(attempt=attempt, data=data, seconds=spent, status="incomplete", score=None)
    add_time(attempt=attempt, seconds=seconds, ago=ago)
    return answer


def hand_in_paper(*, paper: Paper, by: Actor) -> Paper:
    """The paper takes nothing more; what it comes to is reckoned where it is looked at, and kept by the worker. Twice is as once.

    Where the time was up, it was handed in then. Raises PlaceClosed.
    """
    policy.require(by, "learn", paper.attempt)
    # As it stood when the page was asked for. What is closed between that and the row below is the worker's to find.
    check_place(paper.attempt.enrolment)
    now = clock.now()
    ran_out = is_over(paper.ends_at, now)
    handed_in_at = paper.ends_at if ran_out and paper.ends_at else now
    with transaction.atomic():
        mine = paper.attempt.ended_at is None and Paper.objects.filter(pk=paper.pk, handed_in_at=None).update(
            ran_out=ran_out, handed_in_at=handed_in_at
        )
        if mine:
            # The score, the fact with all that was answered, and what follows from it up to the course's completion nobody waits for:
            # a class hands in within a minute, and each of them has the pen for as long as two rows take.
            later(settle_paper, queue=Queue.NOW, paper=paper.pk, by=[by.public_id, by.name])
    if mine:
        paper.ran_out, paper.handed_in_at = ran_out, handed_in_at
    else:
        paper.refresh_from_db()
    return paper
