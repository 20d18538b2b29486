"""Checks as they are shown: shuffled, with nothing by which the right answer could be told before one has answered."""

from __future__ import annotations

import json
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import Any

from django.utils.crypto import salted_hmac

from stepladder.core.questions import (
    Given,
    Kind,
    Question,
    grade,
    read_answer,
    read_question,
    right_in_words,
    shown_order,
)
from stepladder.writing.addresses import own_picture

__all__ = ["Answered", "Option", "Played", "Shown", "answer_of", "seed_of", "show_question"]


@dataclass(frozen=True)
class Played:
    """A film or sound beside a question or an answer, as it is played; without an address it cannot be any more."""

    is_film: bool
    title: str
    url: str
    captions: str = ""
    still: str = ""


GONE = Played(is_film=False, title="", url="")


def _nothing_played(name: str) -> Played:
    return GONE


@dataclass(frozen=True)
class Option:
    """An answer to choose, by the place at which it is shown."""

    place: int
    text: str
    picture: Any = None
    is_given: bool = False
    # The picture's address; "" without one.
    url: str = ""
    media: Played | None = None


@dataclass(frozen=True)
class Answered:
    """What an answer came to, as it is said to whoever gave it."""

    share: Fraction
    # Of the answers chosen, what is to be said to them.
    feedback: Sequence[str] = ()
    when: str = ""
    right: Sequence[str] = ()

    @property
    def is_right(self) -> bool:
        return self.share == 1

    @property
    def percent(self) -> int:
        return int(self.share * 100)


@dataclass(frozen=True)
class Shown:
    """A question as it is asked: *options* in the order shown, *lefts* of a match; what was answered, if anything."""

    name: str
    kind: str
    text: str
    hint: str
    unit: str
    picture: Any
    options: Sequence[Option]
    lefts: Sequence[str]
    given: Any
    answered: Answered | None
    media: Played | None = None

    @property
    def given_json(self) -> str:
        """What was answered, for the page to set its fields by."""
        return json.dumps(self.given)


def seed_of(*who: object) -> bytes:
    """What the answers of a question are mixed by."""
    # Whoever knows what is right could work out nothing without the installation's own secret.
    return salted_hmac("stepladder.writing.asking", "/".join(map(str, who)), algorithm="sha256").digest()


def show_question(
    raw: Any,
    name: str,
    whose: str,
    kept: Any = None,
    *,
    is_judged: bool = True,
    picture_url: Callable[[str], str] = own_picture,
    play: Callable[[str], Played] = _nothing_played,
) -> Shown:
    """A question as it is shown to somebody (*whose*: an attempt, a trial), with the answer that was *kept* of it, as it was sent;
    without a word on what that is worth where it is not *judged* yet. *play* knows films and sound by their versions' public ids.
    """
    question = read_question(raw)
    order = shown_order(question, seed_of(whose, name))
    sent = kept["given"] if kept else None
    chosen = set(sent) if isinstance(sent, list) else {sent} if isinstance(sent, int) else set()
    is_match = question.kind == Kind.MATCH
    texts = [right for _, right in question.pairs] if is_match else [choice.text for choice in question.choices]
    # Put in order once, they are shown as one left them.
    shown = sent if question.kind == Kind.ORDER and isinstance(sent, list) else range(len(order))
    pictures = [None] * len(texts) if is_match else [choice.picture for choice in question.choices]
    media = [""] * len(texts) if is_match else [choice.media for choice in question.choices]
    options = [
        Option(
            place,
            texts[order[place]],
            picture := pictures[order[place]],
            place in chosen and not is_match,
            picture_url(picture.file) if picture else "",
            play(media[order[place]]) if media[order[place]] else None,
        )
        for place in shown
    ]
    return Shown(
        name=name,
        kind=question.kind.value,
        text=question.text,
        hint=question.hint,
        unit=question.unit,
        picture=question.picture,
        options=options,
        lefts=[left for left, _ in question.pairs],
        given=sent,
        answered=_said(question, read_answer(question, sent, order)) if kept and is_judged else None,
        media=play(question.media) if question.media else None,
    )


def answer_of(raw: Any, name: str, whose: str, sent: Any) -> Answered:
    """What an answer comes to. Raises BadAnswer."""
    question = read_question(raw)
    return _said(question, read_answer(question, sent, shown_order(question, seed_of(whose, name))))


def _said(question: Question, given: Given | None) -> Answered:
    share = grade(question, given) or Fraction(0)
    chosen: Sequence[int | None] = ()
    if question.kind == Kind.ONE and isinstance(given, int):
        chosen = (given,)
    elif question.kind == Kind.SEVERAL and isinstance(given, tuple):
        chosen = given
    feedback = [question.choices[index].feedback for index in chosen if index is not None]
    return Answered(
        share,
        [text for text in feedback if text],
        question.when_right if share == 1 else question.when_wrong,
        right_in_words(question) if question.shows_right and share < 1 else (),
    )
