"""What the page of a link says of itself: its title, how long its words take, a picture, and whether it may stand in a frame."""

from __future__ import annotations

from dataclasses import dataclass
from html.parser import HTMLParser
from math import ceil
from urllib.parse import urljoin

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
UNREAD = frozenset({"script", "style", "noscript", "template", "svg", "nav", "header", "footer", "aside", "form"})


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
    said = _Reader()
    said.feed(decoded(fetched.body, fetched.url))
    minutes = min(MOST_MINUTES, ceil(said.words / WORDS_A_MINUTE))
    still = _still(urljoin(fetched.url, said.picture)) if said.picture else None
    return Page(" ".join(said.title.split())[:LONGEST_TITLE], minutes, still, may_be_framed)


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


class _Reader(HTMLParser):
    """Reads a page once: its title, its picture, and how many words stand in it beside its menus."""

    def __init__(self) -> None:
        super().__init__()
        self.title, self.picture, self.words = "", "", 0
        self._inside: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        said = dict(attrs)
        if tag == "meta" and not self.picture and (said.get("property") or said.get("name")) in PICTURES:
            self.picture = (said.get("content") or "").strip()
        elif tag == "title" or tag in UNREAD:
            self._inside.append(tag)

    def handle_endtag(self, tag: str) -> None:
        if tag in self._inside:
            # What was opened in it and never closed ends with it.
            del self._inside[self._inside.index(tag) :]

    def handle_data(self, data: str) -> None:
        if self._inside[:1] == ["title"]:
            self.title += data
        elif not self._inside:
            self.words += len(data.split())
