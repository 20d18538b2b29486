"""What apps nearer the roof show in the margin, on a row or as a verb of sheets below them."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from django.http import HttpRequest

__all__ = ["Panel", "VerbLink", "add_panel", "add_row_fact", "add_verb", "panels", "row_facts", "verb_links"]


@dataclass(frozen=True)
class Panel:
    """A section of the margin: its title, and a template with its context."""

    title: str
    template: str
    context: Mapping[str, Any] = field(default_factory=dict)


@dataclass(frozen=True)
class VerbLink:
    """A verb that leads to the roof: "Assign", "See it as a learner"."""

    label: str
    url: str


MakePanel = Callable[[HttpRequest, Any], Panel | None]
MakeVerb = Callable[[HttpRequest, Any], VerbLink | None]
MakeFacts = Callable[[Sequence[int]], Mapping[int, str]]

_panels: dict[str, list[tuple[int, MakePanel]]] = {}
_verbs: dict[str, list[tuple[int, MakeVerb]]] = {}
_facts: dict[str, list[MakeFacts]] = {}


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


def add_row_fact(kind: str, make: MakeFacts) -> None:
    """Hand in a fact for rows of *kind*: given a whole page's keys, one query, key → text."""
    _facts.setdefault(kind, []).append(make)


def row_facts(kind: str, keys: Sequence[int]) -> dict[int, str]:
    """The facts of a page of rows."""
    found: dict[int, list[str]] = {}
    for make in _facts.get(kind, []):
        for key, text in make(keys).items():
            found.setdefault(key, []).append(text)
    return {key: " · ".join(texts) for key, texts in found.items()}
