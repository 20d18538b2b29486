"""Pages beside the library that apps nearer the roof hand in, for its index."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from stepladder.accounts import policy

__all__ = ["Place", "add_place", "places"]


@dataclass(frozen=True)
class Place:
    """A page: its label, its address (a name), and the verb that opens it."""

    label: str
    address: str
    verb: str


_places: dict[str, Place] = {}


def add_place(label: str, address: str, *, verb: str) -> None:
    """Hand in a page."""
    _places[address] = Place(label, address, verb)


def places(account: Any) -> list[Place]:
    """Those that an account may open."""
    return [place for place in _places.values() if policy.may(account, place.verb)]
