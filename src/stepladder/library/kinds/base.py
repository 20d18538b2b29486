"""What every kind of module says of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import filetype

__all__ = ["Kind", "Material", "Progress", "Worked", "detect_type"]

# Called with (pieces done, pieces in all).
Progress = Callable[[int, int], None]


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
        """A first title from the file's name."""
        stem = Path(self.name).stem.replace("_", " ").replace("-", " ")
        text = " ".join(stem.split())[:120]
        return text[:1].upper() + text[1:] or "Untitled"


@dataclass(frozen=True)
class Worked:
    """What was worked out of a file. *still* is a JPEG; *files* says a package is to be unpacked."""

    title: str
    minutes: int
    data: Mapping[str, Any] = field(default_factory=dict)
    description: str = ""
    still: bytes | None = None


@dataclass(frozen=True)
class Kind:
    """A kind of module: its name, what files become it, and how such a file is worked out (raises Unusable)."""

    name: str
    extensions: tuple[str, ...]
    types: frozenset[str]
    work_out: Callable[[Material], Worked]
    # How a version's data reads in a list: "8 pages", "4:05".
    fact: Callable[[Mapping[str, Any]], str]
    # How the step is done, for the course sheet: "done at 90 % watched".
    done_when: str
    is_unpacked: bool = False
    # Made in the library by a form, of no file.
    is_made_here: bool = False
    # Played in the page, in an attempt of one's own.
    is_played: bool = True


def detect_type(path: Path) -> str:
    """The media type by what the file holds, whatever its name."""
    if path.stat().st_size == 0:
        return "empty"
    guess = filetype.guess(str(path))
    if guess is not None:
        return str(guess.mime)
    # An archive that was cut off may have lost what marks it, but not its first bytes.
    with path.open("rb") as source:
        head = source.read(1024)
    if head.startswith(b"PK\x03\x04"):
        return "application/zip"
    return "application/pdf" if b"%PDF-" in head else "unknown"
