"""What is in a section's tree: its words, pictures, checks, key terms, media; and how long that takes. Rule: 17."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from fractions import Fraction
from math import ceil
from typing import Any

from stepladder.core.questions import media_beside

__all__ = [
    "Term",
    "blocks_in",
    "checks_in",
    "key_terms",
    "links_in",
    "media_in",
    "minutes_to_read",
    "nodes_in",
    "pictures_in",
    "text_of",
    "words_in",
]

Tree = Mapping[str, Any]
# Rule 17.
WORDS_A_MINUTE = 200
MINUTES_A_PICTURE, MINUTES_A_CHECK = Fraction(1, 5), Fraction(1, 2)
# Blocks whose words stand in their attributes.
_SAID = ("caption", "title", "text", "source", "words", "before_word", "after_word", "name")


@dataclass(frozen=True)
class Term:
    """A key term of the course's glossary."""

    word: str
    meaning: str


def nodes_in(tree: Tree) -> Iterator[Tree]:
    """Every node, in the order in which one reads."""
    yield tree
    for child in tree.get("content", ()):
        yield from nodes_in(child)


def blocks_in(tree: Tree) -> list[Tree]:
    """The blocks of a section, those within others left out; empty paragraphs are none: nobody sees them."""
    return [block for block in tree.get("content", ()) if block["type"] != "paragraph" or block.get("content")]


def text_of(tree: Tree) -> str:
    """The words of a tree, each piece of text on a line of its own."""
    lines: list[str] = []
    _gather(tree, lines)
    return "\n".join(line for line in (" ".join(line.split()) for line in lines) if line)


def _gather(node: Tree, lines: list[str]) -> None:
    name, attrs = node["type"], node.get("attrs") or {}
    if name == "check":
        question = attrs["question"] or {}
        lines += [question.get("text", ""), *(choice.get("text", "") for choice in question.get("choices", []))]
        lines += [side for pair in question.get("pairs", []) for side in (pair.get("left", ""), pair.get("right", ""))]
        return
    lines += [str(attrs[key]) for key in _SAID if attrs.get(key) and name not in ("formula", "attachment")]
    for key in ("spots", "pictures"):
        for row in attrs.get(key, ()):
            lines += [str(row[said]) for said in _SAID if row.get(said)]
    children = node.get("content", ())
    if children and all(child["type"] in ("text", "break") for child in children):
        lines.append("".join(child.get("text", " ") for child in children))
        return
    for child in children:
        _gather(child, lines)


def words_in(tree: Tree) -> int:
    """How many words one reads."""
    return len(text_of(tree).split())


def pictures_in(tree: Tree) -> int:
    """How many pictures one looks at."""
    count = 0
    for node in nodes_in(tree):
        attrs = node.get("attrs") or {}
        if node["type"] in ("picture", "spots"):
            count += bool(attrs["file"])
        elif node["type"] == "gallery":
            count += sum(bool(one["file"]) for one in attrs["pictures"])
        elif node["type"] == "compare":
            count += bool(attrs["before_file"]) + bool(attrs["after_file"])
    return count


def checks_in(tree: Tree) -> list[Tree]:
    """The blocks that ask something."""
    return [node for node in nodes_in(tree) if node["type"] == "check"]


def media_in(tree: Tree) -> list[str]:
    """The versions of modules that are played or shown in it, by their public ids, each once."""
    found: list[str] = []
    for node in nodes_in(tree):
        if node["type"] in ("film", "sound", "document"):
            found.append(str(node["attrs"]["version"]))
        elif node["type"] == "check" and node["attrs"]["question"] is not None:
            found += media_beside(node["attrs"]["question"])
    return list(dict.fromkeys(version for version in found if version))


def links_in(tree: Tree) -> list[tuple[str, str]]:
    """(block, address) of every link and of what is shown or played from elsewhere, in the order in which one reads."""
    found = []
    for block in tree.get("content", ()):
        name = str((block.get("attrs") or {}).get("id", ""))
        for node in nodes_in(block):
            addresses = [mark["attrs"]["href"] for mark in node.get("marks", ()) if mark["type"] == "link"]
            addresses.append((node.get("attrs") or {}).get("url", ""))
            found += [(name, str(url)) for url in addresses if str(url).startswith(("http://", "https://"))]
    return list(dict.fromkeys(found))


def key_terms(trees: Iterable[Tree]) -> list[Term]:
    """The key terms of a lesson in the order of its alphabet, each once; where its meaning is said in several places, the first."""
    found: dict[str, Term] = {}
    for tree in trees:
        for node in nodes_in(tree):
            for mark in node.get("marks", ()):
                word = " ".join(str(node.get("text", "")).split())
                if mark["type"] != "term" or not word:
                    continue
                before = found.get(word.casefold())
                if before is None or not before.meaning:
                    found[word.casefold()] = Term(before.word if before else word, mark["attrs"]["meaning"])
    return [found[key] for key in sorted(found)]


def minutes_to_read(trees: Iterable[Tree], media_seconds: Mapping[str, float]) -> int:
    """Minutes to read a lesson: its words, pictures, checks, and the media's own time (seconds by version); rounded up. Rule: 17."""
    minutes = Fraction(0)
    for tree in trees:
        minutes += Fraction(words_in(tree), WORDS_A_MINUTE)
        minutes += MINUTES_A_PICTURE * pictures_in(tree) + MINUTES_A_CHECK * len(checks_in(tree))
        minutes += sum((Fraction(repr(media_seconds.get(one, 0.0))) for one in media_in(tree)), Fraction(0)) / 60
    return ceil(minutes)
