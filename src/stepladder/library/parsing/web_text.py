"""A single web page as a reading copy: its words in their order, with the pictures that are in the file itself."""

from __future__ import annotations

import base64
import binascii
from pathlib import Path
from typing import Any

import lxml.etree
import lxml.html

from stepladder.library.errors import Unusable
from stepladder.library.parsing.copies import keep_copy, pages_by_heads
from stepladder.library.parsing.material import Material, Worked
from stepladder.library.parsing.office import Pictures
from stepladder.library.parsing.text import text_of

__all__ = ["work_out_html"]

# What is around a page's words, and what is none.
UNREAD = (
    "head",
    "script",
    "style",
    "noscript",
    "template",
    "svg",
    "nav",
    "header",
    "footer",
    "aside",
    "form",
    "iframe",
)


def work_out_html(material: Material, out: Path) -> Worked:
    """Headings, paragraphs, lists, tables and pictures; pictures that stand elsewhere are left out and counted. Raises Unusable."""
    try:
        root = lxml.html.document_fromstring(text_of(material).encode(), parser=lxml.html.HTMLParser(encoding="utf-8"))
    except (lxml.etree.LxmlError, ValueError):
        raise Unusable(
            f"“{material.name}” cannot be read as a web page. Save it again, as “web page, complete”."
        ) from None
    title = " ".join((root.findtext(".//title") or "").split())
    lxml.etree.strip_elements(root, *UNREAD, lxml.etree.Comment, with_tail=False)
    pictures = Pictures(out)
    for image in list(root.iter("img")):
        _bring(image, pictures)
    body = root.find("body")
    inside = body if body is not None else root
    html = (inside.text or "") + "".join(lxml.html.tostring(child, encoding="unicode") for child in inside)
    copy = keep_copy(material, out, pages_by_heads(html), page_word="section", title=title, still=pictures.first)
    return pictures.noted(copy)


def _bring(image: Any, pictures: Pictures) -> None:
    """A picture that is in the file takes the name under which it is kept; another leaves its place."""
    head, _, data = (image.get("src") or "").partition(",")
    tag = ""
    if head.startswith("data:image/") and head.endswith(";base64"):
        try:
            tag = pictures.tag(base64.b64decode(data), image.get("alt") or "")
        except binascii.Error:
            pictures.left_out += 1
    else:
        pictures.left_out += 1
    if tag:
        image.set("src", lxml.html.fragment_fromstring(tag).get("src"))
    else:
        image.drop_tree()
