"""Public identifiers: unguessable names for rows that appear in addresses."""

from __future__ import annotations

import random
import secrets
from array import array
from collections.abc import Iterator
from contextlib import contextmanager

__all__ = ["new_public_id", "new_public_ids", "seeded"]

_ALPHABET = "23456789abcdefghjkmnpqrstuvwxyz"
_LENGTH = 14
_PAIRS = [one + other for one in _ALPHABET for other in _ALPHABET]
# Two random bytes draw a pair; those above the last whole round would draw some pairs more often than others.
_FAIR = 2**16 // len(_PAIRS) * len(_PAIRS)
_source: list[random.Random] = []


def new_public_id() -> str:
    """Fourteen characters that are easy to read out, about 69 bits."""
    return new_public_ids(1)[0]


def new_public_ids(count: int) -> list[str]:
    """So many of them, drawn at once: an import makes a hundred thousand."""
    if _source:
        return ["".join(_source[-1].choice(_ALPHABET) for _ in range(_LENGTH)) for _ in range(count)]
    each = _LENGTH // 2
    pairs: list[str] = []
    while len(pairs) < count * each:
        drawn = array("H", secrets.token_bytes(2 * (count * each - len(pairs))))
        pairs += [_PAIRS[number % len(_PAIRS)] for number in drawn if number < _FAIR]
    return ["".join(pairs[at : at + each]) for at in range(0, count * each, each)]


@contextmanager
def seeded(seed: int) -> Iterator[None]:
    """Within the block identifiers repeat from run to run: for made-up data only."""
    _source.append(random.Random(seed))  # noqa: S311 - made-up data must come out the same each time
    try:
        yield
    finally:
        _source.pop()
