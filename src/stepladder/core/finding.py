"""What is found by words, and in which order. Rule: 14.

Every word must stand somewhere in a thing; for each the strongest field that has it counts. Words are whole words, parted by
hyphens as by blanks, compared without accents and case.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Iterable, Mapping, Sequence

from rapidfuzz.distance import Levenshtein

__all__ = ["WEIGHTS", "Field", "edits_allowed", "fold", "near_words", "place_of", "score", "snippet", "words_of"]

Field = str
# By the strongest field that has a word.
WEIGHTS: Mapping[Field, int] = {"title": 8, "tags": 4, "description": 2, "text": 1}
# A word that is found by a near one counts half.
HALF = 2
_WORD = re.compile(r"[^\W_]+")
# Letters that are no letter with a mark, so that taking marks away does not reach them.
_PLAIN = str.maketrans({"ł": "l", "ø": "o", "đ": "d", "ð": "d", "ß": "ss", "æ": "ae", "œ": "oe", "þ": "th", "ı": "i"})


def fold(text: str) -> str:
    """Text without case and accents."""
    if text.isascii():
        # There is nothing to take away: thousands of titles are sorted by it.
        return text.lower()
    plain = unicodedata.normalize("NFKD", text.casefold()).translate(_PLAIN)
    return "".join(letter for letter in plain if not unicodedata.combining(letter))


def words_of(text: str) -> list[str]:
    """The different words of a text, folded, in their order."""
    return list(dict.fromkeys(_WORD.findall(fold(text))))


def edits_allowed(word: str) -> int:
    """By how many edits a folded word may be off where it finds nothing as it is. Two swapped letters are two. Rule: 20."""
    return 0 if len(word) < 4 else 1 if len(word) < 8 else 2


def near_words(word: str, vocabulary: Iterable[str]) -> list[str]:
    """The words of a vocabulary that are as near to a folded word as it may be off, the word itself left out."""
    most = edits_allowed(word)
    if not most:
        return []
    return [
        other
        for other in vocabulary
        if abs(len(other) - len(word)) <= most
        and other != word
        and Levenshtein.distance(word, other, score_cutoff=most) <= most
    ]


def score(
    words: Sequence[str], fields: Mapping[Field, str], near: Mapping[str, Sequence[str]] | None = None
) -> int | None:
    """Twice the score of a thing with these fields; None where a word stands nowhere in it.

    *near*: for a word that finds nothing, the words taken in its stead, which count half.
    """
    total = 0
    standing = {field: set(words_of(text)) for field, text in fields.items()}
    for word in words:
        taken = (near or {}).get(word)
        wanted, share = (taken, 1) if taken is not None else ([word], HALF)
        weights = [WEIGHTS[field] for field, present in standing.items() if not present.isdisjoint(wanted)]
        if not weights:
            return None
        total += share * max(weights)
    return total


def place_of(words: Iterable[str], passages: Sequence[str]) -> int | None:
    """The number of the passage (from 0) that has the most of the words, the earliest of several; None where none has any."""
    wanted = set(words)
    best, most = None, 0
    for number, text in enumerate(passages):
        has = len(wanted & set(_WORD.findall(fold(text))))
        if has > most:
            best, most = number, has
            if most == len(wanted):
                break
    return best


def snippet(words: Iterable[str], text: str, *, around: int = 70) -> str:
    """The part of a text around the first of the words, cut at blanks, with dots where it was cut."""
    wanted = set(words)
    at = next((m.start() for m in _WORD.finditer(text) if fold(m[0]) in wanted), 0)
    start = text.rfind(" ", 0, at - around) + 1 if at > around else 0
    end = text.find(" ", at + around)
    cut = text[start : end if end != -1 else len(text)]
    return f"{'… ' if start else ''}{' '.join(cut.split())}{' …' if end != -1 else ''}"
