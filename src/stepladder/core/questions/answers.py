"""Answers as they come from a page. What is shown is shuffled, and an answer speaks of places as they were shown: a page that is
served has nothing in it by which the right answer could be told."""

from __future__ import annotations

import hashlib
import random
from collections.abc import Sequence
from typing import Any

from stepladder.core.questions.model import Kind, Question

__all__ = ["LONGEST_TEXT", "BadAnswer", "Given", "read_answer", "shown_order"]

LONGEST_TEXT = 20_000
MOST_FILES = 20
# one: an index; several: indexes; true_false: a bool; order: indexes in the order given; match: for each left side the index of the
# right one, None where none was chosen; number and text and long: as written; file: names of what was handed in, a line each.
Given = int | bool | str | tuple[int | None, ...]


class BadAnswer(ValueError):
    """What was sent is no answer to this question; the message says what is."""


def shown_order(question: Question, seed: bytes) -> tuple[int, ...]:
    """In which order the answers are shown, as indexes: the same for the same *seed*, which nobody outside may know.

    Things to be put in order, and what belongs to left sides, are always mixed, never as they are right.
    """
    must_mix = question.kind in (Kind.ORDER, Kind.MATCH)
    count = len(question.pairs) if question.kind == Kind.MATCH else len(question.choices)
    order = list(range(count))
    if not must_mix and not question.is_shuffled:
        return tuple(order)
    mixing = random.Random(int.from_bytes(hashlib.sha256(seed).digest(), "big"))  # noqa: S311 - the seed is the secret
    mixing.shuffle(order)
    if must_mix and count > 1 and order == sorted(order):
        order = [*order[1:], order[0]]
    return tuple(order)


def read_answer(question: Question, raw: Any, shown: Sequence[int]) -> Given | None:
    """The answer in what a page sent, which speaks of places in *shown*; None where nothing was answered. Raises BadAnswer."""
    if raw is None or raw == "" or raw == []:
        return None
    if question.kind == Kind.ONE:
        return _index(raw, shown)
    if question.kind == Kind.TRUE_FALSE:
        if not isinstance(raw, bool):
            raise BadAnswer("the answer is true or false")
        return raw
    if question.kind in (Kind.NUMBER, Kind.TEXT, Kind.LONG):
        if not isinstance(raw, str) or len(raw) > LONGEST_TEXT:
            raise BadAnswer(f"the answer is text of at most {LONGEST_TEXT} signs")
        return raw if raw.strip() else None
    if question.kind == Kind.FILE:
        if not isinstance(raw, list) or not all(isinstance(one, str) and len(one) <= 40 for one in raw[:MOST_FILES]):
            raise BadAnswer(f"the answer is a list of at most {MOST_FILES} names of files")
        return "\n".join(raw[:MOST_FILES])
    if not isinstance(raw, list) or len(raw) > len(shown):
        raise BadAnswer("the answer is a list of places")
    if question.kind == Kind.MATCH:
        found = [None if one is None else _index(one, shown) for one in raw]
        if len(raw) != len(shown):
            raise BadAnswer("the answer has a place for each left side")
        return tuple(found) if any(one is not None for one in found) else None
    chosen = [_index(one, shown) for one in raw]
    if len(set(chosen)) < len(chosen):
        raise BadAnswer("a place is named twice")
    if question.kind == Kind.ORDER and len(chosen) != len(shown):
        raise BadAnswer("every thing has its place")
    return tuple(chosen if question.kind == Kind.ORDER else sorted(chosen))


def _index(raw: object, shown: Sequence[int]) -> int:
    if not isinstance(raw, int) or isinstance(raw, bool) or not 0 <= raw < len(shown):
        raise BadAnswer("the answer is one of the places shown")
    return shown[raw]
