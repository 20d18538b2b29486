"""The details of a module that people edit: how each is read from a text, as in a cell of a table, and written as one."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from django.conf.locale import LANG_INFO
from rapidfuzz import fuzz, process

from stepladder.core.finding import fold
from stepladder.core.numbers import whole_number
from stepladder.library.errors import LibraryError
from stepladder.library.models import Module, Rights
from stepladder.topics.errors import TopicError
from stepladder.topics.naming import TopicNames

__all__ = [
    "DETAILS",
    "LANGUAGES",
    "LONGEST_DESCRIPTION",
    "LONGEST_TITLE",
    "MOST_MINUTES",
    "PICTURE",
    "RIGHTS",
    "Detail",
    "DetailUnread",
    "columns_of",
    "details_of",
    "read_tags",
    "suggestions",
]

LONGEST_TITLE, LONGEST_DESCRIPTION, LONGEST_TAG, MOST_MINUTES = 200, 4000, 40, 6000
# Code and English name, in the order of the names.
LANGUAGES: dict[str, str] = {
    code: str(info["name"]) for code, info in sorted(LANG_INFO.items(), key=lambda one: str(one[1].get("name", "")))
    if "name" in info
}  # fmt: skip
RIGHTS: dict[str, str] = {one.value: str(one.label) for one in Rights}
# A detail that is edited and kept as the others are, and no text: the digest of a picture (library.own_pictures), or "".
PICTURE = "picture"
# From how many of a hundred on a head of a table is nearly one that is known.
ALIKE = 84


class DetailUnread(LibraryError):
    """A text that is none of what a detail can be; the sentence says what it can."""


@dataclass(frozen=True)
class Detail:
    """A detail: *name* is the module's attribute, *heading* its words, *heads* what else a column of it is called, folded.

    `read` makes a value of a text (str, int, or a list of str: public ids of topics, names of tags), `said` a text of a value.
    """

    name: str
    heading: str
    heads: tuple[str, ...]
    read: Callable[[str, TopicNames], Any]
    said: Callable[[Any, TopicNames], str] = lambda value, _: str(value)


def _title(text: str, _: TopicNames) -> str:
    title = " ".join(text.split())
    if not title:
        raise DetailUnread("A module has a title. Write one.")
    return _within(title, LONGEST_TITLE)


def _within(text: str, most: int) -> str:
    if len(text) > most:
        raise DetailUnread(f"This has {len(text)} letters; {most} is the most.")
    return text


def _minutes(text: str, _: TopicNames) -> int:
    if not text.strip():
        return 0
    number = whole_number(re.sub(r"\s*(min|minutes|’|')\.?$", "", text.strip()))
    if number is None or not 0 <= number <= MOST_MINUTES:
        raise DetailUnread(f"“{text.strip()[:40]}” is no number of minutes: write a whole one, to {MOST_MINUTES}.")
    return number


def _language(text: str, _: TopicNames) -> str:
    return (
        _choice(text, LANGUAGES, "language we know", "its name in English, or its code, as “en”")
        if text.strip()
        else ""
    )


def _rights(text: str, _: TopicNames) -> str:
    said = ", ".join(f"“{words}”" for words in RIGHTS.values())
    return _choice(text, RIGHTS, "right", f"one of {said}") if text.strip() else Rights.KEEP.value


def _choice(text: str, choices: Mapping[str, str], what: str, instead: str) -> str:
    plain = fold(" ".join(text.split()))
    by_words = {fold(words): key for key, words in choices.items()}
    if plain in choices or plain in by_words:
        return plain if plain in choices else by_words[plain]
    near = process.extractOne(plain, list(by_words), scorer=fuzz.ratio, score_cutoff=70)
    hint = f"Did you mean “{choices[by_words[near[0]]]}”?" if near else f"Write {instead}."
    raise DetailUnread(f"“{text.strip()[:40]}” is no {what}. {hint}")


def _topics(text: str, names: TopicNames) -> list[str]:
    try:
        return sorted(names.read(text))
    except TopicError as refusal:
        raise DetailUnread(str(refusal)) from None


def read_tags(text: str) -> list[str]:
    """The words of a text with commas between. Raises DetailUnread."""
    names = [" ".join(part.split()).lower() for part in re.split(r"[,;\n]", text)]
    long = [name for name in names if len(name) > LONGEST_TAG]
    if long:
        raise DetailUnread(f"“{long[0][:LONGEST_TAG]}…” is too long for a tag. Use {LONGEST_TAG} letters at most.")
    return sorted({name for name in names if name})


DETAILS: dict[str, Detail] = {
    one.name: one
    for one in (
        Detail("title", "Title", ("name", "heading", "module"), _title),
        Detail(
            "description",
            "Description",
            ("summary", "about", "text"),
            lambda text, _: _within("\n".join(line.rstrip() for line in text.strip().splitlines()), LONGEST_DESCRIPTION),
        ),
        Detail("minutes", "Minutes", ("min", "mins", "duration", "length", "time"), _minutes, lambda n, _: str(n or "")),
        Detail("language", "Language", ("lang", "locale"), _language, lambda code, _: LANGUAGES.get(code, code)),
        Detail(
            "topics", "Topics", ("topic", "subject", "subjects"), _topics, lambda keys, names: names.said(keys)
        ),
        Detail(
            "tags", "Tags", ("tag", "keywords", "keyword", "words"),
            lambda text, _: read_tags(text), lambda names, _: ", ".join(names),
        ),
        Detail("rights", "Rights", ("right", "licence", "license", "use"), _rights, lambda right, _: RIGHTS[right]),
    )
}  # fmt: skip


def details_of(module: Module) -> dict[str, Any]:
    """The values of all details of a module, its picture with them; its tags and topics are read unless they were prefetched."""
    return {
        "title": module.title,
        "description": module.description,
        "minutes": module.minutes,
        "language": module.language,
        "topics": sorted(topic.public_id for topic in module.topics.all()),
        "tags": sorted(tag.name for tag in module.tags.all()),
        "rights": module.rights,
        PICTURE: module.picture,
    }


def columns_of(heads: Sequence[str], more: Mapping[str, Sequence[str]]) -> list[str]:
    """What each column of a table is: the name of a detail, a key of *more* (with the heads that mean it), or "" for none.

    By its head, or one that is nearly right; each meaning is given once, to the first.
    """
    known = {_plain(head): name for name, meant in more.items() for head in (name, *meant)}
    for detail in DETAILS.values():
        known |= {_plain(head): detail.name for head in (detail.heading, *detail.heads) if _plain(head) not in known}
    found: list[str] = []
    for head in heads:
        plain = _plain(head)
        near = process.extractOne(plain, list(known), scorer=fuzz.ratio, score_cutoff=ALIKE) if len(plain) > 3 else None
        meant = known.get(plain) or (known[near[0]] if near else "")
        found.append("" if meant in found else meant)
    return found


def _plain(head: str) -> str:
    return re.sub(r"[^0-9a-z]", "", fold(head))


def suggestions(names: TopicNames) -> dict[str, list[str]]:
    """For the details that are one of a list, what can be written."""
    return {"language": list(LANGUAGES.values()), "rights": list(RIGHTS.values()), "topics": list(names.words.values())}
