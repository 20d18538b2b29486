"""What the answers to a quiz tell of its questions: item analysis, on each person's first marked attempt. Rule: 7."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from fractions import Fraction
from functools import lru_cache
from typing import Any

from django.db.models import CharField
from django.db.models.functions import Cast

from stepladder.core.questions import Kind, read_question
from stepladder.core.quizzes import Item, Verdict, alpha, analyse, verdict
from stepladder.library.models import Module, ModuleVersion
from stepladder.quizzes.models import Answer, Paper, PoolEntry, Wording
from stepladder.quizzes.settling import worth_by

__all__ = ["ChoiceLine", "ItemLine", "Told", "first_papers", "told_of"]

# Places of answers, as JSON: of forty answers all were ticked.
LONGEST_CHOICE = 200
_DO: Mapping[Verdict | None, str] = {
    Verdict.MISLEADS: "Who does well otherwise gets it wrong: look whether its key is right, and whether it can be misread.",
    Verdict.TELLS_NOTHING: "Who knows it and who does not answer it alike: ask it otherwise, or something else.",
    Verdict.EASY: "Nearly everybody gets it right: fine to begin with; it tells nobody apart.",
    Verdict.HARD: "Hardly anybody gets it right: look whether it was taught.",
    None: "",
}


@dataclass(frozen=True)
class ChoiceLine:
    """An answer that could be chosen, and how often it was."""

    text: str
    is_right: bool
    count: int
    share: float

    @property
    def percent(self) -> int:
        return int(self.share * 100)

    @property
    def is_idle(self) -> bool:
        """Nobody chose it, and it is wrong: it takes nobody in."""
        return not self.count and not self.is_right


@dataclass(frozen=True)
class ItemLine:
    """A question with its figures, in the words of whoever looks after it."""

    number: int
    wording: Wording
    item: Item
    verdict: Verdict | None
    choices: Sequence[ChoiceLine]

    @property
    def facility(self) -> int:
        return int(self.item.facility * 100)

    @property
    def discrimination(self) -> str:
        found = self.item.discrimination
        return "–" if found is None else f"{found:.2f}".replace("-", "−")

    @property
    def to_do(self) -> str:
        return _DO[self.verdict]

    @property
    def idle(self) -> list[ChoiceLine]:
        return [choice for choice in self.choices if choice.is_idle]

    @property
    def has_newer_wording(self) -> bool:
        """Whether the question says something else by now, by which it is not judged yet."""
        question = self.wording.question
        return question.newest_id not in (self.wording.pk, self.wording.key_from_id)

    @property
    def x(self) -> float:
        """Where it stands in the picture: easy ones to the right."""
        return round(40 + float(self.item.facility) * 520, 1)

    @property
    def y(self) -> float:
        """What tells apart stands high; below the line of nothing is what misleads."""
        found = self.item.discrimination or 0.0
        return round(130 - max(-1.0, min(1.0, found)) * 110, 1)


@dataclass(frozen=True)
class Told:
    """All questions of a quiz that were answered, and of how many attempts their figures are."""

    lines: Sequence[ItemLine]
    count: int
    alpha: float | None
    is_provisional: bool

    @property
    def alpha_words(self) -> str:
        return "–" if self.alpha is None else f"{self.alpha:.2f}".replace("-", "−")

    @property
    def worth_a_look(self) -> list[ItemLine]:
        return [line for line in self.lines if line.verdict in (Verdict.MISLEADS, Verdict.TELLS_NOTHING, Verdict.HARD)]


def first_papers(module: Module, version: ModuleVersion | None = None) -> list[int]:
    """The keys of each person's first marked attempt at a quiz, or at one of its versions."""
    papers = Paper.objects.filter(attempt__module=module, score__isnull=False)
    if version is not None:
        papers = papers.filter(quiz__version=version)
    first: dict[int, int] = {}
    for key, person in papers.order_by("handed_in_at", "pk").values_list("pk", "attempt__enrolment__person"):
        first.setdefault(person, key)
    return sorted(first.values())


