"""Where a module is looked at: what plays it hands in the address, at a place in it; and where its picture is."""

from __future__ import annotations

from collections.abc import Callable

from django.urls import reverse

from stepladder.library import storage
from stepladder.library.models import Module, ModuleVersion

__all__ = ["Opener", "address_at", "still_address", "take_opener"]

# Takes the module, the place in it, and the number of a version (None: the newest).
Opener = Callable[[Module, float, int | None], str]
_openers: list[Opener] = []


def take_opener(opener: Opener) -> None:
    """Hand in the address of a module at a place: a page, a second, a part."""
    _openers[:] = [opener]


def address_at(module: Module, place: float, version: int | None = None) -> str:
    """Where a module (or one version of it) opens at a place; its sheet where nothing plays it."""
    return _openers[0](module, place, version) if _openers else reverse("library:module", args=[module.public_id])


def still_address(module: Module, newest: ModuleVersion | None) -> str:
    """Where the picture of a module's content is; another address for each version, as it is kept for a while. Empty for none."""
    if newest is None or not storage.has_derived(newest, "still.jpg"):
        return ""
    return f"{reverse('library:still', args=[module.public_id])}?v={newest.number}"
