"""Lists of links: a table, an outline (OPML) or a feed (RSS, Atom). Pure: bytes in, links out."""

from __future__ import annotations

import html
import re
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element, ParseError

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

from stepladder.library.details import DETAILS, DetailUnread, columns_of
from stepladder.library.errors import LibraryError
from stepladder.library.fetching import check_address
from stepladder.sources.errors import SourceTrouble
from stepladder.tabular.reading import FileUnread, read_table
from stepladder.topics.naming import TopicNames

__all__ = ["LinkFound", "Links", "read_links"]

MOST_LINKS, MOST_BYTES = 20_000, 20 * 1024**2
URL = {"url": ("link", "address", "web address", "href", "website", "site")}
_TAGS = re.compile(r"<[^>]+>")


@dataclass(frozen=True)
class LinkFound:
    """A link of a list, with what the list says of it: details as values."""

    url: str
    said: dict[str, Any]


@dataclass
class Links:
    """The links of a list, each once, and sentences on what in it is none."""

    found: dict[str, LinkFound] = field(default_factory=dict)
    problems: list[str] = field(default_factory=list)

    def add(self, where: str, url: str, said: dict[str, Any]) -> None:
        """One link more, or a problem."""
        try:
            url = check_address(url)
        except LibraryError as refusal:
            self.problems.append(f"{where}: {refusal}")
            return
        if url in self.found:
            self.problems.append(f"{where}: “{url[:120]}” is there twice. Only the first counts.")
        elif len(self.found) >= MOST_LINKS:
            raise SourceTrouble(f"The list has more than {MOST_LINKS:,} links. Split it.")
        else:
            self.found[url] = LinkFound(url, said)


def read_links(path: Path, name: str, names: TopicNames) -> Links:
    """The links of a file, whichever kind of list it is. Raises SourceTrouble."""
    if path.stat().st_size > MOST_BYTES:
        raise SourceTrouble(f"The list has more than {MOST_BYTES // 1024**2} MB. Split it.")
    body = path.read_bytes()
    if not body.lstrip().startswith(b"<"):
        return _of_table(path, name, names)
    try:
        root = fromstring(body)
    except (ParseError, DefusedXmlException, ValueError) as error:
        raise SourceTrouble(f"“{name}” is neither an outline nor a feed that can be read ({error}).") from None
    links = Links()
    entries = list(_of_outline(root) if _plain(root) == "opml" else _of_feed(root))
    for number, (url, title, about) in enumerate(entries, 1):
        said = {"title": title[:200]} if title else {}
        links.add(f"Entry {number}", url, said | ({"description": about[:4000]} if about else {}))
    if not entries:
        raise SourceTrouble(f"“{name}” has no links in it.")
    return links


def _of_table(path: Path, name: str, names: TopicNames) -> Links:
    try:
        table = read_table(path, name, names=lambda cells: sum(bool(m) for m in columns_of(cells, URL)))
    except FileUnread as refusal:
        raise SourceTrouble(str(refusal)) from None
    meanings = columns_of(table.heads, URL)
    if "url" not in meanings:
        raise SourceTrouble("No column has the addresses. One is called “Link”, “URL” or “Address”.")
    links = Links()
    if unknown := [head for head, meaning in zip(table.heads, meanings, strict=True) if head and not meaning]:
        links.problems.append(
            f"Not a column that is known, and left out: {', '.join(f'“{head}”' for head in unknown)}."
        )
    for number, cells in zip(table.numbers, table.rows, strict=True):
        row = {meaning: cells[n].strip() for n, meaning in enumerate(meanings) if meaning and n < len(cells)}
        said = {}
        for detail, text in row.items():
            if detail == "url" or not text:
                continue
            try:
                said[detail] = DETAILS[detail].read(text, names)
            except DetailUnread as refusal:
                links.problems.append(f"Row {number}: {DETAILS[detail].heading}: {refusal}")
        links.add(f"Row {number}", row.get("url", ""), said)
    return links


def _of_outline(root: Element) -> Iterator[tuple[str, str, str]]:
    for one in root.iter():
        if _plain(one) == "outline":
            url = one.get("url") or one.get("htmlUrl") or one.get("xmlUrl")
            if url:
                yield url, _words(one.get("text") or one.get("title") or ""), _words(one.get("description") or "")


def _of_feed(root: Element) -> Iterator[tuple[str, str, str]]:
    for entry in root.iter():
        if _plain(entry) not in ("item", "entry"):
            continue
        said = {_plain(child): child for child in reversed(list(entry))}
        links = [child for child in entry if _plain(child) == "link"]
        link = next((one for one in links if one.get("rel", "alternate") == "alternate"), links[0] if links else None)
        url = (link.get("href") or link.text or "").strip() if link is not None else ""
        about = next((said[name] for name in ("summary", "description") if name in said), None)
        title = said.get("title")
        yield (
            url,
            _words(title.text or "" if title is not None else ""),
            _words(about.text or "" if about is not None else ""),
        )


def _plain(element: Element) -> str:
    return str(element.tag).rpartition("}")[2].lower() if element.tag else ""


def _words(text: str) -> str:
    return " ".join(html.unescape(_TAGS.sub(" ", html.unescape(text))).split())