@lru_cache(maxsize=4096)
def _fraction(text: str) -> Fraction:
    return Fraction(text)


def told_of(module: Module, version: ModuleVersion | None = None) -> Told:
    """What the answers tell; in a number of queries that does not grow with the attempts."""
    keys = set(first_papers(module, version))
    pools = PoolEntry.objects.filter(quiz__version__module=module)
    if version is not None:
        pools = pools.filter(quiz__version=version)
    # By what was asked, not by a join with what it was asked in: that is known already.
    answers = Answer.objects.filter(wording__in=set(pools.values_list("wording", flat=True)))
    attempts: dict[int, dict[int, Fraction]] = defaultdict(dict)
    points: dict[int, int] = {}
    # As text: four hundred thousand exact shares are a handful of different ones.
    rows = answers.annotate(worth=Cast("share", CharField()), said=Cast("chosen", CharField()))
    chosen: dict[tuple[int, str | None], int] = defaultdict(int)
    columns = rows.values_list("paper", "wording", "points", "worth", "said")
    for paper, wording, each, share, said in columns.order_by().iterator(chunk_size=5000):
        if paper in keys:
            attempts[paper][wording] = _fraction(share)
            points[wording] = each
            # Of texts and numbers there are as many as people; what they are is not asked here.
            if said is not None and len(said) <= LONGEST_CHOICE:
                chosen[wording, said] += 1
    # Who kept a score in spite of a corrected key is judged by that key here: it is the question that is looked at.
    corrected = answers.filter(wording__key_from__isnull=False, chosen__isnull=False).select_related(
        "wording__key_from"
    )
    for answer in corrected:
        share = worth_by(answer, answer.wording.key_from or answer.wording) if answer.paper_id in attempts else None
        if share is not None:
            attempts[answer.paper_id][answer.wording_id] = share
    items = analyse(list(attempts.values()), points)
    wordings = Wording.objects.select_related("question", "key_from").in_bulk([item.key for item in items])
    by_wording = _chosen(chosen, wordings)
    lines = [
        ItemLine(
            number,
            wordings[item.key],
            item,
            verdict(item),
            _choices(wordings[item.key], by_wording[item.key], item.count),
        )
        for number, item in enumerate(sorted(items, key=_worst_first), 1)
    ]
    return Told(lines, len(attempts), alpha(list(attempts.values())), len(attempts) < 10)


def _worst_first(item: Item) -> tuple[float, Fraction, int]:
    return (2.0 if item.discrimination is None else item.discrimination, item.facility, item.key)


def _chosen(
    counted: Mapping[tuple[int, str | None], int], wordings: Mapping[int, Wording]
) -> dict[int, list[tuple[Any, int]]]:
    """Of questions with answers to choose from: what was chosen, and how often."""
    found: dict[int, list[tuple[Any, int]]] = defaultdict(list)
    for (wording, said), count in counted.items():
        if said is not None and wordings[wording].data["kind"] in ("one", "several", "true_false"):
            found[wording].append((json.loads(said), count))
    return found


def _choices(wording: Wording, chosen: Sequence[tuple[Any, int]], count: int) -> list[ChoiceLine]:
    question = read_question(wording.holding)
    if question.kind == Kind.TRUE_FALSE:
        options: list[tuple[Any, str, bool]] = [
            (True, "true", question.is_true),
            (False, "false", not question.is_true),
        ]
    else:
        options = [(at, choice.text, choice.is_right) for at, choice in enumerate(question.choices)]
        if question.kind not in (Kind.ONE, Kind.SEVERAL):
            return []
    total = sum(many for _, many in chosen) or count or 1
    lines = []
    for key, text, is_right in options:
        many = sum(n for given, n in chosen if (given is key if isinstance(key, bool) else _has(given, key)))
        lines.append(ChoiceLine(text, is_right, many, many / total))
    return lines


def _has(given: Any, key: int) -> bool:
    return key in given if isinstance(given, list) else given == key and not isinstance(given, bool)
