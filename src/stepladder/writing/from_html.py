"""Clean HTML as a section's tree: what came from a text, slides or a web page, in the blocks of a lesson."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any

import lxml.html

from stepladder.core.lessons.attributes import web_address

__all__ = ["tree_of"]

Node = dict[str, Any]
Picture = Mapping[str, Any]
_MARKS = {"strong": "strong", "b": "strong", "em": "em", "i": "em", "code": "code", "sub": "sub", "sup": "sup"}
_LISTS = {"ul": "bullets", "ol": "numbers"}
LONGEST_CELL_SPAN = 20


def tree_of(html: str, title: str, pictures: Mapping[str, Picture]) -> Node:
    """The tree of a page of a reading copy; its *title*, where its first heading says it, is the section's own and left out.

    *pictures*: by the names that the page calls them ({"file", "width", "height"}); one that is not among them is left out.
    """
    root = lxml.html.fragment_fromstring(html or "<p></p>", create_parent="div")
    blocks = list(_Reading(pictures).blocks(root))
    if blocks and blocks[0]["type"] == "heading" and _words(blocks[0]) == " ".join(title.split()):
        blocks = blocks[1:]
    return {"type": "doc", "content": blocks or [{"type": "paragraph"}]}


def _words(node: Node) -> str:
    return " ".join("".join(part.get("text", " ") for part in node.get("content", ())).split())


class _Reading:
    """What is read of a page; a picture stands behind the words that it was among."""

    def __init__(self, pictures: Mapping[str, Picture]) -> None:
        self.pictures = pictures

    def blocks(self, element: Any) -> Iterator[Node]:
        """The blocks in an element, its own words among them."""
        loose: list[Node] = self._text(element.text, [])
        for child in element:
            if not isinstance(child.tag, str):
                continue
            own = _BLOCKS.get(child.tag)
            if own is None and child.tag not in ("div", "section", "article", "main", "figure", "dl", "dt", "dd"):
                # Words of the line, which may have pictures among them.
                loose += self._inline(child, [])
                pictured = list(self._pictures(child))
                if pictured:
                    yield from self._paragraph(loose)
                    yield from pictured
                    loose = []
            else:
                yield from self._paragraph(loose)
                loose = []
                yield from own(self, child) if own is not None else self.blocks(child)
            loose += self._text(child.tail, [])
        yield from self._paragraph(loose)

    def _paragraph(self, inside: list[Node]) -> Iterator[Node]:
        words = _trimmed(inside)
        if words:
            yield {"type": "paragraph", "content": words}

    def _text(self, text: str | None, marks: list[Node]) -> list[Node]:
        if not text:
            return []
        # Blanks and breaks of lines come to one blank, as a browser has them.
        plain = " ".join(text.split())
        said = f"{' ' if text[0].isspace() else ''}{plain}{' ' if plain and text[-1].isspace() else ''}"
        return [{"type": "text", "text": said, **({"marks": marks} if marks and plain else {})}]

    def _inline(self, element: Any, marks: list[Node]) -> list[Node]:
        """The words of an element of the line, itself with them, its tail not."""
        if element.tag == "br":
            return [{"type": "break"}]
        own = list(marks)
        name = _MARKS.get(element.tag)
        if name is not None and all(mark["type"] != name for mark in own):
            own = [*own, {"type": name}]
        href = element.get("href", "") if element.tag == "a" else ""
        if href and web_address(href, ("https", "http", "mailto")):
            own = [*own, {"type": "link", "attrs": {"href": href}}]
        found = self._text(element.text, own)
        for child in element:
            if isinstance(child.tag, str):
                found += self._inline(child, own)
            found += self._text(child.tail, own)
        return found

    def _pictures(self, element: Any) -> Iterator[Node]:
        for image in element.iter("img"):
            kept = self.pictures.get(image.get("src", ""))
            if kept is not None:
                yield {"type": "picture", "attrs": {**kept, "shows": (image.get("alt") or "")[:1000]}}

    def p(self, element: Any) -> Iterator[Node]:
        yield from self._paragraph(self._inline(element, []))
        yield from self._pictures(element)

    def heading(self, element: Any) -> Iterator[Node]:
        words = " ".join(element.text_content().split())
        if words:
            level = 1 if element.tag in ("h1", "h2", "h3") else 2
            yield {"type": "heading", "attrs": {"level": level}, "content": [{"type": "text", "text": words}]}
        yield from self._pictures(element)

    def list_of(self, element: Any) -> Iterator[Node]:
        items = [self._item(child) for child in element if child.tag == "li"]
        if items:
            yield {"type": _LISTS[element.tag], "content": items}
        yield from self._pictures(element)

    def _item(self, element: Any) -> Node:
        inside = [node for node in self.blocks(element) if node["type"] in ("paragraph", "bullets", "numbers")]
        if not inside or inside[0]["type"] != "paragraph":
            inside = [{"type": "paragraph"}, *inside]
        return {"type": "item", "content": inside}

    def quote(self, element: Any) -> Iterator[Node]:
        inside = [node for node in self.blocks(element) if node["type"] == "paragraph"]
        if inside:
            yield {"type": "quote", "content": inside}

    def listing(self, element: Any) -> Iterator[Node]:
        text = element.text_content().strip("\n")
        if text:
            yield {"type": "listing", "content": [{"type": "text", "text": text}]}

    def table(self, element: Any) -> Iterator[Node]:
        rows = [[self._cell(cell) for cell in row if cell.tag in ("td", "th")] for row in element.iter("tr")]
        kept = [{"type": "row", "content": cells} for cells in rows if cells]
        if kept:
            yield {"type": "table", "content": kept}
        yield from self._pictures(element)

    def _cell(self, element: Any) -> Node:
        inside = [node for node in self.blocks(element) if node["type"] == "paragraph"] or [{"type": "paragraph"}]
        spans = {name: min(_span(element.get(name)), LONGEST_CELL_SPAN) for name in ("colspan", "rowspan")}
        return {"type": "head_cell" if element.tag == "th" else "cell", "attrs": spans, "content": inside}

    def line(self, element: Any) -> Iterator[Node]:
        yield {"type": "line"}

    def image(self, element: Any) -> Iterator[Node]:
        yield from self._pictures(element)


def _trimmed(inside: list[Node]) -> list[Node]:
    """Words of a line without the blanks and new lines around them."""
    words = list(inside)
    while words and (words[0]["type"] == "break" or not words[0]["text"].strip()):
        words = words[1:]
    while words and (words[-1]["type"] == "break" or not words[-1]["text"].strip()):
        words = words[:-1]
    if words:
        words[0] = {**words[0], "text": words[0]["text"].lstrip()}
        words[-1] = {**words[-1], "text": words[-1]["text"].rstrip()}
    return words


def _span(said: str | None) -> int:
    return int(said) if said and said.isascii() and said.isdigit() and len(said) < 4 and int(said) else 1


_BLOCKS: dict[str, Callable[[_Reading, Any], Iterator[Node]]] = {
    "p": _Reading.p,
    **dict.fromkeys(("h1", "h2", "h3", "h4", "h5", "h6"), _Reading.heading),
    **dict.fromkeys(_LISTS, _Reading.list_of),
    "blockquote": _Reading.quote,
    "pre": _Reading.listing,
    "table": _Reading.table,
    "hr": _Reading.line,
    "img": _Reading.image,
}
