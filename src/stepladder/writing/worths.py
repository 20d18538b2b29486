"""What partly right answers bring, shown to authors before they keep a question. Rule: 7."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from stepladder.core.questions import Kind, Question, grade, read_answer, read_question, right_in_words

__all__ = ["Worth", "worths_of"]


@dataclass(frozen=True)
class Worth:
    """An answer in words, and what it would bring in per cent."""

    words: str
    percent: int


def worths_of(raw: Mapping[str, Any]) -> list[Worth]:
    """What some answers would be worth: partial credit, shown before it is saved. Raises BadQuestion, BadFormula."""
    question = read_question(raw)
    if question.drawn:
        return []
    of = {Kind.SEVERAL: _of_several, Kind.ORDER: _of_places, Kind.MATCH: _of_places, Kind.NUMBER: _of_number}
    return of[question.kind](question) if question.kind in of else []


def _percent(question: Question, given: Any, count: int) -> int:
    share = grade(question, read_answer(question, given, range(count)))
    return int((share or 0) * 100)


def _of_several(question: Question) -> list[Worth]:
    right = [at for at, choice in enumerate(question.choices) if choice.is_right]
    wrong = [at for at, choice in enumerate(question.choices) if not choice.is_right]
    count, found = len(question.choices), [Worth("all that are right", 100)]
    if len(right) > 1:
        found.append(Worth("one of them left out", _percent(question, right[:-1], count)))
    if right and wrong:
        found.append(Worth("all of them and a wrong one", _percent(question, [*right, wrong[0]], count)))
        found.append(Worth("everything ticked", _percent(question, list(range(count)), count)))
    return found


def _of_places(question: Question) -> list[Worth]:
    count = len(question.pairs) or len(question.choices)
    if count < 3:
        return [Worth("all in their places", 100)]
    swapped = [1, 0, *range(2, count)]
    return [
        Worth("all in their places", 100),
        Worth("two of them the wrong way round", _percent(question, swapped, count)),
    ]


def _of_number(question: Question) -> list[Worth]:
    return [Worth(words, 100) for words in right_in_words(question)]
