"""Questions: what they ask, what is wrong with them, and what an answer is worth. Rule: 7."""

from __future__ import annotations

from stepladder.core.questions.answers import BadAnswer, Given, read_answer, shown_order
from stepladder.core.questions.grading import grade, in_words, right_in_words
from stepladder.core.questions.model import BY_HAND, Choice, Kind, Picture, Question
from stepladder.core.questions.reading import BadQuestion, faults_of, media_beside, problems_of, read_question

__all__ = [
    "BY_HAND",
    "BadAnswer",
    "BadQuestion",
    "Choice",
    "Given",
    "Kind",
    "Picture",
    "Question",
    "faults_of",
    "grade",
    "in_words",
    "media_beside",
    "problems_of",
    "read_answer",
    "read_question",
    "right_in_words",
    "shown_order",
]
