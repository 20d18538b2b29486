"""The words that a filter looks for."""

from __future__ import annotations

__all__ = ["words_of"]

# What lists write between words: “Penrow, Finn”, “Fleet › Dunlin”, “Dunlin · Deckhand”.
BETWEEN = ",;·›–"


def words_of(text: str) -> list[str]:
    """The words of what was typed, or copied from a list, without what a list writes between them."""
    return [word for part in text.split() if (word := part.strip(BETWEEN))]
