"""A lesson as Markdown: its words, tables and checks as text, pictures and attachments as files beside it.

What goes out carries the right answers of its checks, and says so at its head.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from typing import Any

from stepladder.core.questions import Picture, problems_of, read_question, right_in_words
from stepladder.library.models import ModuleVersion
from stepladder.writing.content import Content
from stepladder.writing.rendering import TONE_WORDS

__all__ = ["SAYS_ANSWERS", "markdown_of"]

Node = Mapping[str, Any]
SAYS_ANSWERS = "The right answers of its checks are in this file: it is for whoever teaches, not for whoever is asked."
_SIGNS = re.compile(r"([\\`*_\[\]<>|#])")


def markdown_of(title: str, content: Content, media: Mapping[str, ModuleVersion], picture: Callable[[str], str]) -> str:
    """The whole lesson; *picture* gives the path of the file that a digest's picture is in."""
    writer = _Writer(media, picture)
    parts = [f"# {_plain(title)}"]
    if any(part.checks for part in content.parts):
        parts.append(f"*{SAYS_ANSWERS}*")
    for section in content.sections:
        parts.append(f"## {_plain(section.title)}")
        parts += [text for text in (writer.block(block) for block in section.tree["content"]) if text]
    return "\n\n".join(parts) + "\n"


def _plain(text: str) -> str:
    return _SIGNS.sub(r"\\\1", " ".join(text.split()))


def _indented(text: str, by: str, first: str = "") -> str:
    lines = text.split("\n")
    return "\n".join([first + lines[0], *(f"{by}{line}" if line else "" for line in lines[1:])])


