"""What every kind of module says of itself."""

from __future__ import annotations

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any

import filetype
from django.http import HttpRequest, HttpResponseBase

from stepladder import clock
from stepladder.web.margin import Panel
from stepladder.web.templatetags.web import day

if TYPE_CHECKING:
    # Kinds are named by the models that they describe.
    from stepladder.library.models import Module, ModuleVersion

__all__ = ["Export", "Kind", "Made", "Material", "Progress", "Worked", "detect_type"]

# What authoring programs write where nobody gave a title, in the languages of those who use them.
PLACEHOLDER = re.compile(
    r"(untitled|unnamed|no title|title|package|ohne titel|unbenannt|sans titre|sin título|senza titolo)?"
    r"[ _-]*(document|presentation|project|course|file|\d+)?[ _-]*\d*(\.\w{2,5})?",
    re.IGNORECASE,
)

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
        """A first title from the file's name; never nothing."""
        # ".pdf" is an ending without a name before it.
        stem = Path(f"_{self.name}").stem.replace("_", " ").replace("-", " ")
        text = " ".join(stem.split())[:120]
        return text[:1].upper() + text[1:] or f"A file of {day(clock.today())}"

    def title_or(self, own: str) -> str:
        """The title that a file gives itself, or that of its name where it has none worth the word."""
        text = " ".join(own.split())[:200]
        return self.title if PLACEHOLDER.fullmatch(text) else text


@dataclass(frozen=True)
class Worked:
    """What was worked out of a file. *still* is a JPEG."""

    title: str
    minutes: int
    data: Mapping[str, Any] = field(default_factory=dict)
    description: str = ""
    still: bytes | None = None


@dataclass(frozen=True)
class Made:
    """How a kind is begun that is made here, of no file: what is asked beside a binder, the words of the link, and its address,
    which takes the binder's public id.
    """

    question: str
    label: str
    address: str


@dataclass(frozen=True)
class Export:
    """A form in which a version can be taken elsewhere: *name* in its address, *label* on the sheet, and the file itself."""

    name: str
    label: str
    respond: Callable[[ModuleVersion], HttpResponseBase]


def _nothing(*_: Any) -> None:
    return None


def _no_text(version: ModuleVersion) -> str:
    return ""


@dataclass(frozen=True)
class Kind:
    """A kind of module and what the library and courses ask of it; how it is played is the player's (playing.players)."""

    name: str
    # How a version's data reads in a list: "8 pages", "4:05".
    describe: Callable[[Mapping[str, Any]], str]
    # How a step of it is done, for the sheets of module and course: "done at 90 % watched".
    done_when: Callable[[Mapping[str, Any]], str]

    # Of a file: what it is called where files are asked for ("a film (.mp4)", "film"), by what it is known, and how it is
    # worked out (raises Unusable).
    asked_for: str = ""
    dropped_as: str = ""
    extensions: tuple[str, ...] = ()
    types: frozenset[str] = frozenset()
    work_out: Callable[[Material], Worked] | None = None
    # What is still to be done with a version that was kept; it may be called twice, and goes on where it stopped.
    process: Callable[[ModuleVersion, Progress], None] = _nothing
    still_shows: str = "A still"
    takes_captions: bool = False

    # Of no file.
    made: Made | None = None

    # A section of its module's sheet: of whose request, which module, its newest version (None: a draft without one).
    section: Callable[[HttpRequest, Module, ModuleVersion | None], Panel | None] = _nothing
    # What else the search finds a module by: the words in it.
    words: Callable[[ModuleVersion], str] = _no_text
    exports: tuple[Export, ...] = ()
    # Played in the page, in an attempt of one's own; else its step may be opened before its turn comes.
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
