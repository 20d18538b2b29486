"""What apps nearer the roof show on sheets below them: in the margin, as a section or a line of the sheet, on a row, as a verb."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from typing import Any

from django.http import HttpRequest
from django.utils.html import format_html_join
from django.utils.safestring import SafeString

__all__ = [
    "Panel",
    "SheetLine",
    "VerbLink",
    "add_line",
    "add_panel",
    "add_row_note",
    "add_section",
    "add_verb",
    "lines",
    "panels",
    "row_notes",
    "sections",
    "verb_links",
]


@dataclass(frozen=True)
class Panel:
    """A section of the margin or of the sheet: its title, and a template with its context."""

    title: str
    template: str
    context: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class SheetLine:
    """A line among what a sheet says of its object: what it is called, and what stands there."""

    label: str
    value: SafeString


@dataclass(frozen=True)
class VerbLink:
    """A verb that leads to the roof: "Assign", "See it as a learner"."""

    label: str
    url: str


MakePanel = Callable[[HttpRequest, Any], Panel | None]
MakeVerb = Callable[[HttpRequest, Any], VerbLink | None]
# On sheets that are about a day.
MakeSection = Callable[[HttpRequest, Any, date], Panel | None]
MakeLine = Callable[[HttpRequest, Any, date], SheetLine | None]
MakeNotes = Callable[[Sequence[int], date], Mapping[int, str]]

_panels: dict[str, list[tuple[int, MakePanel]]] = {}
_verbs: dict[str, list[tuple[int, MakeVerb]]] = {}
_sections: dict[str, list[tuple[int, MakeSection]]] = {}
_lines: dict[str, list[tuple[int, MakeLine]]] = {}
_notes: dict[str, list[MakeNotes]] = {}


def add_panel(kind: str, order: int, make: MakePanel) -> None:
    """Hand in a panel for the margin of every sheet of *kind*; None from *make* leaves it out."""
    _panels.setdefault(kind, []).append((order, make))


def panels(kind: str, request: HttpRequest, obj: Any) -> list[Panel]:
    """The panels of a sheet, in order."""
    made = (make(request, obj) for _, make in sorted(_panels.get(kind, []), key=lambda item: item[0]))
    return [panel for panel in made if panel is not None]


def add_verb(kind: str, order: int, make: MakeVerb) -> None:
    """Hand in a verb for every sheet of *kind*."""
    _verbs.setdefault(kind, []).append((order, make))


def verb_links(kind: str, request: HttpRequest, obj: Any) -> list[VerbLink]:
    """The verbs handed in for a sheet, in order."""
    made = (make(request, obj) for _, make in sorted(_verbs.get(kind, []), key=lambda item: item[0]))
    return [verb for verb in made if verb is not None]


def add_section(kind: str, order: int, make: MakeSection) -> None:
    """Hand in a section for every sheet of *kind*, told for the day that the sheet is about."""
    _sections.setdefault(kind, []).append((order, make))


def sections(kind: str, request: HttpRequest, obj: Any, day: date) -> list[Panel]:
    """The sections handed in for a sheet, in order."""
    made = (make(request, obj, day) for _, make in sorted(_sections.get(kind, []), key=lambda item: item[0]))
    return [section for section in made if section is not None]


def add_line(kind: str, order: int, make: MakeLine) -> None:
    """Hand in a line for what every sheet of *kind* says of its object on a day."""
    _lines.setdefault(kind, []).append((order, make))


def lines(kind: str, request: HttpRequest, obj: Any, day: date) -> list[SheetLine]:
    """The lines handed in for a sheet, in order."""
    made = (make(request, obj, day) for _, make in sorted(_lines.get(kind, []), key=lambda item: item[0]))
    return [line for line in made if line is not None]


def add_row_note(kind: str, make: MakeNotes) -> None:
    """Hand in a note for rows of *kind* on a day: a page's keys and the day → key → text, or markup where it is a SafeString.

    In a number of queries that does not grow with the keys.
    """
    _notes.setdefault(kind, []).append(make)


def row_notes(kind: str, keys: Sequence[int], day: date) -> dict[int, SafeString]:
    """The notes of a page of rows."""
    found: dict[int, list[str]] = {}
    for make in _notes.get(kind, []):
        for key, note in make(keys, day).items():
            found.setdefault(key, []).append(note)
    return {key: format_html_join(" · ", "{}", ((note,) for note in notes)) for key, notes in found.items()}
