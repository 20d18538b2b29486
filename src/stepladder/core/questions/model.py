"""What a question is made of."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from fractions import Fraction

from stepladder.core.questions.variants import Range

__all__ = ["BY_HAND", "Choice", "Kind", "Picture", "Question"]


class Kind(StrEnum):
    """The kinds of questions. Rule: 7."""

    ONE = "one"
    SEVERAL = "several"
    TRUE_FALSE = "true_false"
    ORDER = "order"
    MATCH = "match"
    NUMBER = "number"
    TEXT = "text"
    LONG = "long"
    FILE = "file"


# Nobody but a marker says what an answer to these is worth.
BY_HAND = frozenset({Kind.LONG, Kind.FILE})


@dataclass(frozen=True)
class Picture:
    """A picture beside a question or an answer: the digest it is kept by, and what it shows in words."""

    file: str
    shows: str = ""


@dataclass(frozen=True)
class Choice:
    """An answer to choose. Of *order*, a thing to be put in its place: they stand in the right order."""

    text: str
    is_right: bool = False
    # Said to whoever chose it.
    feedback: str = ""
    picture: Picture | None = None
    # A film or sound, by the public id of its version in the library; "" for none.
    media: str = ""


@dataclass(frozen=True)
class Question:
    """A question of one of the kinds; each kind has its own of the fields in the middle."""

    kind: Kind
    text: str
    picture: Picture | None = None
    media: str = ""

    # one, several, order
    choices: tuple[Choice, ...] = ()
    # match: what stands left, and what belongs to it
    pairs: tuple[tuple[str, str], ...] = ()
    # true_false
    is_true: bool = True
    # number: exact decimals, both ends of the tolerance included
    number: Fraction | None = None
    tolerance: Fraction = Fraction(0)
    unit: str = ""
    # What the right number comes to by the numbers that were drawn; empty: *number* is right.
    formula: str = ""
    # text: any of these, whatever their case, accents and spaces
    accepted: tuple[str, ...] = ()
    # long, file: what a good answer has, for markers
    model_answer: str = ""
    # and what it brings points for
    rubric: str = ""

    # several, order, match: only what is wholly right counts, where it is otherwise for each its share
    is_all_or_nothing: bool = False
    is_shuffled: bool = True
    # Numbers that are drawn for each attempt, by the names that they have in the texts.
    drawn: tuple[Range, ...] = ()
    hint: str = ""
    when_right: str = ""
    when_wrong: str = ""
    # Whether the right answer is shown once one has answered.
    shows_right: bool = True
