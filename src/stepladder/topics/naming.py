"""Topics as words, and words as topics: "Safety › Fire; Mooring"."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from rapidfuzz import fuzz, process

from stepladder.core.finding import fold
from stepladder.topics.errors import TopicError, UnknownTopic
from stepladder.topics.models import BELOW, BETWEEN, Topic

__all__ = ["TopicNames", "topic_names"]

# From how many of a hundred on another name is perhaps the one that was meant.
MEANT = 60


@dataclass(frozen=True)
class TopicNames:
    """Every topic with its words, in the order of the list: each top topic, then those below it."""

    words: dict[str, str]
    _keys: dict[str, str]

    def read(self, text: str) -> list[str]:
        """The public ids of the topics that a text names, in the list's order. Raises TopicError."""
        named = {self._one(part) for part in re.split(r"[;,\n]", text) if part.strip()}
        return [key for key in self.words if key in named]

    def said(self, keys: Iterable[str]) -> str:
        """Topics as a text that `read` reads."""
        wanted = set(keys)
        return f"{BETWEEN} ".join(words for key, words in self.words.items() if key in wanted)

    def _one(self, text: str) -> str:
        plain = _plain(text)
        if (key := self._keys.get(plain)) is None:
            near = process.extractOne(plain, list(self._keys), scorer=fuzz.ratio, score_cutoff=MEANT)
            raise UnknownTopic(text.strip()[:80], self.words.get(self._keys[near[0]]) if near else None)
        if not key:
            raise TopicError(f"There is more than one topic “{text.strip()}”. Write the one above it as well.")
        return key


def _plain(text: str) -> str:
    return fold(f" {BELOW} ".join(" ".join(part.split()) for part in re.split(r"[›>/]", text)))


def topic_names() -> TopicNames:
    """The list as it is now."""
    rows = list(Topic.objects.select_related("parent"))
    rows.sort(key=lambda t: (fold((t.parent or t).name), t.parent_id is not None, fold(t.name)))
    words = {t.public_id: _in_words(t) for t in rows}
    keys: dict[str, str] = {}
    for topic in rows:
        # By its name alone, where only one has it; an empty key says that several do.
        alone = _plain(topic.name)
        keys[alone] = "" if alone in keys else topic.public_id
    for topic in rows:
        keys[_plain(_in_words(topic))] = topic.public_id
    return TopicNames(words, keys)


def _in_words(topic: Topic) -> str:
    return f"{topic.parent.name} {BELOW} {topic.name}" if topic.parent else topic.name
