"""What the page of a link says of itself: its title, how long its words take, a picture, and whether it may stand in a frame."""

from __future__ import annotations

from dataclasses import dataclass
from math import ceil
from typing import Any
from urllib.parse import urljoin

import lxml.etree
import lxml.html

from stepladder.library import deriving, fetching, storage
from stepladder.library.errors import LibraryError
from stepladder.library.kinds.document import PICTURE
from stepladder.library.parsing.copies import WORDS_A_MINUTE
from stepladder.library.parsing.material import detect_type
from stepladder.library.parsing.text import decoded

__all__ = ["Page", "page_at"]

# Of a page that says more, nobody reads all in one step.
MOST_MINUTES = 60
MOST_PICTURE_BYTES = 5 * 1024**2
LONGEST_TITLE = 200
# The names under which pages say the picture that they are shown by.
PICTURES = ("og:image", "og:image:url", "twitter:image")
UNREAD = ("head", "script", "style", "noscript", "template", "svg", "nav", "header", "footer", "aside", "form")
_PARSER = lxml.html.HTMLParser(encoding="utf-8")


@dataclass(frozen=True)
class Page:
    """A page: *minutes* is 0 where it has no words, *still* a JPEG, None without a picture that can be used."""

    title: str = ""
    minutes: int = 0
    still: bytes | None = None
    may_be_framed: bool = False


def page_at(url: str) -> Page:
    """What stands at an address. It asks the web, so it is called in no transaction. Raises FetchRefused, Unanswered."""
    fetched = fetching.fetch(url)
    policy = fetched.headers.get("content-security-policy", "").lower()
    refuses = "x-frame-options" in fetched.headers or "frame-ancestors" in policy
    may_be_framed = fetched.url.startswith("https://") and not refuses
    if fetched.content_type not in ("text/html", "application/xhtml+xml"):
        return Page(may_be_framed=may_be_framed)
    try:
        # As bytes where it says its own letters: lxml refuses a text that does.
        root = lxml.html.document_fromstring(decoded(fetched.body, fetched.url).encode(), parser=_PARSER)
    except (lxml.etree.LxmlError, ValueError):
        return Page(may_be_framed=may_be_framed)
    picture = _picture_of(root)
    still = _still(urljoin(fetched.url, picture)) if picture else None
    title = " ".join((root.findtext(".//title") or "").split())[:LONGEST_TITLE]
    return Page(title, _minutes(root), still, may_be_framed)


def _picture_of(root: Any) -> str:
    """The address that a page says of its picture, "" for none."""
    for meta in root.iter("meta"):
        if (meta.get("property") or meta.get("name")) in PICTURES and (said := (meta.get("content") or "").strip()):
            return str(said)
    return ""


def _minutes(root: Any) -> int:
    """How long the words of a page take, beside its menus."""
    lxml.etree.strip_elements(root, *UNREAD, lxml.etree.Comment, with_tail=False)
    words = len(" ".join(root.itertext()).split())
    return min(MOST_MINUTES, ceil(words / WORDS_A_MINUTE))


def _still(url: str) -> bytes | None:
    """A picture from the web, made anew in a process of its own; None where it cannot be had: a link is one without it."""
    folder = storage.workplace()
    try:
        path = folder / "picture"
        path.write_bytes(fetching.fetch(url, most=MOST_PICTURE_BYTES).body)
        if detect_type(path) not in PICTURE.types:
            return None
        _, _, worked = deriving.work_out(path, "picture")
        storage.drop_workplace(worked.folder)
        return worked.still
    except LibraryError:
        return None
    finally:
        storage.drop_workplace(folder)
