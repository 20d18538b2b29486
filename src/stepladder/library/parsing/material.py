"""A file to make a module of, and what was worked out of it."""

from __future__ import annotations

import re
import zipfile
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import filetype

__all__ = ["TEXT", "WEB_PAGES", "Material", "Passage", "WorkOut", "Worked", "detect_type", "plain_title"]

# What authoring programs write where nobody gave a title, in the languages of those who use them.
PLACEHOLDER = re.compile(
    r"(untitled|unnamed|no title|title|package|slide|microsoft word|powerpoint|excel|ohne titel|unbenannt|präsentation|"
    r"powerpoint-präsentation|dokument|sans titre|sin título|senza titolo)?"
    r"[ _-]*(document|presentation|project|course|file|workbook|\d+)?[ _-]*\d*(\.\w{2,5})?",
    re.IGNORECASE,
)
# Programs put their own name before the name of the file.
PROGRAM = re.compile(r"^(microsoft (office )?(word|powerpoint|excel)|[\w ]*(writer|impress|calc)) - ", re.IGNORECASE)
LONGEST_TITLE = 200
# So much of a file tells what it is where nothing marks it.
HEAD = 8 * 1024
OPEN_OFFICE = "application/vnd.openxmlformats-officedocument."
# What an office file holds, by the folder of its first part.
OFFICE_PARTS = {
    "word/": f"{OPEN_OFFICE}wordprocessingml.document",
    "ppt/": f"{OPEN_OFFICE}presentationml.presentation",
    "xl/": f"{OPEN_OFFICE}spreadsheetml.sheet",
}
TEXT = "text/plain"
# Pages of HTML with what belongs to them, zipped; a package has a manifest beside.
WEB_PAGES = "application/zip; holds=web-pages"


@dataclass(frozen=True)
class Material:
    """A file to make a module of: where it lies, the name it came with, and what it really is."""

    path: Path
    name: str
    content_type: str

    @property
    def size(self) -> int:
        return self.path.stat().st_size

    @property
    def extension(self) -> str:
        return Path(self.name).suffix.lower()

    @property
    def title(self) -> str:
        """A first title from the file's name; empty where it has none."""
        # ".pdf" is an ending without a name before it.
        stem = Path(f"_{self.name}").stem.replace("_", " ").replace("-", " ")
        text = " ".join(stem.split())[:120]
        return text[:1].upper() + text[1:]

    def title_or(self, own: str) -> str:
        """The title that a file gives itself, or that of its name where it has none worth the word."""
        text = PROGRAM.sub("", plain_title(own))
        return self.title if PLACEHOLDER.fullmatch(text) else text


def plain_title(text: str) -> str:
    """A title on one line, without what cannot be shown, no longer than titles are."""
    return " ".join("".join(c if c.isprintable() else " " for c in text).split())[:LONGEST_TITLE]


@dataclass(frozen=True)
class Passage:
    """Words with their place: the page (from 1), or the second of film and sound; *title* is what the place calls itself."""

    place: float
    text: str
    title: str = ""


@dataclass(frozen=True)
class Worked:
    """What was worked out of a file. *still* is a JPEG; what else was derived lies in *folder* until a version has it."""

    title: str
    minutes: int
    data: Mapping[str, Any] = field(default_factory=dict)
    description: str = ""
    still: bytes | None = None
    passages: Sequence[Passage] = ()
    folder: Path | None = None


# Takes the file, and a folder for what is derived of it; raises Unusable.
WorkOut = Callable[[Material, Path], Worked]


def detect_type(path: Path) -> str:
    """The media type by what the file holds, whatever its name."""
    if path.stat().st_size == 0:
        return "empty"
    with path.open("rb") as source:
        head = source.read(HEAD)
    # An archive that was cut off may have lost what marks it, but not its first bytes.
    if head.startswith(b"PK\x03\x04"):
        return _type_of_archive(path)
    guess = filetype.guess(head)
    if guess is not None:
        return str(guess.mime)
    if b"%PDF-" in head:
        return "application/pdf"
    start = head.lstrip(b"\xef\xbb\xbf \t\r\n").lower()
    if b"<svg" in head.lower() and (start.startswith((b"<?xml", b"<svg", b"<!--", b"<!doctype svg"))):
        return "image/svg+xml"
    if start.startswith((b"<!doctype html", b"<html")):
        return "text/html"
    return TEXT if _is_text(head) else "unknown"


def _type_of_archive(path: Path) -> str:
    try:
        with zipfile.ZipFile(path) as archive:
            names = archive.namelist()
            if "mimetype" in names and archive.getinfo("mimetype").file_size < 200:
                return archive.read("mimetype").decode("ascii", "replace").strip()[:80]
    except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError):
        return "application/zip"
    if "[Content_Types].xml" in names:
        return next((kind for part, kind in OFFICE_PARTS.items() if any(n.startswith(part) for n in names)), "unknown")
    if not any(name.lower().endswith("imsmanifest.xml") for name in names) and any(map(_is_page, names)):
        return WEB_PAGES
    return "application/zip"


def _is_page(name: str) -> bool:
    return name.lower().endswith((".html", ".htm"))


def _is_text(head: bytes) -> bool:
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        return True
    control = sum(byte < 32 and byte not in (9, 10, 12, 13, 27) for byte in head)
    return b"\x00" not in head and control * 100 <= len(head)
