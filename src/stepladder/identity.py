"""Public identifiers: unguessable names for rows that appear in addresses."""

from __future__ import annotations

import random
import secrets
from collections.abc import Iterator
from contextlib import contextmanager

__all__ = ["new_public_id", "seeded"]

_ALPHABET = "23456789abcdefghjkmnpqrstuvwxyz"
_source: list[random.Random] = []


def new_public_id() -> str:
    """Fourteen characters that are easy to read out, about 69 bits."""
    pick = _source[-1].choice if _source else secrets.choice
    return "".join(pick(_ALPHABET) for _ in range(14))


@contextmanager
def seeded(seed: int) -> Iterator[None]:
    """Within the block identifiers repeat from run to run: for made-up data only."""
    _source.append(random.Random(seed))  # noqa: S311 - made-up data must come out the same each time
    try:
        yield
    finally:
        _source.pop()
