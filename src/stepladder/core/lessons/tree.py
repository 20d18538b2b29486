"""The tree that a section of a lesson is written as.

One table of what there is: the server checks what it is sent against it, and the editor builds its own rules from it, so that the
two cannot disagree. A tree is JSON: {"type": "doc", "content": [blocks]}; a node has a type, attributes, content, and, where it is
text, marks. What may stand in what is said as an expression over names and groups: "paragraph+", "(paragraph | bullets)*".
"""

from __future__ import annotations

import re
import secrets
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache
from types import MappingProxyType
from typing import Any

from stepladder.core.lessons.attributes import (
    Address,
    Asked,
    Attribute,
    BadTree,
    Digest,
    Flag,
    Key,
    Number,
    OneOf,
    Rows,
    Widths,
    Words,
)

__all__ = ["MARKS", "MOST_BYTES", "NODES", "TONES", "Mark", "Node", "check_tree", "empty_tree"]

# Of one section, as it is sent. Pictures are not in it: it names them.
MOST_BYTES = 2 * 1024**2
MOST_NODES, DEEPEST, LONGEST_TEXT = 20_000, 20, 100_000
# What a note is about; each has its own colour and word.
TONES = ("mind", "know", "danger", "do")
SHOWS, CAPTION, TITLE = Words(1000), Words(1000), Words(300)


@dataclass(frozen=True)
class Node:
    """A kind of node: its word on the screen, what may be in it, where it may stand, and how the editor treats it."""

    word: str
    content: str = ""
    group: str = ""
    attrs: Mapping[str, Attribute] = field(default_factory=dict)
    # The marks that text in it may have: "_" all of them, "" none.
    marks: str = ""
    editing: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class Mark:
    attrs: Mapping[str, Attribute] = field(default_factory=dict)
    # Whether typing at its end goes on in it.
    goes_on: bool = True


_PICTURE: Mapping[str, Attribute] = {
    "file": Digest(),
    "width": Number(0, 20_000),
    "height": Number(0, 20_000),
    "shows": SHOWS,
    "is_decoration": Flag(),
}
_ATOM = MappingProxyType({"atom": True, "draggable": True})
_HOLDS = MappingProxyType({"defining": True, "isolating": True})
PROSE = "(paragraph | bullets | numbers)+"
_CELL: Mapping[str, Attribute] = {"colspan": Number(1, 20, 1), "rowspan": Number(1, 200, 1), "colwidth": Widths()}


def _block(word: str, content: str = "", attrs: Mapping[str, Attribute] | None = None, **more: Any) -> Node:
    """What may stand in a section by itself; it has a name by which it is known when it is seen."""
    return Node(word, content, "block", {"id": Key(), **(attrs or {})}, **more)


