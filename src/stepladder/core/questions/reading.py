"""Questions as they are kept (JSON), read and checked; and what is still missing in one before anybody may be asked it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction
from typing import Any

from stepladder.core.finding import fold
from stepladder.core.numbers import exact_number
from stepladder.core.questions.model import BY_HAND, Choice, Kind, Picture, Question
from stepladder.core.questions.variants import (
    LONGEST_FORMULA,
    MOST_RANGES,
    BadFormula,
    Range,
    fill,
    problems_of_variants,
    read_range,
)

__all__ = [
    "LONGEST",
    "MOST_CHOICES",
    "BadQuestion",
    "faults_of",
    "media_beside",
    "plain",
    "problems_of",
    "read_decimal",
    "read_question",
]

LONGEST, LONGEST_ANSWER, MOST_CHOICES = 4000, 1000, 40
_KEYS = frozenset(
    {
        *("kind", "text", "picture", "choices", "pairs", "is_true", "number", "tolerance", "unit", "accepted"),
        *("drawn", "formula", "rubric", "media"),
        *("model_answer", "all_or_nothing", "shuffle", "hint", "when_right", "when_wrong", "show_right"),
    }
)


class BadQuestion(ValueError):
    """What was sent is no question: the message names the field. One that is only not finished is a question."""


def read_question(raw: object) -> Question:
    """The question in its JSON form. Raises BadQuestion."""
    said = _mapping(raw, "a question", _KEYS)
    try:
        kind = Kind(str(said.get("kind", ""))[:20])
    except ValueError:
        raise BadQuestion("“kind” is none of the kinds of questions") from None
    return Question(
        kind=kind,
        text=_text(said, "text", LONGEST),
        picture=_picture(said.get("picture")),
        media=_media(said),
        choices=tuple(_choice(one) for one in _rows(said, "choices")),
        pairs=tuple(_pair(one) for one in _rows(said, "pairs")),
        is_true=_yes(said, "is_true", True),
        number=_number(said, "number"),
        tolerance=abs(_number(said, "tolerance") or Fraction(0)),
        unit=_text(said, "unit", 40),
        formula=_text(said, "formula", LONGEST_FORMULA).strip(),
        drawn=_ranges(said),
        accepted=tuple(_plain(one, "accepted") for one in _rows(said, "accepted")),
        model_answer=_text(said, "model_answer", LONGEST),
        rubric=_text(said, "rubric", LONGEST),
        is_all_or_nothing=_yes(said, "all_or_nothing", False),
        is_shuffled=_yes(said, "shuffle", True),
        hint=_text(said, "hint", LONGEST_ANSWER),
        when_right=_text(said, "when_right", LONGEST_ANSWER),
        when_wrong=_text(said, "when_wrong", LONGEST_ANSWER),
        shows_right=_yes(said, "show_right", True),
    )


def media_beside(raw: Mapping[str, Any]) -> list[str]:
    """The films and sound beside a question in its JSON form and beside its answers, by their versions' public ids, each once."""
    named = [raw.get("media", ""), *(choice.get("media", "") for choice in raw.get("choices", ()))]
    return list(dict.fromkeys(name for name in named if name))


def problems_of(question: Question) -> list[str]:
    """What keeps a question from being asked, each as the end of "This question …"."""
    found = [] if question.text.strip() else ["asks nothing yet"]
    return found + _CHECKS.get(question.kind, _nothing)(question)


def faults_of(raw: Mapping[str, Any]) -> list[str]:
    """As `problems_of`, of a question in its JSON form with numbers to draw: whatever is drawn, it must be one that can be asked.

    Raises BadQuestion.
    """
    question = read_question(raw)
    found = problems_of(question)
    if found or not (question.drawn or question.formula):
        return found
    if wrong := problems_of_variants(question.drawn, raw):
        return [f"has a fault: {one}" for one in wrong]
    lowest = fill(raw, {one.name: str(one.low) for one in question.drawn})
    return problems_of(read_question(lowest))


def _nothing(question: Question) -> list[str]:
    return []


def _of_choices(question: Question) -> list[str]:
    right = sum(choice.is_right for choice in question.choices)
    found = _of_texts(
        [choice.text or (choice.picture and choice.picture.file) or choice.media for choice in question.choices]
    )
    if question.choices and not right:
        found.append("has no right answer")
    if question.kind == Kind.ONE and right > 1:
        found.append("has several right answers, and asks for one")
    return found


def _of_texts(texts: Sequence[str]) -> list[str]:
    found = ["has fewer than two answers"] if len(texts) < 2 else []
    if any(not text.strip() for text in texts):
        found.append("has an empty answer")
    said = [plain(text) for text in texts if text.strip()]
    if len(set(said)) < len(said):
        found.append("has the same answer twice")
    return found


