"""What a check is judged by where there is no server: it goes out with the lesson, right answers and all."""

from __future__ import annotations

from typing import Any

from stepladder.core.questions import Kind, read_question, right_in_words, shown_order
from stepladder.core.questions.reading import plain
from stepladder.writing.asking import seed_of

__all__ = ["judged_by"]


def judged_by(raw: Any, name: str, whose: str) -> dict[str, Any]:
    """A check as the script beside the lesson judges it (shipped/player.js): places are those at which answers are shown."""
    question = read_question(raw)
    order = shown_order(question, seed_of(whose, name))
    said: dict[str, Any] = {
        "kind": question.kind.value,
        "all": question.is_all_or_nothing,
        "whenRight": question.when_right,
        "whenWrong": question.when_wrong,
        "rightWords": list(right_in_words(question)) if question.shows_right else [],
    }
    if question.kind in (Kind.ONE, Kind.SEVERAL):
        said["right"] = [place for place, index in enumerate(order) if question.choices[index].is_right]
        said["feedback"] = [question.choices[index].feedback for index in order]
    elif question.kind in (Kind.ORDER, Kind.MATCH):
        # At each place, or for each left side, which of those shown belongs there.
        places = {index: place for place, index in enumerate(order)}
        said["right"] = [places[index] for index in range(len(order))]
    elif question.kind == Kind.TRUE_FALSE:
        said["right"] = question.is_true
    elif question.kind == Kind.NUMBER:
        assert question.number is not None, "a released check has its number"
        # As fractions, so that both are exact: "1/3" has no decimals that end.
        said["number"], said["tolerance"] = _fraction(question.number), _fraction(question.tolerance)
    elif question.kind == Kind.TEXT:
        said["accepted"] = sorted({plain(text) for text in question.accepted if text.strip()})
    return said


def _fraction(number: Any) -> list[str]:
    """A numerator and a denominator as text: longer ones than a script's numbers are exact."""
    return [str(number.numerator), str(number.denominator)]