NODES: Mapping[str, Node] = {
    "doc": Node("section", "block+"),
    "text": Node("text", group="inline"),
    "break": Node("new line", group="inline", editing={"inline": True, "selectable": False}),
    "paragraph": _block("text", "inline*", marks="_"),
    "heading": _block(
        "heading", "inline*", {"level": Number(1, 2, 1)}, marks="em code sub sup", editing={"defining": True}
    ),
    "bullets": _block("list", "item+"),
    "numbers": _block("numbered list", "item+", {"start": Number(1, 9999, 1)}),
    "item": Node("item", "paragraph (paragraph | bullets | numbers)*", editing={"defining": True}),
    "quote": _block("quote", "paragraph+", {"source": TITLE}, editing={"defining": True}),
    "note": _block("note", PROSE, {"tone": OneOf(TONES)}, editing=_HOLDS),
    "table": _block("table", "row+", {"caption": CAPTION}, editing={"tableRole": "table", "isolating": True}),
    "row": Node("row", "(cell | head_cell)*", editing={"tableRole": "row"}),
    "cell": Node("cell", "paragraph+", attrs=_CELL, editing={"tableRole": "cell", "isolating": True}),
    "head_cell": Node("head", "paragraph+", attrs=_CELL, editing={"tableRole": "header_cell", "isolating": True}),
    "listing": _block("code", "text*", {"language": Words(40)}, editing={"code": True, "defining": True}),
    # As it was written, in the notation of LaTeX or as MathML; what is shown is made of it.
    "formula": _block("formula", attrs={"source": Words(4000), "words": SHOWS}, editing=_ATOM),
    "picture": _block("picture", attrs={**_PICTURE, "caption": CAPTION}, editing=_ATOM),
    "gallery": _block("gallery", attrs={"pictures": Rows({**_PICTURE, "caption": CAPTION}, 40)}, editing=_ATOM),
    "spots": _block(
        "picture with spots",
        attrs={
            **_PICTURE,
            "caption": CAPTION,
            # Where a spot is, in shares of the picture's width and height.
            "spots": Rows({"x": Number(0, 1), "y": Number(0, 1), "title": TITLE, "text": Words(2000)}, 30),
        },
        editing=_ATOM,
    ),
    # Film, sound and documents are versions of modules, or (film and sound) stand elsewhere.
    "film": _block(
        "film",
        attrs={
            "version": Key(),
            "url": Address(schemes=("https",)),
            "caption": CAPTION,
            # Of a film from elsewhere: a module has captions of its own.
            "captions": Digest(),
        },
        editing=_ATOM,
    ),
    "sound": _block(
        "sound", attrs={"version": Key(), "url": Address(schemes=("https",)), "caption": CAPTION}, editing=_ATOM
    ),
    "document": _block("document", attrs={"version": Key(), "caption": CAPTION}, editing=_ATOM),
    "attachment": _block(
        "attachment", attrs={"file": Digest(), "name": Words(255), "size": Number(0, 2**40)}, editing=_ATOM
    ),
    "page": _block(
        "page from elsewhere",
        attrs={"url": Address(schemes=("https",)), "title": TITLE, "height": Number(150, 1200, 420)},
        editing=_ATOM,
    ),
    "check": _block("check", attrs={"question": Asked()}, editing=_ATOM),
    "fold_out": _block("fold-out", PROSE, {"title": TITLE}, editing=_HOLDS),
    "compare": _block(
        "before and after",
        attrs={
            **{f"before_{name}": attr for name, attr in _PICTURE.items() if name != "is_decoration"},
            **{f"after_{name}": attr for name, attr in _PICTURE.items() if name != "is_decoration"},
            "before_word": Words(60, "before"),
            "after_word": Words(60, "after"),
            "caption": CAPTION,
        },
        editing=_ATOM,
    ),
    "steps": _block("steps", "step+", editing={"isolating": True}),
    "step": Node("step", "step_title (paragraph | bullets | numbers | picture)*", editing={"defining": True}),
    "step_title": Node("step", "inline*", marks="em code", editing={"defining": True}),
    "line": _block("line", editing={"atom": True}),
}

MARKS: Mapping[str, Mark] = {
    "strong": Mark(),
    "em": Mark(),
    "code": Mark(),
    "sub": Mark(),
    "sup": Mark(),
    "link": Mark({"href": Address(schemes=("https", "http", "mailto"))}, goes_on=False),
    # A key term of the course's glossary, with what it means.
    "term": Mark({"meaning": Words(1000)}, goes_on=False),
}


def _random_key() -> str:
    return secrets.token_hex(6)


def empty_tree(new_key: Callable[[], str] = _random_key) -> dict[str, Any]:
    """What a section is before anything is written: an empty paragraph."""
    return {"type": "doc", "content": [{"type": "paragraph", "attrs": {"id": new_key()}}]}


def check_tree(raw: object, new_key: Callable[[], str] = _random_key) -> dict[str, Any]:
    """The tree, with nothing in it that the table does not name, and a name for every block. Raises BadTree."""
    counted = _Count()
    tree = _node(raw, "", counted, 0)
    if tree["type"] != "doc":
        raise BadTree("A section begins with “doc”.")
    seen: set[str] = set()
    for block in tree["content"]:
        if not block["attrs"]["id"] or block["attrs"]["id"] in seen:
            block["attrs"]["id"] = new_key()
        seen.add(block["attrs"]["id"])
    return tree


