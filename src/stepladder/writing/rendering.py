"""A lesson's tree as a page: words in place, the blocks that are more than words by templates of their own.

What is read and what is being written are drawn by the same templates, so that a lesson looks as it will read.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.template.loader import render_to_string
from django.utils.html import format_html, format_html_join
from django.utils.safestring import SafeString, mark_safe

from stepladder.core.lessons.findings import allows, host_of
from stepladder.core.lessons.formula import BadFormula, mathml_of
from stepladder.core.lessons.outline import blocks_in
from stepladder.core.questions import Kind, problems_of, read_question, right_in_words
from stepladder.library.models import ModuleVersion
from stepladder.writing.addresses import Here
from stepladder.writing.asking import Played, show_question
from stepladder.writing.beside import play_by
from stepladder.writing.worths import worths_of

__all__ = ["TONE_WORDS", "Drawing", "DrawnBlock"]

TONE_WORDS = {"mind": "mind", "know": "good to know", "danger": "danger", "do": "do this"}
_TAGS = {"bullets": "ul", "item": "li", "row": "tr", "quote": "blockquote"}
_MARK_TAGS = {"strong": "strong", "em": "em", "code": "code", "sub": "sub", "sup": "sup"}
Node = Mapping[str, Any]


@dataclass(frozen=True)
class DrawnBlock:
    """A block as it stands on a page."""

    name: str
    kind: str
    html: SafeString


@dataclass
class Drawing:
    """How a lesson is drawn for somebody: whose the addresses are, what is answered, whether its author is at work on it."""

    account: int
    media: Mapping[str, ModuleVersion]
    hosts: Sequence[str]
    # Who answers: an attempt, a trial; and what is kept of their answers, by checks.
    whose: str = "trial"
    kept: Mapping[str, Any] = field(default_factory=dict)
    # For its author: checks with their right answers, and a word where something is missing.
    is_written: bool = False
    # Where pictures and files are; None: on this application's pages, for the account.
    addresses: Here | None = None
    _count: int = 0

    def __post_init__(self) -> None:
        self.at = self.addresses or Here(self.account)

    def blocks(self, tree: Node) -> list[DrawnBlock]:
        """The blocks of a section, in their order."""
        return [DrawnBlock(block["attrs"]["id"], block["type"], self.draw(block)) for block in blocks_in(tree)]

    def draw(self, node: Node) -> SafeString:
        """A node and what is in it."""
        own = _OWN.get(node["type"])
        if own is not None:
            return own(self, node)
        if node["type"] in _TEMPLATES:
            return self._by_template(node)
        return self._wrapped(_TAGS[node["type"]], node)

    def _inside(self, node: Node) -> SafeString:
        return format_html_join("", "{}", ((self.draw(child),) for child in node.get("content", ())))

    def _wrapped(self, tag: str, node: Node) -> SafeString:
        return format_html("<{0}>{1}</{0}>", mark_safe(tag), self._inside(node))

    def _by_template(self, node: Node) -> SafeString:
        attrs = dict(node.get("attrs") or {})
        context = {"attrs": attrs, "is_written": self.is_written, **_TEMPLATES[node["type"]](self, attrs)}
        self._count += 1
        context["number"] = self._count
        context["prefix"] = attrs.get("id") or str(self._count)
        if node.get("content"):
            context["inside"] = self._inside(node)
        return mark_safe(render_to_string(f"writing/blocks/{node['type']}.html", context))

    # --- words

    def _text(self, node: Node) -> SafeString:
        html = format_html("{}", node["text"])
        for mark in reversed(node.get("marks", ())):
            html = self._marked(mark, html)
        return html

    def _marked(self, mark: Mapping[str, Any], html: SafeString) -> SafeString:
        if mark["type"] == "link":
            return format_html(
                '<a href="{}" target="_blank" rel="noopener noreferrer">{}</a>', mark["attrs"]["href"], html
            )
        if mark["type"] == "term":
            self._count += 1
            context = {"word": html, "meaning": mark["attrs"]["meaning"], "name": f"term-{self.whose}-{self._count}"}
            return mark_safe(render_to_string("writing/blocks/term.html", context).strip())
        return format_html("<{0}>{1}</{0}>", mark_safe(_MARK_TAGS[mark["type"]]), html)

    def _heading(self, node: Node) -> SafeString:
        # The lesson's title is the page's first heading, a section's the second.
        return self._wrapped("h3" if node["attrs"]["level"] == 1 else "h4", node)

    def _numbers(self, node: Node) -> SafeString:
        return format_html('<ol start="{}">{}</ol>', node["attrs"]["start"], self._inside(node))

    def _quote(self, node: Node) -> SafeString:
        source = node["attrs"]["source"]
        said = format_html("<cite>{}</cite>", source) if source else ""
        return format_html("<blockquote>{}{}</blockquote>", self._inside(node), said)

    def _cell(self, node: Node) -> SafeString:
        tag = mark_safe("th" if node["type"] == "head_cell" else "td")
        scope = mark_safe(' scope="col"' if node["type"] == "head_cell" else "")
        spans = [(name, node["attrs"][name]) for name in ("colspan", "rowspan") if node["attrs"][name] > 1]
        said = format_html_join("", ' {}="{}"', spans)
        return format_html("<{0}{1}{2}>{3}</{0}>", tag, scope, said, self._inside(node))

    def _table(self, node: Node) -> SafeString:
        caption = node["attrs"]["caption"]
        said = format_html("<caption>{}</caption>", caption) if caption else ""
        return format_html(
            '<div class="lesson-table" tabindex="0" role="region" aria-label="{}"><table>{}<tbody>{}</tbody></table></div>',
            caption or "A table",
            said,
            self._inside(node),
        )

    def _listing(self, node: Node) -> SafeString:
        return format_html('<pre tabindex="0"><code>{}</code></pre>', self._inside(node))

    def _formula(self, node: Node) -> SafeString:
        attrs = node["attrs"]
        try:
            drawn = mathml_of(attrs["source"])
        except BadFormula as refusal:
            return format_html('<p class="block-trouble">{}</p>', str(refusal) if self.is_written else attrs["words"])
        return format_html('<div class="formula">{}{}</div>', mark_safe(drawn), _unseen(attrs["words"]))

    # --- what a template is told

    def picture(self, row: Mapping[str, Any]) -> dict[str, Any]:
        """A picture's address, and what it is."""
        address = self.at.picture(row["file"]) if row["file"] else ""
        return {**row, "url": address, "shows": "" if row.get("is_decoration") else row["shows"]}

    def _picture(self, attrs: dict[str, Any]) -> dict[str, Any]:
        return {"picture": self.picture(attrs)}

    def _gallery(self, attrs: dict[str, Any]) -> dict[str, Any]:
        return {"pictures": [self.picture(row) for row in attrs["pictures"]]}

    def _spots(self, attrs: dict[str, Any]) -> dict[str, Any]:
        # The drawing over the picture counts in its own pixels.
        width, height = attrs["width"] or 100, attrs["height"] or 100
        spots = [
            {**spot, "number": number, "cx": round(spot["x"] * width), "cy": round(spot["y"] * height)}
            for number, spot in enumerate(attrs["spots"], 1)
        ]
        return {"picture": self.picture(attrs), "spots": spots, "radius": max(round(width * 0.028), 4)}

    def _compare(self, attrs: dict[str, Any]) -> dict[str, Any]:
        sides = []
        for side in ("before", "after"):
            row = {name: attrs[f"{side}_{name}"] for name in ("file", "width", "height", "shows")}
            sides.append({"word": attrs[f"{side}_word"], "picture": self.picture(row)})
        return {"sides": sides}

    def _media(self, attrs: dict[str, Any]) -> dict[str, Any]:
        version = self.media.get(attrs["version"])
        url, captions, still = "", "", ""
        if version is not None:
            url, captions, still = self.at.media(version), self.at.captions(version), self.at.still(version)
        elif attrs["url"] and allows(attrs["url"], self.hosts):
            url, captions = attrs["url"], self.at.kept_captions(attrs.get("captions", ""))
        title = version.module.title if version is not None else host_of(attrs["url"])
        # Where its site may not be played from, and away from here, it is a link.
        link = attrs["url"] if version is None and not url else ""
        return {"url": url, "captions": captions, "still": still, "version": version, "title": title, "link": link}

    def _document(self, attrs: dict[str, Any]) -> dict[str, Any]:
        version = self.media.get(attrs["version"])
        if version is None:
            return {"version": None, "title": ""}
        return {
            "version": version,
            "title": version.module.title,
            "pages": version.data.get("pages", 0),
            "still": self.at.still(version),
            "url": self.at.to_read(version),
            "kept": self.at.to_keep(version),
        }

    def _attachment(self, attrs: dict[str, Any]) -> dict[str, Any]:
        return {"url": self.at.attachment(attrs["file"], attrs["name"]) if attrs["file"] else ""}

    def _page(self, attrs: dict[str, Any]) -> dict[str, Any]:
        return {"is_allowed": allows(attrs["url"], self.hosts), "host": host_of(attrs["url"])}

    def _check(self, attrs: dict[str, Any]) -> dict[str, Any]:
        if attrs["question"] is None:
            return {"question": None}
        question = read_question(attrs["question"])
        if self.is_written:
            typed = question.kind in (Kind.NUMBER, Kind.TEXT)
            return {
                "question": question,
                "problems": (problems := problems_of(question)),
                "worths": [] if problems or typed else worths_of(attrs["question"]),
                "right": right_in_words(question) if typed else (),
                "picture": self._picture_row(question.picture),
                "media": self._play(question.media) if question.media else None,
                "choices": [
                    {
                        "choice": choice,
                        "picture": self._picture_row(choice.picture),
                        "media": self._play(choice.media) if choice.media else None,
                    }
                    for choice in question.choices
                ],
            }
        shown = show_question(
            attrs["question"],
            attrs["id"],
            self.whose,
            self.kept.get(attrs["id"]),
            picture_url=self.at.picture,
            play=self._play,
        )
        return {
            "shown": shown,
            "question": question,
            "picture": self._picture_row(question.picture),
            "media": shown.media,
        }

    def _play(self, name: str) -> Played:
        return play_by(self.media, self.at)(name)

    def _picture_row(self, picture: Any) -> dict[str, Any] | None:
        return None if picture is None else {"url": self.at.picture(picture.file), "shows": picture.shows}

    def _note(self, attrs: dict[str, Any]) -> dict[str, Any]:
        return {"word": TONE_WORDS[attrs["tone"]]}