class _Writer:
    def __init__(self, media: Mapping[str, ModuleVersion], picture: Callable[[str], str]) -> None:
        self.media, self.picture = media, picture

    def block(self, node: Node) -> str:
        """A block as Markdown; empty where there is nothing of it in text."""
        return _BLOCKS[node["type"]](self, node)

    def _blocks(self, node: Node) -> str:
        return "\n\n".join(text for text in (self.block(child) for child in node.get("content", ())) if text)

    def words(self, node: Node) -> str:
        return "".join(self._piece(child) for child in node.get("content", ())).strip()

    def _piece(self, node: Node) -> str:
        if node["type"] == "break":
            return "  \n"
        marks = {mark["type"]: mark.get("attrs", {}) for mark in node.get("marks", ())}
        text = node["text"]
        if "code" in marks:
            return f"`{text.replace('`', '’')}`"
        # Marks hold to words: blanks at their ends stand outside of them.
        inner = text.strip()
        if not inner:
            return str(text)
        before, after = text[: len(text) - len(text.lstrip())], text[len(text.rstrip()) :]
        said = _SIGNS.sub(r"\\\1", inner)
        said = f"*{said}*" if "em" in marks else said
        said = f"**{said}**" if "strong" in marks else said
        said = f"[{said}]({marks['link']['href']})" if "link" in marks else said
        meaning = marks.get("term", {}).get("meaning", "")
        return f"{before}{said}{f' ({_plain(meaning)})' if meaning else ''}{after}"

    def heading(self, node: Node) -> str:
        return f"{'###' if node['attrs']['level'] == 1 else '####'} {self.words(node)}"

    def list_of(self, node: Node) -> str:
        start = node.get("attrs", {}).get("start", 1)
        items = []
        for number, item in enumerate(node["content"], start):
            sign = "- " if node["type"] == "bullets" else f"{number}. "
            items.append(_indented(self._blocks(item), " " * len(sign), sign))
        return "\n".join(items)

    def quote(self, node: Node) -> str:
        source = node["attrs"]["source"]
        said = self._blocks(node) + (f"\n\n– {_plain(source)}" if source else "")
        return "\n".join(f"> {line}".rstrip() for line in said.split("\n"))

    def note(self, node: Node) -> str:
        said = f"**{TONE_WORDS[node['attrs']['tone']]}:** {self._blocks(node)}"
        return "\n".join(f"> {line}".rstrip() for line in said.split("\n"))

    def table(self, node: Node) -> str:
        rows = [[self._blocks(cell).replace("\n", " ") for cell in row.get("content", ())] for row in node["content"]]
        wide = max(len(row) for row in rows)
        lines = [f"| {' | '.join([*row, *[''] * (wide - len(row))])} |" for row in rows]
        caption = node["attrs"]["caption"]
        said = "\n".join([lines[0], f"|{'---|' * wide}", *lines[1:]])
        return f"{said}\n\n*{_plain(caption)}*" if caption else said

    def listing(self, node: Node) -> str:
        text = "".join(child["text"] for child in node.get("content", ()))
        fence = "`" * max(3, max((len(run) for run in re.findall("`+", text)), default=0) + 1)
        return f"{fence}{_plain(node['attrs']['language'])}\n{text}\n{fence}"

    def formula(self, node: Node) -> str:
        return f"$$\n{node['attrs']['source'].strip()}\n$$"

    def _picture(self, attrs: Mapping[str, Any], prefix: str = "") -> str:
        if not attrs[f"{prefix}file"]:
            return ""
        return f"![{_plain(attrs[f'{prefix}shows'])}]({self.picture(attrs[f'{prefix}file'])})"

    def _captioned(self, said: str, attrs: Mapping[str, Any]) -> str:
        return f"{said}\n\n*{_plain(attrs['caption'])}*" if attrs.get("caption") and said else said

    def one_picture(self, node: Node) -> str:
        return self._captioned(self._picture(node["attrs"]), node["attrs"])

    def gallery(self, node: Node) -> str:
        return "\n\n".join(self._captioned(self._picture(row), row) for row in node["attrs"]["pictures"])

    def spots(self, node: Node) -> str:
        spots = node["attrs"]["spots"]
        lines = [f"{n}. **{_plain(one['title'])}** {_plain(one['text'])}".rstrip() for n, one in enumerate(spots, 1)]
        return "\n\n".join(part for part in (self.one_picture(node), "\n".join(lines)) if part)

    def compare(self, node: Node) -> str:
        attrs = node["attrs"]
        sides = [f"**{_plain(attrs[f'{s}_word'])}**\n\n{self._picture(attrs, f'{s}_')}" for s in ("before", "after")]
        return self._captioned("\n\n".join(sides), attrs)

    def medium(self, node: Node) -> str:
        attrs = node["attrs"]
        version = self.media.get(attrs["version"])
        if version is not None:
            said = f"*{node['type']}: {_plain(version.module.title)}*"
        else:
            said = f"<{attrs['url']}>" if attrs.get("url") else ""
        return self._captioned(said, attrs)

    def attachment(self, node: Node) -> str:
        return f"*to take along: {_plain(node['attrs']['name'])}*" if node["attrs"]["file"] else ""

    def page(self, node: Node) -> str:
        url = node["attrs"]["url"]
        return f"[{_plain(node['attrs']['title'] or url)}]({url})" if url else ""

    def fold_out(self, node: Node) -> str:
        return f"**{_plain(node['attrs']['title'])}**\n\n{self._blocks(node)}"

    def steps(self, node: Node) -> str:
        lines = []
        for number, step in enumerate(node["content"], 1):
            title, *rest = step["content"]
            inside = "\n\n".join([f"**{self.words(title)}**", *(self.block(one) for one in rest)])
            lines.append(_indented(inside, "   ", f"{number}. "))
        return "\n".join(lines)

    def _own_picture(self, picture: Picture | None) -> str:
        return "" if picture is None else self._picture({"file": picture.file, "shows": picture.shows})

    def _beside(self, name: str) -> str:
        version = self.media.get(name)
        if version is None:
            return ""
        return f"*{'film' if version.module.kind == 'video' else 'sound'}: {_plain(version.module.title)}*"

    def check(self, node: Node) -> str:
        raw = node["attrs"]["question"]
        if raw is None or problems_of(read_question(raw)):
            return ""
        question = read_question(raw)
        beside = [self._own_picture(question.picture), self._beside(question.media)]
        lines = [
            " ".join(
                part
                for part in (
                    f"- {_plain(choice.text)}",
                    self._own_picture(choice.picture),
                    self._beside(choice.media),
                )
                if part
            )
            for choice in question.choices
        ]
        lines += [f"- {_plain(left)}" for left, _ in question.pairs]
        right = "; ".join(_plain(text) for text in right_in_words(question))
        return "\n\n".join(
            part for part in (f"**{_plain(question.text)}**", *beside, "\n".join(lines), f"Right: {right}") if part
        )


_BLOCKS: dict[str, Callable[[_Writer, Node], str]] = {
    "paragraph": _Writer.words,
    "step_title": _Writer.words,
    "heading": _Writer.heading,
    "bullets": _Writer.list_of,
    "numbers": _Writer.list_of,
    "quote": _Writer.quote,
    "note": _Writer.note,
    "table": _Writer.table,
    "listing": _Writer.listing,
    "formula": _Writer.formula,
    "picture": _Writer.one_picture,
    "gallery": _Writer.gallery,
    "spots": _Writer.spots,
    "compare": _Writer.compare,
    "film": _Writer.medium,
    "sound": _Writer.medium,
    "document": _Writer.medium,
    "attachment": _Writer.attachment,
    "page": _Writer.page,
    "check": _Writer.check,
    "fold_out": _Writer.fold_out,
    "steps": _Writer.steps,
    "line": lambda writer, node: "---",
}
