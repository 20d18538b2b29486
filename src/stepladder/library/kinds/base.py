"""What every kind of module says of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING, Any

from django.http import HttpRequest

from stepladder.library.parsing.material import WorkOut
from stepladder.web.margin import Panel

if TYPE_CHECKING:
    # Kinds are named by the models that they describe.
    from stepladder.library.models import Module, ModuleVersion

__all__ = ["Export", "Format", "Kind", "Made", "Progress", "TakenAlong"]

# Called with (pieces done, pieces in all).
Progress = Callable[[int, int], None]


@dataclass(frozen=True)
class Made:
    """How a kind is begun that is made here, of no file: what is asked beside a binder, the words of the link, and its address,
    which takes the binder's public id.
    """

    question: str
    label: str
    address: str


@dataclass(frozen=True)
class TakenAlong:
    """What became of a version that was made to be taken elsewhere: the file's name, and what is not in it, as sentences."""

    file_name: str
    left_out: tuple[str, ...] = ()


@dataclass(frozen=True)
class Export:
    """A form in which a version can be taken elsewhere: *name* in its address, *label* on the sheet; made by the queue at a path,
    telling how far it is. It may be made twice. *says*: what whoever gets it should know.
    """

    name: str
    label: str
    make: Callable[[ModuleVersion, Path, Progress], TakenAlong]
    says: str = ""


def _nothing(*_: Any) -> None:
    return None


def _no_place(data: Mapping[str, Any], place: float) -> str:
    return ""


def _no_text(version: ModuleVersion) -> str:
    return ""


@dataclass(frozen=True)
class Format:
    """A form of file that a kind is made of: *name* is kept with a version, *asked_for* ("a film (.mp4)") and *dropped_as*
    ("film") are its words where files are asked for; it is known by its *types*, and its *extensions* are not to lie about it.
    """

    name: str
    asked_for: str
    dropped_as: str
    extensions: tuple[str, ...]
    types: frozenset[str]
    # In a process of its own (parsing.bounded); raises Unusable.
    work_out: WorkOut
    # What is still to be done with a version that was kept; it may be called twice, and goes on where it stopped.
    process: Callable[[ModuleVersion, Progress], None] = _nothing
    still_shows: str = "A still"


@dataclass(frozen=True)
class Kind:
    """A kind of module and what the library and courses ask of it; how it is played is the player's (playing.players)."""

    name: str
    # How a version's data reads in a list: "8 pages", "4:05".
    describe: Callable[[Mapping[str, Any]], str]
    # How a step of it is done, for the sheets of module and course: "done at 90 % watched".
    done_when: Callable[[Mapping[str, Any]], str]

    # Of a file: the forms that it comes in.
    formats: tuple[Format, ...] = ()
    takes_captions: bool = False
    # A place in it (parsing.material.Passage) in words: "page 14", "3:25".
    place: Callable[[Mapping[str, Any], float], str] = _no_place

    # Of no file.
    made: Made | None = None

    # A section of its module's sheet: of whose request, which module, its newest version (None: a draft without one).
    section: Callable[[HttpRequest, Module, ModuleVersion | None], Panel | None] = _nothing
    # What its app keeps of a version is there for another one too, which is a copy of it, or it once more: (of, to), within the act.
    share: Callable[[ModuleVersion, ModuleVersion], None] = _nothing
    # What else the search finds a module by: the words in it.
    words: Callable[[ModuleVersion], str] = _no_text
    exports: tuple[Export, ...] = ()
    # Played in the page, in an attempt of one's own; else its step may be opened before its turn comes.
    is_played: bool = True

    @property
    def extensions(self) -> tuple[str, ...]:
        """The endings of the files that it is made of."""
        return tuple(ending for form in self.formats for ending in form.extensions)

    def format_of(self, data: Mapping[str, Any]) -> Format | None:
        """The form that a version came in; what was made before it was kept came in the first."""
        named = data.get("format")
        return next((form for form in self.formats if form.name == named), self.formats[0] if self.formats else None)

    def with_format(self, form: Format) -> Kind:
        """The kind with one form more that it is made of."""
        return replace(self, formats=(*self.formats, form))
