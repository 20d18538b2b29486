"""How long a request's body may be: apps hand in the addresses that take files."""

from __future__ import annotations

__all__ = ["longest", "take_long"]

# What a form comes to at most; captions of a long film are the largest.
MOST_BYTES = 8 * 1024**2
_long: dict[str, int | None] = {}


def take_long(address: str, most: int | None) -> None:
    """Hand in an address (a view's name) that takes more bytes than a form has; None: it looks to it itself."""
    _long[address] = most


def longest(address: str) -> int | None:
    """How many bytes an address takes; None: it looks to it itself."""
    return _long.get(address, MOST_BYTES)
