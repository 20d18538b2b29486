"""What waits for a marker, and how far two who mark the same agree."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from django.db.models import Count, Exists, OuterRef, Q, QuerySet

from stepladder.accounts import policy
from stepladder.accounts.models import Account
from stepladder.core.questions import BY_HAND, Kind, Picture, read_question
from stepladder.core.questions.variants import fill
from stepladder.core.quizzes import kappa
from stepladder.learning.models import HandIn
from stepladder.library.models import Module
from stepladder.quizzes.models import Answer, AnswerFile, Marking, Paper
from stepladder.writing.asking import Played
from stepladder.writing.beside import played_for

__all__ = ["Agreement", "AnswerToMark", "agreements", "papers_to_mark", "to_mark_on", "waiting_for_marks"]

MOST_PAIRS = 20_000


def papers_to_mark(account: Any) -> QuerySet[Paper]:
    """Papers on which the account may still give something, who waits longest first: none of one's own, none where it is another's turn."""
    modules = policy.visible(account, "mark", Module.objects.all())
    mine = Marking.objects.filter(answer=OuterRef("pk"), by=getattr(account, "pk", None))
    open_answers = Answer.objects.filter(~Exists(mine), paper=OuterRef("pk"), share=None)
    waiting = _handed_in().filter(Exists(open_answers), attempt__module__in=modules)
    waiting = waiting.exclude(attempt__enrolment__person__account=getattr(account, "pk", None))
    related = ("attempt__module__binder", "attempt__enrolment__person", "attempt__enrolment__course")
    return waiting.select_related(*related).order_by("handed_in_at", "pk")


def waiting_for_marks() -> QuerySet[Paper]:
    """Papers that wait for anybody's marks."""
    return _handed_in().filter(Exists(Answer.objects.filter(paper=OuterRef("pk"), share=None)))


def _handed_in() -> QuerySet[Paper]:
    # One that was put away in a place that had been closed is nothing to be marked.
    counted = HandIn.objects.known_now().filter(attempt=OuterRef("attempt"))
    return Paper.objects.filter(Exists(counted), handed_in_at__isnull=False, score=None)


@dataclass(frozen=True)
class AnswerToMark:
    """An answer before its marker, with what helps to judge it; *others* is what two gave, for who settles between them."""

    answer: Answer
    asked: str
    model_answer: str
    rubric: Sequence[str]
    mine: Marking | None
    others: Sequence[Marking]
    files: Sequence[AnswerFile]
    is_settled: bool
    # Beside what was asked.
    picture: Picture | None
    media: Played | None

    @property
    def choices(self) -> Sequence[int]:
        return range(self.answer.points + 1)

    @property
    def points(self) -> int | None:
        return self.mine.points if self.mine else None


def to_mark_on(paper: Paper, account: Account) -> list[AnswerToMark]:
    """The answers of a paper that people judge."""
    found = []
    rows = list(paper.answers.select_related("wording").prefetch_related("markings", "files__stored"))
    play = played_for(account.pk, [answer.wording.data for answer in rows])
    for answer in rows:
        raw = answer.wording.data
        if Kind(raw["kind"]) not in BY_HAND or (answer.given in (None, "", []) and answer.share == 0):
            continue
        raw = fill(raw, answer.drawn)
        given = list(answer.markings.all())
        mine = next((one for one in given if one.by_id == account.pk), None)
        both = [one for one in given if one.role != Marking.Role.MODERATOR]
        # Nobody who marks blind sees what the other gave; who comes third sees both.
        others = both if len(both) == 2 and (mine is None or mine.role == Marking.Role.MODERATOR) else []
        question = read_question(answer.wording.data)
        rubric = [line for line in raw.get("rubric", "").split("\n") if line.strip()]
        found.append(
            AnswerToMark(
                answer,
                raw["text"],
                raw.get("model_answer", ""),
                rubric,
                mine,
                others,
                list(answer.files.all()),
                answer.share is not None,
                question.picture,
                play(question.media) if question.media else None,
            )
        )
    return found


@dataclass(frozen=True)
class Agreement:
    """How far two markers of a quiz agree: kappa, how many answers both judged, and how many they gave the same."""

    module: Module
    kappa: Fraction | None
    count: int
    same: int

    @property
    def kappa_words(self) -> str:
        return "–" if self.kappa is None else f"{float(self.kappa):.2f}"


def agreements(modules: QuerySet[Module]) -> list[Agreement]:
    """Of every quiz in which answers were marked twice, by title."""
    both = Answer.objects.annotate(
        blind=Count("markings", filter=Q(markings__role__in=(Marking.Role.FIRST, Marking.Role.SECOND)))
    ).filter(blind=2, paper__attempt__module__in=modules)
    pairs: dict[int, dict[int, dict[str, int]]] = {}
    rows = Marking.objects.filter(answer__in=both.values("pk")).exclude(role=Marking.Role.MODERATOR)
    for module, answer, role, points in rows.values_list("answer__paper__attempt__module", "answer", "role", "points")[
        :MOST_PAIRS
    ]:
        pairs.setdefault(module, {}).setdefault(answer, {})[role] = points
    titles = Module.objects.in_bulk(pairs)
    found = []
    for key, answers in pairs.items():
        given = [(one["first"], one["second"]) for one in answers.values() if len(one) == 2]
        found.append(Agreement(titles[key], kappa(given), len(given), sum(one == other for one, other in given)))
    return sorted(found, key=lambda one: one.module.title)