class _Count:
    """How many nodes there were so far."""

    def __init__(self) -> None:
        self.nodes = 0

    def one_more(self) -> None:
        self.nodes += 1
        if self.nodes > MOST_NODES:
            raise BadTree(f"A section has at most {MOST_NODES} pieces. Make two of it.")


def _node(raw: object, where: str, counted: _Count, depth: int) -> dict[str, Any]:
    counted.one_more()
    if depth > DEEPEST:
        raise BadTree(f"{where}: blocks within blocks without end.")
    if not isinstance(raw, dict) or set(raw) - {"type", "attrs", "content", "marks", "text"}:
        raise BadTree(f"{where or 'A section'} is no block.")
    name = raw.get("type")
    node = NODES.get(name) if isinstance(name, str) else None
    if node is None:
        raise BadTree(f"{where or 'A section'}: there are no blocks called “{str(name)[:40]}”.")
    if name == "text":
        return _text(raw, where)
    place = f"{where} › {node.word}" if where else node.word
    found: dict[str, Any] = {"type": name}
    if node.attrs:
        found["attrs"] = _attributes(raw.get("attrs"), node.attrs, place)
    elif raw.get("attrs"):
        raise BadTree(f"{place} has no attributes.")
    children = raw.get("content", [])
    if not isinstance(children, list):
        raise BadTree(f"{place}: its content is a list.")
    inside = [_node(child, place, counted, depth + 1) for child in children]
    _check_content(node, inside, place)
    _check_marks(node, inside, place)
    if inside:
        found["content"] = inside
    return found


def _text(raw: Mapping[str, Any], where: str) -> dict[str, Any]:
    text = raw.get("text")
    if not isinstance(text, str) or not 0 < len(text) <= LONGEST_TEXT:
        raise BadTree(f"{where}: text has from 1 to {LONGEST_TEXT} signs.")
    marks = raw.get("marks", [])
    if not isinstance(marks, list) or len(marks) > len(MARKS):
        raise BadTree(f"{where}: the marks of a text are a list.")
    return {"type": "text", "text": text, **({"marks": [_mark(one, where) for one in marks]} if marks else {})}


def _mark(raw: object, where: str) -> dict[str, Any]:
    name = raw.get("type") if isinstance(raw, dict) else None
    mark = MARKS.get(name) if isinstance(name, str) else None
    if mark is None or not isinstance(raw, dict):
        raise BadTree(f"{where}: there are no marks called “{str(name)[:40]}”.")
    return {"type": name, **({"attrs": _attributes(raw.get("attrs"), mark.attrs, where)} if mark.attrs else {})}


def _attributes(raw: object, attrs: Mapping[str, Attribute], place: str) -> dict[str, Any]:
    said = raw if raw is not None else {}
    if not isinstance(said, dict):
        raise BadTree(f"{place}: its attributes are an object.")
    if unknown := sorted(str(key)[:40] for key in said if key not in attrs):
        raise BadTree(f"{place} has no “{unknown[0]}”.")
    found = {}
    for name, attr in attrs.items():
        try:
            found[name] = attr.read(said[name]) if name in said else attr.default
        except BadTree as refusal:
            raise BadTree(f"{place}: “{name}” {refusal}.") from None
    return found


def _check_content(node: Node, inside: list[dict[str, Any]], place: str) -> None:
    names = "".join(f"{child['type']}," for child in inside)
    if not _content(node.content).fullmatch(names):
        raise BadTree(
            f"{place}: {', '.join(NODES[child['type']].word for child in inside) or 'nothing'} is not to stand in it."
        )


@cache
def _content(expression: str) -> re.Pattern[str]:
    """What may be in a node, as a pattern over the names of what is in it, each followed by a comma."""

    def names(found: re.Match[str]) -> str:
        named = found[0]
        members = [name for name, node in NODES.items() if node.group == named] or [named]
        return f"(?:{'|'.join(f'{name},' for name in members)})"

    return re.compile(re.sub(r"[a-z_]+", names, expression).replace(" ", ""))


def _check_marks(node: Node, inside: list[dict[str, Any]], place: str) -> None:
    for child in inside:
        for mark in child.get("marks", []):
            if node.marks != "_" and mark["type"] not in node.marks.split():
                raise BadTree(f"{place}: its text has no “{mark['type']}”.")
