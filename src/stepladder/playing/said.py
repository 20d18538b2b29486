"""What is said in a module and what was noted at it, by their places: the words beside the stage."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from stepladder.library.kinds import kind_named
from stepladder.library.models import ModuleVersion
from stepladder.playing.models import Note
from stepladder.playing.notes import notes_at

__all__ = ["Line", "said_of"]

# Of a film of many hours; the search finds the rest.
MOST_WORDS = 3000


@dataclass(frozen=True)
class Line:
    """A line beside the stage: words that are said there, or a note. *where* is the place in words."""

    place: float
    where: str
    text: str
    note: Note | None = None


def said_of(account: Any, version: ModuleVersion, enrolment: str) -> dict[str, Any]:
    """The lines beside the stage by their places: what is said in film and sound, and what the account noted."""
    module = version.module
    kind = kind_named(module.kind)
    words: list[Line] = []
    if kind.takes_captions:
        words = [Line(p.place, kind.place(version.data, p.place), p.text) for p in version.passages.all()[:MOST_WORDS]]
    noted = [
        Line(note.place, kind.place(note.version.data if note.version else {}, note.place), note.text, note)
        for note in notes_at(account, module)
    ]
    # A note stands after the words of its moment.
    lines = sorted([*words, *noted], key=lambda line: (line.place, line.note is not None))
    return {"lines": lines, "has_words": bool(words), "enrolment": enrolment, "module": module}
