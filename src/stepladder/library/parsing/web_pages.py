"""Web pages in an archive: those that one comes to from the first, and their words."""

from __future__ import annotations

import posixpath
import zipfile
from math import ceil
from pathlib import Path
from urllib.parse import unquote, urlsplit

import lxml.etree
import lxml.html

from stepladder.core.packages.archive import ArchiveError
from stepladder.library.parsing import zips
from stepladder.library.parsing.copies import WORDS_A_MINUTE
from stepladder.library.parsing.material import Material, Passage, Worked

__all__ = ["is_page", "words_of_page", "work_out"]

MOST_PAGES = 500
# So much of a page is read for its words and links.
LARGEST = 4 * 1024**2
LONGEST = 20_000
SILENT = ("script", "style", "template", "noscript", "head")


def is_page(name: str) -> bool:
    return name.lower().endswith((".html", ".htm"))


def words_of_page(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> tuple[str, str]:
    """Its title and its words; nothing where it cannot be read."""
    title, words, _ = _read(archive, info)
    return title, words


def _read(archive: zipfile.ZipFile, info: zipfile.ZipInfo) -> tuple[str, str, list[str]]:
    """Title, words and where its links lead."""
    with archive.open(info) as source:
        raw = source.read(LARGEST)
    try:
        page = lxml.html.document_fromstring(raw)
    except (lxml.etree.ParserError, ValueError):
        return "", "", []
    links = [link for tag in ("a", "area", "frame", "iframe") for link in page.xpath(f"//{tag}/@href | //{tag}/@src")]
    title = " ".join((page.findtext(".//title") or "").split())[:200]
    body = page.find("body")
    for silent in page.iter(*SILENT):
        silent.text = None
        for child in silent:
            silent.remove(child)
    words = " ".join(" ".join((body if body is not None else page).itertext()).split())
    return title, words, links


def work_out(material: Material, out: Path) -> Worked:
    """The first page (index.html, or the only one), and all that one comes to from it by links. Raises Unusable."""
    with zips.opened(material) as archive:
        found = zips.members(archive)
        names = zips.safe_names(archive, found)
        first = _first_page(names)
        infos = {name: info for info, name in found}
        pages: dict[str, tuple[str, str]] = {}
        waiting = [first]
        while waiting and len(pages) < MOST_PAGES:
            name = waiting.pop(0)
            title, words, links = _read(archive, infos[name])
            pages[name] = (title, words)
            here = posixpath.dirname(name)
            for link in links:
                path = urlsplit(link).path if not urlsplit(link).scheme else ""
                to = posixpath.normpath(posixpath.join(here, unquote(path))) if path else ""
                if to in infos and is_page(to) and to not in pages and to not in waiting:
                    waiting.append(to)
    folder = f"{posixpath.dirname(first)}/" if "/" in first else ""
    count = sum(len(words.split()) for _, words in pages.values())
    data = {
        "pages": len(pages),
        "page_word": "page",
        "folder": _common_folder(pages, folder),
        "page_files": [name.removeprefix(_common_folder(pages, folder)) for name in pages],
        "files": len(names),
    }
    passages = [Passage(n, words[:LONGEST], title) for n, (title, words) in enumerate(pages.values(), 1) if words]
    return Worked(material.title_or(pages[first][0]), max(1, ceil(count / WORDS_A_MINUTE)), data, passages=passages)


def _common_folder(pages: dict[str, tuple[str, str]], folder: str) -> str:
    """The folder of the first page, if all the others are in it; else the top."""
    return folder if all(name.startswith(folder) for name in pages) else ""


def _first_page(names: list[str]) -> str:
    pages = sorted((name for name in names if is_page(name)), key=lambda name: (name.count("/"), name))
    for wanted in ("index.html", "index.htm"):
        if begins := [name for name in pages if posixpath.basename(name).lower() == wanted]:
            return begins[0]
    if len(pages) == 1 or (pages and pages[0].count("/") < pages[1].count("/")):
        return pages[0]
    raise ArchiveError("Nothing tells which of its pages is the first. Name that one index.html and zip it again.")
