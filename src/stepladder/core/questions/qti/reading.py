"""Reading an item. 3.0 names elements and attributes with hyphens where 2.1 writes them together: both are read by the names of 2.1."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml import DefusedXmlException
from defusedxml.ElementTree import fromstring

from stepladder.core.questions.model import Kind
from stepladder.core.questions.reading import BadQuestion, faults_of

__all__ = ["BadItem", "ReadItem", "is_item", "keywords_of", "read_item"]

LONGEST_ITEM = 1_000_000
ITEM = "assessmentItem"
# Elements that end a line of text.
_BLOCKS = frozenset({"p", "div", "li", "br", "tr", "h1", "h2", "h3", "h4", "pre", "blockquote"})


class BadItem(ValueError):
    """What was sent is no item of QTI; the message says why, without its end."""


@dataclass(frozen=True)
class ReadItem:
    """An item: the question it is, or the name of what it has that is not asked here (*unknown*); *left* is what stays behind of it."""

    identifier: str
    title: str
    # core.questions, in its JSON form; None where it is not asked here.
    raw: dict[str, Any] | None
    unknown: str = ""
    left: list[str] = field(default_factory=list)


def _name(tag: str) -> str:
    """An element's or attribute's name as 2.1 has it: "qti-simple-choice" is "simpleChoice"."""
    local = tag.rpartition("}")[2]
    local = local.removeprefix("qti-")
    return re.sub(r"-([a-z])", lambda found: found[1].upper(), local)


class _Node:
    """An element by the names of 2.1."""

    def __init__(self, element: Element) -> None:
        self.element = element
        self.name = _name(element.tag) if isinstance(element.tag, str) else ""
        self.attributes = {_name(key): value for key, value in element.attrib.items()}

    def __iter__(self) -> Iterator[_Node]:
        return (_Node(child) for child in self.element if isinstance(child.tag, str))

    def all(self, *names: str) -> list[_Node]:
        """Those below it of these names, in the order of the document."""
        return [node for node in map(_Node, self.element.iter()) if node.name in names]

    def first(self, name: str) -> _Node | None:
        return next(iter(self.all(name)), None)

    def get(self, name: str, default: str = "") -> str:
        return self.attributes.get(name, default)

    def text(self, *without: str) -> str:
        """Its words, blocks on lines of their own; what stands in elements of these names is left out."""
        out: list[str] = []
        # Not by calling itself: a document may be nested as deep as it likes.
        waiting: list[tuple[str, Any]] = [("node", self.element)]
        while waiting:
            what, value = waiting.pop()
            if what == "text":
                out.append(value)
                continue
            name = _name(value.tag) if isinstance(value.tag, str) else ""
            if name in without and value is not self.element:
                continue
            after: list[tuple[str, Any]] = [("text", value.text or "")]
            for child in value:
                after += [("node", child), ("text", child.tail or "")]
            if name in _BLOCKS:
                after = [("text", "\n"), *after, ("text", "\n")]
            waiting += reversed(after)
        lines = [" ".join(line.split()) for line in "".join(out).split("\n")]
        return "\n".join(line for line in lines if line)


def is_item(body: bytes) -> bool:
    """Whether a file begins like an item; the rest of it is looked at as it is read."""
    return re.search(rb"<([A-Za-z0-9]+:)?(assessmentItem|qti-assessment-item)[\s>]", body[:4000]) is not None


def keywords_of(manifest: bytes) -> dict[str, dict[str, str]]:
    """What the items of a package are about, by keywords such as "topic: Ropes": file name → what → which. Empty where it says nothing."""
    try:
        root = _Node(fromstring(manifest))
    except (ParseError, DefusedXmlException, ValueError):
        return {}
    found: dict[str, dict[str, str]] = {}
    for resource in root.all("resource"):
        words = [word.text() for word in resource.all("keyword")]
        said = dict(word.split(": ", 1) for word in words if ": " in word)
        if said:
            found[resource.get("href")] = said
    return found


def read_item(body: bytes) -> ReadItem:
    """The question in an item. Raises BadItem."""
    if len(body) > LONGEST_ITEM:
        raise BadItem(f"it is longer than {LONGEST_ITEM} bytes")
    try:
        root = _Node(fromstring(body))
    except (ParseError, DefusedXmlException, ValueError) as error:
        raise BadItem(f"it is no XML that can be read ({str(error)[:80]})") from None
    if root.name != ITEM:
        raise BadItem("it has no assessmentItem")
    return _read(root)


_INTERACTIONS = (
    "choiceInteraction",
    "orderInteraction",
    "matchInteraction",
    "textEntryInteraction",
    "extendedTextInteraction",
    "uploadInteraction",
)


def _read(root: _Node) -> ReadItem:
    identifier, title = root.get("identifier")[:200], root.get("title")[:200]
    interactions = [node for node in map(_Node, root.element.iter()) if node.name.endswith("Interaction")]
    known = [node for node in interactions if node.name in _INTERACTIONS]
    others = [node.name for node in interactions if node.name not in _INTERACTIONS]
    if others or len(known) != 1:
        unknown = others[0] if others else f"{len(known)} interactions in one item"
        return ReadItem(identifier, title, None, unknown)
    asked = known[0]
    left = _left_behind(root)
    try:
        raw = _READERS[asked.name](root, asked)
        raw["text"] = _question_text(root, asked)
        faults = faults_of(raw)
    except BadQuestion as refusal:
        faults, raw = [str(refusal)], {}
    if faults:
        return ReadItem(identifier, title, None, f"{asked.name}, which {faults[0]}", left)
    return ReadItem(identifier, title, raw, "", left)


def _left_behind(root: _Node) -> list[str]:
    found = []
    if pictures := len(root.all("img", "object", "video", "audio")):
        found.append(f"{pictures} picture{'s' if pictures != 1 else ''} or other media")
    if root.all("templateDeclaration"):
        found.append("its template of drawn values")
    return found


def _question_text(root: _Node, asked: _Node) -> str:
    """What stands around the interaction, and its prompt."""
    body = root.first("itemBody")
    around = body.text(asked.name) if body else ""
    prompt = asked.first("prompt")
    return "\n".join(text for text in (around, prompt.text() if prompt else "") if text) or root.get("title")


def _response(root: _Node, asked: _Node) -> _Node | None:
    wanted = asked.get("responseIdentifier", "RESPONSE")
    return next((one for one in root.all("responseDeclaration") if one.get("identifier") == wanted), None)


def _correct(root: _Node, asked: _Node) -> list[str]:
    """The right values: those of correctResponse; else of a mapping those that bring something."""
    declared = _response(root, asked)
    if declared is None:
        return []
    if correct := declared.first("correctResponse"):
        return [value.text() for value in correct.all("value")]
    return [entry.get("mapKey") for entry in declared.all("mapEntry") if _brings(entry)]


def _brings(entry: _Node) -> bool:
    try:
        return float(entry.get("mappedValue", "0")) > 0
    except ValueError:
        return False


def _is_by_parts(root: _Node, asked: _Node) -> bool:
    declared = _response(root, asked)
    return declared is not None and declared.first("mapping") is not None


def _choices(root: _Node, asked: _Node) -> dict[str, Any]:
    right = set(_correct(root, asked))
    declared = _response(root, asked)
    is_one = declared.get("cardinality") == "single" if declared else asked.get("maxChoices", "1") == "1"
    choices = []
    for node in asked.all("simpleChoice"):
        choice: dict[str, Any] = {"text": node.text("feedbackInline"), "right": node.get("identifier") in right}
        if feedback := node.first("feedbackInline"):
            choice["feedback"] = feedback.text()
        choices.append(choice)
    if (
        is_one
        and [node.get("identifier") for node in asked.all("simpleChoice")] == ["true", "false"]
        and len(right) == 1
    ):
        return {"kind": Kind.TRUE_FALSE.value, "is_true": right == {"true"}}
    raw: dict[str, Any] = {"kind": (Kind.ONE if is_one else Kind.SEVERAL).value, "choices": choices}
    if asked.get("shuffle", "false") != "true":
        raw["shuffle"] = False
    if not is_one and not _is_by_parts(root, asked):
        raw["all_or_nothing"] = True
    return raw


def _order(root: _Node, asked: _Node) -> dict[str, Any]:
    texts = {node.get("identifier"): node.text() for node in asked.all("simpleChoice")}
    order = _correct(root, asked)
    if set(order) != set(texts):
        raise BadQuestion("does not say the whole order")
    raw: dict[str, Any] = {"kind": Kind.ORDER.value, "choices": [{"text": texts[key]} for key in order]}
    return raw | ({} if _is_by_parts(root, asked) else {"all_or_nothing": True})


def _match(root: _Node, asked: _Node) -> dict[str, Any]:
    texts = {node.get("identifier"): node.text() for node in asked.all("simpleAssociableChoice")}
    pairs = [value.split() for value in _correct(root, asked)]
    sides = [pair for pair in pairs if len(pair) == 2 and pair[0] in texts and pair[1] in texts]
    sets = [
        [node.get("identifier") for node in one.all("simpleAssociableChoice")] for one in asked.all("simpleMatchSet")
    ]
    lefts, rights = ([pair[side] for pair in sides] for side in (0, 1))
    # Each once, and nothing over: only then is it pairs.
    if len(sets) != 2 or sorted(lefts) != sorted(sets[0]) or sorted(rights) != sorted(sets[1]):
        raise BadQuestion("matches other than one to one")
    raw: dict[str, Any] = {
        "kind": Kind.MATCH.value,
        "pairs": [{"left": texts[left], "right": texts[right]} for left, right in sides],
    }
    return raw | ({} if _is_by_parts(root, asked) else {"all_or_nothing": True})


def _entry(root: _Node, asked: _Node) -> dict[str, Any]:
    declared = _response(root, asked)
    values = _correct(root, asked)
    if declared is not None and declared.get("baseType") in ("float", "integer"):
        raw: dict[str, Any] = {"kind": Kind.NUMBER.value, "number": values[0] if values else ""}
        equal = root.first("equal")
        if equal is not None and equal.get("toleranceMode") == "absolute":
            raw["tolerance"] = (equal.get("tolerance").split() or ["0"])[0]
        return raw
    entries = [entry.get("mapKey") for entry in declared.all("mapEntry") if _brings(entry)] if declared else []
    return {"kind": Kind.TEXT.value, "accepted": list(dict.fromkeys([*values, *entries]))}


def _long(root: _Node, asked: _Node) -> dict[str, Any]:
    raw: dict[str, Any] = {"kind": Kind.LONG.value}
    values = _correct(root, asked)
    rubric = root.first("rubricBlock")
    raw |= {"model_answer": values[0]} if values else {}
    return raw | ({"rubric": rubric.text()} if rubric else {})


def _file(root: _Node, asked: _Node) -> dict[str, Any]:
    return {"kind": Kind.FILE.value}


_READERS: Mapping[str, Callable[[_Node, _Node], dict[str, Any]]] = dict(
    zip(_INTERACTIONS, (_choices, _order, _match, _entry, _long, _file), strict=True)
)