def _unseen(text: str) -> SafeString:
    return format_html('<span class="unseen">{}</span>', text) if text else SafeString("")


def _plain(drawing: Drawing, attrs: dict[str, Any]) -> dict[str, Any]:
    return {}


_OWN: dict[str, Callable[[Drawing, Node], SafeString]] = {
    "text": Drawing._text,
    "break": lambda drawing, node: mark_safe("<br>"),
    "paragraph": lambda drawing, node: drawing._wrapped("p", node),
    "heading": Drawing._heading,
    "numbers": Drawing._numbers,
    "quote": Drawing._quote,
    "table": Drawing._table,
    "cell": Drawing._cell,
    "head_cell": Drawing._cell,
    "listing": Drawing._listing,
    "formula": Drawing._formula,
    "line": lambda drawing, node: mark_safe("<hr>"),
    "steps": lambda drawing, node: format_html('<ol class="lesson-steps">{}</ol>', drawing._inside(node)),
    "step": lambda drawing, node: drawing._wrapped("li", node),
    "step_title": lambda drawing, node: format_html('<p class="step-title">{}</p>', drawing._inside(node)),
}
_TEMPLATES: dict[str, Callable[[Drawing, dict[str, Any]], dict[str, Any]]] = {
    "picture": Drawing._picture,
    "gallery": Drawing._gallery,
    "spots": Drawing._spots,
    "compare": Drawing._compare,
    "film": Drawing._media,
    "sound": Drawing._media,
    "document": Drawing._document,
    "attachment": Drawing._attachment,
    "page": Drawing._page,
    "check": Drawing._check,
    "note": Drawing._note,
    "fold_out": _plain,
}


def sources_of(trees: Iterable[Node], hosts: Sequence[str]) -> dict[str, list[str]]:
    """What the policy of a page names that shows these trees: the sites whose pages and films are in it, and no others."""
    frames: set[str] = set()
    plays: set[str] = set()
    for tree in trees:
        for block in _nodes(tree):
            url = (block.get("attrs") or {}).get("url", "")
            if url and allows(url, hosts):
                (frames if block["type"] == "page" else plays).add(f"https://{host_of(url)}")
    return {"frame-src": sorted(frames), "media-src": sorted(plays)}


def _nodes(tree: Node) -> Iterable[Node]:
    yield tree
    for child in tree.get("content", ()):
        yield from _nodes(child)
