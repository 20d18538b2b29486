"""The questions of a paper as they are shown: with their numbers in place, mixed, and with nothing by which the right one is told."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from stepladder.core.questions import Question, read_question, shown_order
from stepladder.core.questions.variants import fill
from stepladder.quizzes.models import Answer
from stepladder.writing.asking import seed_of

__all__ = ["order_shown", "question_of", "whose"]


def question_of(answer: Answer, data: Mapping[str, Any] | None = None) -> Question:
    """What was asked, or by *data* what is right."""
    return read_question(fill(answer.wording.data if data is None else data, answer.drawn))


def whose(answer: Answer) -> str:
    """Whose the mixing is: a paper's, which is somebody's alone."""
    return f"paper-{answer.paper_id}"


def order_shown(answer: Answer, question: Question) -> tuple[int, ...]:
    """In which order the answers to it stand on that paper."""
    return shown_order(question, seed_of(whose(answer), str(answer.place)))
