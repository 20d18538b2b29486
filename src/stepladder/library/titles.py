"""Titles of modules: two in a binder are unlike, case and accents aside."""

from __future__ import annotations

import re
from collections.abc import Collection, Sequence

from stepladder.core.finding import fold
from stepladder.library.errors import TitleTaken
from stepladder.library.models import Binder, Module, ModuleState

__all__ = ["as_first_called", "check_titles", "clashing", "titles_in", "unlike"]


def titles_in(binder: Binder) -> dict[str, list[int]]:
    """The keys of modules of a binder by their folded titles, those that rest left out."""
    found: dict[str, list[int]] = {}
    rows = Module.objects.filter(binder=binder).exclude(state=ModuleState.DELETED)
    for key, title in rows.values_list("pk", "title"):
        found.setdefault(fold(title), []).append(key)
    return found


def check_titles(changes: Sequence[tuple[Module, str]]) -> None:
    """Whether modules can be called so: titles in a binder are unlike, case and accents aside. Raises TitleTaken."""
    for module, title in clashing(changes):
        raise TitleTaken(title, module.binder.name)


def clashing(changes: Sequence[tuple[Module, str]]) -> list[tuple[Module, str]]:
    """Of modules and the titles that they are to have at once, those that cannot: another has it, or gets it before."""
    by_binder: dict[int, list[tuple[Module, str]]] = {}
    for module, title in changes:
        if fold(module.title) != fold(title):
            by_binder.setdefault(module.binder_id, []).append((module, title))
    found = []
    for some in by_binder.values():
        taken = titles_in(some[0][0].binder)
        moving = {module.pk for module, _ in some}
        given: set[str] = set()
        for module, title in some:
            plain = fold(title)
            if plain in given or set(taken.get(plain, ())) - moving:
                found.append((module, title))
            given.add(plain)
    return found


def unlike(title: str, taken: Collection[str]) -> str:
    """A title that none of the *taken* ones (folded) is like: as it is, or with a number behind it."""
    found, number = title, 2
    while fold(found) in taken:
        found = f"{title[:190]} ({number})"
        number += 1
    return found


def as_first_called(title: str) -> str:
    """The title that `unlike` put a number behind; the title itself where it has none."""
    return re.sub(r" \(\d+\)$", "", title)
