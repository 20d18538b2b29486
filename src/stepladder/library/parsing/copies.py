"""Reading copies: of an office file or a text what it says, in pages, without the look of it.

A copy is kept as a list of pages, each a title and clean HTML, in a version's folder. Pictures in it lie beside it and are
named by their files alone; whoever shows the copy gives them an address.
"""

from __future__ import annotations

import json
import re
from collections.abc import Sequence
from dataclasses import asdict, dataclass
from html import escape
from math import ceil
from pathlib import Path
from typing import Any

import lxml.html
import nh3

from stepladder.library.errors import Unusable
from stepladder.library.parsing.material import Material, Passage, Worked

__all__ = ["COPY", "CopyPage", "keep_copy", "pages_by_heads", "picture_name", "plain_text", "read_copy", "table_html"]

# The file of a reading copy in a version's folder.
COPY = "reading.json"
MOST_PAGES = 2000
# Rule 17: so many words are read in a minute, and a picture takes a fifth of one.
WORDS_A_MINUTE, MINUTES_A_PICTURE = 200, 0.2
# A page of a text without headings ends after so many words.
WORDS_A_PAGE = 450
LONGEST = 20_000
_TAGS = (
    "p h1 h2 h3 h4 h5 h6 ul ol li table thead tbody tr th td caption em strong b i u s sub sup br hr blockquote pre code "
    "a img dl dt dd"
)
ATTRIBUTES = {
    "a": {"href"},
    "img": {"src", "alt"},
    "td": {"colspan", "rowspan"},
    "th": {"colspan", "rowspan", "scope"},
    "ol": {"start"},
}
_PICTURE = re.compile(r"picture-\d+\.(webp|jpg|png)")
_NO_PICTURE = re.compile(r"<img(?![^>]*\ssrc=)[^>]*>")


@dataclass(frozen=True)
class CopyPage:
    """A page of a reading copy; *html* is clean."""

    title: str
    html: str


def picture_name(number: int) -> str:
    """What the *number*-th picture of a copy is called in the version's folder."""
    return f"picture-{number}.webp"


def clean(html: str) -> str:
    """What may be shown of HTML that came from elsewhere: text and its order; links outwards; pictures of the copy alone."""
    cleaned = nh3.clean(
        html,
        tags=set(_TAGS.split()),
        attributes=ATTRIBUTES,
        attribute_filter=_attribute,
        url_schemes={"http", "https", "mailto"},
        link_rel="noopener noreferrer",
        # Whoever follows one stays where they read.
        set_tag_attribute_values={"a": {"target": "_blank"}},
        strip_comments=True,
    )
    return _NO_PICTURE.sub("", cleaned)


def _attribute(tag: str, name: str, value: str) -> str | None:
    if (tag, name) == ("img", "src"):
        return value if _PICTURE.fullmatch(value) else None
    if (tag, name) == ("a", "href"):
        # A link within the file leads nowhere in a copy of it.
        return value if value.startswith(("http://", "https://", "mailto:")) else None
    return value


def plain_text(html: str) -> str:
    """The words of a piece of HTML."""
    if not html.strip():
        return ""
    return " ".join(" ".join(lxml.html.fragment_fromstring(html, create_parent="div").itertext()).split())


def pages_by_heads(html: str) -> list[CopyPage]:
    """Running text cut into pages: at its first two orders of headings, and where a page would grow too long."""
    body = lxml.html.fragment_fromstring(html or "<p></p>", create_parent="div")
    pages: list[tuple[str, list[Any], int]] = []
    for block in _blocks(body):
        words = len(" ".join(block.itertext()).split())
        is_head = block.tag in ("h1", "h2")
        if not pages or _begins_page(block.tag, words, so_far=pages[-1][2]):
            pages.append(("", [], 0))
        title, blocks, count = pages[-1]
        head = " ".join(block.text_content().split()) if is_head and not title else title
        pages[-1] = (head, [*blocks, block], count + words)
    return [
        CopyPage(title[:200], "".join(lxml.html.tostring(block, encoding="unicode") for block in blocks))
        for title, blocks, _ in pages
    ]


def _begins_page(tag: str, words: int, *, so_far: int) -> bool:
    """Whether a block of so many words goes on a page of its own, after one with so many."""
    if tag in ("h1", "h2"):
        # A head alone, or with a line under it, goes with what follows.
        return so_far > 40
    is_long = so_far > WORDS_A_PAGE and tag in ("p", "h3", "h4")
    return is_long or (so_far > 0 and so_far + words > WORDS_A_PAGE * 2)


def _blocks(body: Any) -> list[Any]:
    blocks = []
    if body.text and body.text.strip():
        lead = lxml.html.Element("p")
        lead.text = body.text
        blocks.append(lead)
    for child in body:
        if not isinstance(child.tag, str):
            continue
        tail, child.tail = child.tail, None
        blocks.append(child)
        if tail and tail.strip():
            after = lxml.html.Element("p")
            after.text = tail
            blocks.append(after)
    return blocks


def table_html(rows: Sequence[Sequence[str]]) -> str:
    """A table whose first row is its head."""
    if not rows:
        return ""
    head = "".join(f'<th scope="col">{escape(cell)}</th>' for cell in rows[0])
    body = "".join("<tr>" + "".join(f"<td>{escape(cell)}</td>" for cell in row) + "</tr>" for row in rows[1:])
    return f"<table><thead><tr>{head}</tr></thead><tbody>{body}</tbody></table>"


def keep_copy(
    material: Material,
    out: Path,
    pages: Sequence[CopyPage],
    *,
    page_word: str,
    title: str = "",
    still: bytes | None = None,
) -> Worked:
    """The copy, put into *out*, as a document of so many pages. Raises Unusable where there is nothing to read in it."""
    cleaned = [CopyPage(page.title, clean(page.html)) for page in pages]
    texts = [plain_text(page.html) for page in cleaned]
    pictures = sum(page.html.count("<img") for page in cleaned)
    if not cleaned or (not any(texts) and not pictures):
        raise Unusable(f"There is nothing to read in “{material.name}”. Save it again, or as a PDF, and upload that.")
    if len(cleaned) > MOST_PAGES:
        raise Unusable(f"“{material.name}” comes to {len(cleaned)} pages; {MOST_PAGES} is the most. Split it.")
    (out / COPY).write_text(json.dumps([asdict(page) for page in cleaned], ensure_ascii=False), encoding="utf-8")
    words = sum(len(text.split()) for text in texts)
    passages = [
        Passage(number, text[:LONGEST], page.title)
        for number, (page, text) in enumerate(zip(cleaned, texts, strict=True), 1)
        if text
    ]
    minutes = max(1, ceil(words / WORDS_A_MINUTE + MINUTES_A_PICTURE * pictures))
    data = {"pages": len(cleaned), "page_word": page_word, "is_copy": True}
    return Worked(material.title_or(title), minutes, data, still=still, passages=passages)


def read_copy(folder: Path) -> list[CopyPage]:
    """The pages of a reading copy that was kept in a version's folder."""
    return [CopyPage(**page) for page in json.loads((folder / COPY).read_text(encoding="utf-8"))]