def _of_pairs(question: Question) -> list[str]:
    found = ["has fewer than two pairs"] if len(question.pairs) < 2 else []
    if any(not side.strip() for pair in question.pairs for side in pair):
        found.append("has a pair with an empty side")
    # Two that look alike on the right cannot be told apart by whoever is asked.
    rights = [plain(right) for _, right in question.pairs if right.strip()]
    if len(set(rights)) < len(rights):
        found.append("has the same answer twice")
    return found


_CHECKS: dict[Kind, Callable[[Question], list[str]]] = {
    Kind.ONE: _of_choices,
    Kind.SEVERAL: _of_choices,
    Kind.ORDER: lambda question: _of_texts([choice.text for choice in question.choices]),
    Kind.MATCH: _of_pairs,
    Kind.NUMBER: lambda question: [] if question.number is not None or question.formula else ["has no right number"],
    Kind.TEXT: lambda question: (
        [] if any(text.strip() for text in question.accepted) else ["has no answer that is accepted"]
    ),
}
# Of the others there is nothing that could be missing: what is right is said, or a marker says it.
assert set(_CHECKS) | BY_HAND | {Kind.TRUE_FALSE} == set(Kind)


def plain(text: str) -> str:
    """Without case, accents and needless spaces."""
    return " ".join(fold(text).split())


def read_decimal(text: object) -> Fraction | None:
    """A number as people write it, exactly: a lone comma is the point of decimals. None where it is none."""
    said = "".join(str(text).split())[:60] if isinstance(text, str | int | float) else ""
    if said.count(",") == 1 and "." not in said:
        said = said.replace(",", ".")
    return exact_number(said.replace("−", "-"))


def _mapping(raw: object, what: str, keys: frozenset[str]) -> Mapping[str, Any]:
    if not isinstance(raw, Mapping):
        raise BadQuestion(f"{what} is an object")
    if unknown := sorted(str(key)[:40] for key in raw if key not in keys):
        raise BadQuestion(f"{what} has no “{unknown[0]}”")
    return raw


def _text(said: Mapping[str, Any], name: str, most: int) -> str:
    value = said.get(name, "")
    if not isinstance(value, str) or len(value) > most:
        raise BadQuestion(f"“{name}” is text of at most {most} signs")
    return value


def _plain(value: object, name: str) -> str:
    if not isinstance(value, str) or len(value) > LONGEST_ANSWER:
        raise BadQuestion(f"“{name}” is text of at most {LONGEST_ANSWER} signs")
    return value


def _yes(said: Mapping[str, Any], name: str, default: bool) -> bool:
    value = said.get(name, default)
    if not isinstance(value, bool):
        raise BadQuestion(f"“{name}” is true or false")
    return value


def _rows(said: Mapping[str, Any], name: str) -> list[Any]:
    rows = said.get(name, [])
    if not isinstance(rows, list) or len(rows) > MOST_CHOICES:
        raise BadQuestion(f"“{name}” is a list of at most {MOST_CHOICES}")
    return rows


def _ranges(said: Mapping[str, Any]) -> tuple[Range, ...]:
    rows = _rows(said, "drawn")
    if len(rows) > MOST_RANGES:
        raise BadQuestion(f"a question draws at most {MOST_RANGES} numbers")
    found = []
    for row in rows:
        one = _mapping(row, "a number to draw", frozenset({"name", "low", "high", "step"}))
        try:
            found.append(read_range(*(_text(one, key, 40).strip() for key in ("name", "low", "high", "step"))))
        except BadFormula as refusal:
            raise BadQuestion(str(refusal)) from None
    return tuple(found)


def _number(said: Mapping[str, Any], name: str) -> Fraction | None:
    value = said.get(name, "")
    if value in ("", None):
        return None
    number = read_decimal(value)
    if number is None:
        raise BadQuestion(f"“{name}” is a number such as 12.5")
    return number


def _choice(raw: object) -> Choice:
    said = _mapping(raw, "an answer", frozenset({"text", "right", "feedback", "picture", "media"}))
    return Choice(
        _text(said, "text", LONGEST_ANSWER),
        _yes(said, "right", False),
        _text(said, "feedback", LONGEST_ANSWER),
        _picture(said.get("picture")),
        _media(said),
    )


def _pair(raw: object) -> tuple[str, str]:
    said = _mapping(raw, "a pair", frozenset({"left", "right"}))
    return _text(said, "left", LONGEST_ANSWER), _text(said, "right", LONGEST_ANSWER)


def _media(said: Mapping[str, Any]) -> str:
    name = _text(said, "media", 20)
    if name and not (name.isascii() and name.isalnum()):
        raise BadQuestion("“media” is the public id of a version in the library")
    return name


def _picture(raw: object) -> Picture | None:
    if raw in (None, "", {}):
        return None
    said = _mapping(raw, "a picture", frozenset({"file", "shows"}))
    file = _text(said, "file", 64)
    if len(file) != 64 or not set(file) <= set("0123456789abcdef"):
        raise BadQuestion("“file” of a picture is the digest it is kept by")
    return Picture(file, _text(said, "shows", LONGEST_ANSWER))
