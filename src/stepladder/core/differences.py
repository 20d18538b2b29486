"""Two texts beside each other: what is the same, what went, what came; by sentences, and within those that changed by words."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from difflib import SequenceMatcher
from typing import Literal

__all__ = ["Piece", "differences"]

# To the end of a line at most, or to a full stop that is followed by a blank: not within 3.5.
_SENTENCE = re.compile(r"\S.*?(?:[.!?]+(?=\s|$)|$)\s*", re.MULTILINE)
_WORD = re.compile(r"\S+\s*")
# Of longer texts sentences alone are compared; and of what is longer still, so many.
MOST_WORDS, MOST_SENTENCES = 400, 20_000
# From how much of two sentences that is the same on, one is the other with words changed.
ALIKE = 0.5


@dataclass(frozen=True)
class Piece:
    """A stretch of text that both have, or that one has alone."""

    kind: Literal["same", "gone", "new"]
    text: str


def differences(before: str, after: str) -> list[Piece]:
    """The pieces of both texts in their order. The same and the new ones are the text after, the same and the gone ones that before."""
    old, new = (_SENTENCE.findall(text)[:MOST_SENTENCES] for text in (before, after))
    found: list[Piece] = []
    for piece in _compared([one.strip() for one in old], [one.strip() for one in new], old, new):
        _add(found, piece)
    return found


def _compared(
    old_keys: Sequence[str], new_keys: Sequence[str], old: Sequence[str], new: Sequence[str]
) -> Iterator[Piece]:
    matcher = SequenceMatcher(None, old_keys, new_keys, autojunk=False)
    for tag, a, b, c, d in matcher.get_opcodes():
        if tag == "equal":
            yield Piece("same", "".join(new[c:d]))
        elif tag == "replace" and (words := _by_words("".join(old[a:b]), "".join(new[c:d]))):
            yield from words
        else:
            yield Piece("gone", "".join(old[a:b]))
            yield Piece("new", "".join(new[c:d]))


def _by_words(old: str, new: str) -> list[Piece]:
    before, after = _WORD.findall(old), _WORD.findall(new)
    if len(before) > MOST_WORDS or len(after) > MOST_WORDS:
        return []
    matcher = SequenceMatcher(None, [one.strip() for one in before], [one.strip() for one in after], autojunk=False)
    if matcher.ratio() < ALIKE:
        return []
    found = []
    for tag, a, b, c, d in matcher.get_opcodes():
        if tag == "equal":
            found.append(Piece("same", "".join(after[c:d])))
        else:
            found += [Piece("gone", "".join(before[a:b])), Piece("new", "".join(after[c:d]))]
    return found


def _add(found: list[Piece], piece: Piece) -> None:
    if not piece.text:
        return
    if found and not found[-1].text[-1].isspace():
        # The last word of one text, and more in the other.
        found[-1] = Piece(found[-1].kind, f"{found[-1].text} ")
    if found and found[-1].kind == piece.kind:
        found[-1] = Piece(piece.kind, found[-1].text + piece.text)
    else:
        found.append(piece)
