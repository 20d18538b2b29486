"""Reading quizzes: how far somebody is in one, and what is shown of it afterwards."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from fractions import Fraction
from typing import Any

from django.db.models import Q

from stepladder import clock
from stepladder.core.questions import BY_HAND, BadAnswer, Kind, in_words, read_answer, read_question, right_in_words
from stepladder.core.questions.variants import fill
from stepladder.core.quizzes import Next, Plan, Shows, When, counting, next_attempt, read_plan
from stepladder.learning.models import Attempt
from stepladder.quizzes.asking import order_shown, question_of, whose
from stepladder.quizzes.models import Answer, Paper, QuizVersion, WordingMedia
from stepladder.quizzes.papers import allowance_of, papers_of
from stepladder.quizzes.settling import reckon
from stepladder.writing.asking import Shown, show_question
from stepladder.writing.beside import Play, played_for

__all__ = [
    "PaperLine",
    "Standing",
    "answers_of",
    "asked",
    "in_questions",
    "reviewed",
    "seconds_left",
    "standing_of",
]


@dataclass(frozen=True)
class Standing:
    """How somebody stands with a quiz: its plan, their papers so far, the one under way, what comes next."""

    plan: Plan
    papers: Sequence[Paper]
    under_way: Paper | None
    coming: Next
    extra_time: int
    extra_attempts: int

    @property
    def handed_in(self) -> list[Paper]:
        return [paper for paper in self.papers if paper.handed_in_at is not None]

    @property
    def last(self) -> Paper | None:
        return self.handed_in[-1] if self.handed_in else None

    @property
    def counts(self) -> Paper | None:
        """The paper whose score counts, of those that are marked."""
        marked = [paper for paper in self.handed_in if paper.score is not None]
        scores = [paper.score for paper in marked if paper.score is not None]
        return marked[counting(scores, self.plan.conditions.counts)] if scores else None

    @property
    def has_passed(self) -> bool:
        return any(paper.has_passed for paper in self.handed_in)

    @property
    def may_begin(self) -> bool:
        return self.under_way is None and self.coming.may_begin(clock.now())

    @property
    def time(self) -> str:
        """How long one has in words, with what one is allowed beyond what all are; empty without a limit."""
        minutes = self.plan.conditions.minutes
        if minutes is None:
            return ""
        seconds = minutes * 60 * (100 + self.extra_time) // 100
        return f"{seconds // 60} min" + (f" {seconds % 60} s" if seconds % 60 else "")

    @property
    def shows(self) -> Shows:
        """What may be shown of the last paper now."""
        conditions = self.plan.conditions
        if conditions.when == When.PASSED and not self.has_passed:
            return Shows.SCORE if conditions.shows != Shows.NOTHING else Shows.NOTHING
        if conditions.when == When.LAST and self.coming.left != 0 and not self.has_passed:
            return Shows.SCORE if conditions.shows != Shows.NOTHING else Shows.NOTHING
        return conditions.shows


def standing_of(attempt: Attempt) -> Standing:
    """How the person of an attempt stands with its quiz."""
    papers, allowance = papers_of(attempt), allowance_of(attempt)
    if papers and papers[-1].handed_in_at is not None and papers[-1].score is None:
        # The worker may not have come to it yet; where a marker has to say it, it stays open.
        reckon(papers[-1])
    quiz = papers[-1].quiz if papers else QuizVersion.objects.get(version=attempt.version_id)
    plan = read_plan(quiz.plan)
    handed_in = [paper.handed_in_at for paper in papers if paper.handed_in_at is not None]
    coming = next_attempt(plan.conditions, allowance, len(handed_in), handed_in[-1] if handed_in else None)
    under_way = papers[-1] if papers and papers[-1].handed_in_at is None else None
    return Standing(plan, papers, under_way, coming, allowance.extra_time, allowance.extra_attempts)


@dataclass(frozen=True)
class PaperLine:
    """A question on a paper, as it is shown."""

    answer: Answer
    shown: Shown
    section: str = ""
    intro: str = ""
    # Right answers and what was said by a marker, where they may be shown.
    right: Sequence[str] = ()
    is_marked_by_hand: bool = False
    files: Sequence[Any] = ()

    @property
    def given_words(self) -> list[str]:
        """What was answered, in words, by what was asked then."""
        question = question_of(self.answer)
        try:
            given = read_answer(question, self.answer.given, order_shown(self.answer, question))
        except BadAnswer:
            return []
        return in_words(question, given)

    @property
    def is_answered(self) -> bool:
        return self.answer.given not in (None, "", [])

    @property
    def percent(self) -> int | None:
        return None if self.answer.share is None else int(self.answer.share * 100)

    @property
    def earned(self) -> Fraction | None:
        return None if self.answer.share is None else self.answer.share * self.answer.points

    @property
    def earned_words(self) -> str:
        """Points, as they are told: rounded down to a tenth."""
        if self.earned is None:
            return "–"
        tenths = int(self.earned * 10)
        return str(tenths // 10) if tenths % 10 == 0 else f"{tenths / 10:.1f}"


def answers_of(paper: Paper) -> list[Answer]:
    """The answers with all that showing them needs."""
    rows = paper.answers.select_related("wording__key_from", "wording__question").prefetch_related("files__stored")
    return list(rows)


def asked(paper: Paper, answers: Sequence[Answer], account: int) -> list[PaperLine]:
    """The questions as an account is asked them: nothing in them tells what is right."""
    plan, play = read_plan(paper.quiz.plan), _beside(answers, account)
    return [_line(plan, answer, play, is_judged=False) for answer in answers]


def reviewed(paper: Paper, shows: Shows, account: int) -> list[PaperLine]:
    """The questions with what was answered, as much as may be shown of them to an account."""
    if shows not in (Shows.WHICH, Shows.RIGHT):
        return []
    plan, answers = read_plan(paper.quiz.plan), answers_of(paper)
    for answer in answers:
        # What was left empty is worth nothing, also before the worker has written that down.
        if answer.chosen is None and answer.share is None:
            answer.share = Fraction(0)
    play = _beside(answers, account)
    return [_line(plan, answer, play, is_judged=True, with_right=shows == Shows.RIGHT) for answer in answers]


def _beside(answers: Sequence[Answer], account: int) -> Play:
    return played_for(account, [answer.wording.data for answer in answers])


def _line(plan: Plan, answer: Answer, play: Play, *, is_judged: bool, with_right: bool = False) -> PaperLine:
    section = plan.sections[answer.section]
    by_hand = Kind(answer.wording.data["kind"]) in BY_HAND
    raw = fill(answer.wording.holding if is_judged else answer.wording.data, answer.drawn)
    # What is right is a matter of the quiz's, not of each question.
    raw = {**raw, "show_right": True}
    kept = {"given": answer.given} if answer.given not in (None, "", []) else None
    shown = show_question(raw, str(answer.place), whose(answer), kept, is_judged=is_judged and not by_hand, play=play)
    right = shown.answered.right if with_right and shown.answered else ()
    if with_right and shown.answered is None and not by_hand:
        right = right_in_words(read_question(raw))
    return PaperLine(answer, shown, section.title, section.intro, right, by_hand, list(answer.files.all()))


def seconds_left(paper: Paper, now: datetime) -> int | None:
    """How long there is still; None without a limit."""
    return None if paper.ends_at is None else max(0, int((paper.ends_at - now).total_seconds()))


def in_questions() -> Q:
    """Of modules: those that are played beside a question."""
    return Q(pk__in=WordingMedia.objects.values("version__module"))
