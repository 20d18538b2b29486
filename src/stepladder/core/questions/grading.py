"""What an answer is worth, between 0 and 1, exactly. Rule: 7."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from stepladder.core.questions.answers import Given
from stepladder.core.questions.model import BY_HAND, Kind, Question
from stepladder.core.questions.reading import plain, read_decimal

__all__ = ["grade", "in_words", "right_in_words"]

NOTHING, ALL = Fraction(0), Fraction(1)


def grade(question: Question, given: Given | None) -> Fraction | None:
    """The share of the marks that an answer has earned; none given has earned nothing. None where a marker says it."""
    if question.kind in BY_HAND:
        return None
    return NOTHING if given is None else _GRADES[question.kind](question, given)


def _chosen(given: Given) -> tuple[int | None, ...]:
    assert isinstance(given, tuple)
    return given


def _one(question: Question, given: Given) -> Fraction:
    return ALL if question.choices[int(given)].is_right else NOTHING  # type: ignore[arg-type]


def _several(question: Question, given: Given) -> Fraction:
    right = {index for index, choice in enumerate(question.choices) if choice.is_right}
    chosen = {index for index in _chosen(given) if index is not None}
    if question.is_all_or_nothing:
        return ALL if chosen == right else NOTHING
    if not right:
        return NOTHING
    return max(NOTHING, Fraction(len(chosen & right) - len(chosen - right), len(right)))


def _in_place(question: Question, given: Given) -> Fraction:
    """Of *order* and *match*: the share that stands where it belongs."""
    chosen = _chosen(given)
    right = sum(index == place for place, index in enumerate(chosen))
    if question.is_all_or_nothing:
        return ALL if right == len(chosen) else NOTHING
    return Fraction(right, len(chosen)) if chosen else NOTHING


def _number(question: Question, given: Given) -> Fraction:
    number = read_decimal(given)
    if number is None or question.number is None:
        return NOTHING
    return ALL if abs(number - question.number) <= question.tolerance else NOTHING


def _text(question: Question, given: Given) -> Fraction:
    return ALL if plain(str(given)) in {plain(text) for text in question.accepted if text.strip()} else NOTHING


_GRADES: dict[Kind, Callable[[Question, Given], Fraction]] = {
    Kind.ONE: _one,
    Kind.SEVERAL: _several,
    Kind.TRUE_FALSE: lambda question, given: ALL if given is question.is_true else NOTHING,
    Kind.ORDER: _in_place,
    Kind.MATCH: _in_place,
    Kind.NUMBER: _number,
    Kind.TEXT: _text,
}


def right_in_words(question: Question) -> list[str]:
    """The right answer as lines of words, for whoever has answered; none where a marker says what is right."""
    if question.kind in (Kind.ONE, Kind.SEVERAL):
        return [choice.text for choice in question.choices if choice.is_right]
    if question.kind == Kind.TRUE_FALSE:
        return ["true" if question.is_true else "false"]
    if question.kind == Kind.ORDER:
        return [choice.text for choice in question.choices]
    if question.kind == Kind.MATCH:
        return [f"{left} – {right}" for left, right in question.pairs]
    if question.kind == Kind.NUMBER and question.number is not None:
        return [_with_tolerance(question)]
    return list(question.accepted[:1]) if question.kind == Kind.TEXT else []


def in_words(question: Question, given: Given | None) -> list[str]:
    """An answer as lines of words; none where nothing was answered, or where it is a file."""
    if given is None or question.kind == Kind.FILE:
        return []
    if question.kind == Kind.TRUE_FALSE:
        return ["true" if given else "false"]
    if question.kind == Kind.MATCH:
        rights = [right for _, right in question.pairs]
        return [
            f"{left} – {'…' if index is None else rights[index]}"
            for (left, _), index in zip(question.pairs, _chosen(given), strict=True)
        ]
    if question.kind in (Kind.ONE, Kind.SEVERAL, Kind.ORDER):
        chosen = (int(given),) if isinstance(given, int) else _chosen(given)
        return [question.choices[index].text for index in chosen if index is not None]
    return [f"{given} {question.unit}".strip()]


def _with_tolerance(question: Question) -> str:
    assert question.number is not None
    words = decimal_text(question.number)
    if question.tolerance:
        words += f" ± {decimal_text(question.tolerance)}"
    return f"{words} {question.unit}".strip()


def decimal_text(number: Fraction) -> str:
    """A decimal number as it is written: "12.5". It was read from one, so it ends."""
    whole, rest = divmod(abs(number), 1)
    digits = ""
    while rest:
        digit, rest = divmod(rest * 10, 1)
        digits += str(digit)
    return f"{'−' if number < 0 else ''}{whole}{'.' + digits if digits else ''}"
