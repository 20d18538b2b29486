"""The registry of journal verbs: each with the sentence that it reads as. Apps hand theirs in at start."""

from __future__ import annotations

__all__ = ["UnknownVerb", "names", "register", "sentence"]

_sentences: dict[str, str] = {}


class UnknownVerb(KeyError):
    """A verb was written to the journal that no app has registered."""


def register(**sentences: str) -> None:
    """Add verbs: `release_course="released {object}"`. The sentence may use {object} and keys of the entry's data."""
    _sentences.update(sentences)


def names() -> list[str]:
    """All registered verbs."""
    return sorted(_sentences)


def sentence(verb: str) -> str:
    """The sentence of a verb."""
    if verb not in _sentences:
        raise UnknownVerb(verb)
    return _sentences[verb]
