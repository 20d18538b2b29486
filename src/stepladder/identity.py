"""Public identifiers: unguessable names for rows that appear in addresses."""

from __future__ import annotations

import random
import secrets
from collections.abc import Iterator
from contextlib import contextmanager

__all__ = ["new_public_id", "seeded"]

_ALPHABET = "23456789abcdefghjkmnpqrstuvwxyz"
_LENGTH = 14
_PAIRS = [one + other for one in _ALPHABET for other in _ALPHABET]
_MANY = len(_ALPHABET) ** _LENGTH
_source: list[random.Random] = []


def new_public_id() -> str:
    """Fourteen characters that are easy to read out, about 69 bits."""
    if _source:
        return "".join(_source[-1].choice(_ALPHABET) for _ in range(_LENGTH))
    # One draw for all signs, taken two by two: imports make a hundred thousand of them.
    number = secrets.randbelow(_MANY)
    signs = []
    for _ in range(_LENGTH // 2):
        number, pair = divmod(number, len(_PAIRS))
        signs.append(_PAIRS[pair])
    return "".join(signs)


@contextmanager
def seeded(seed: int) -> Iterator[None]:
    """Within the block identifiers repeat from run to run: for made-up data only."""
    _source.append(random.Random(seed))  # noqa: S311 - made-up data must come out the same each time
    try:
        yield
    finally:
        _source.pop()
