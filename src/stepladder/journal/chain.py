"""The digests that chain the entries, and the head: the newest entry, which stands for all before it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable
from dataclasses import dataclass
from datetime import UTC
from typing import Self

from stepladder.journal.models import Entry

__all__ = ["FIRST", "Head", "entry_digest", "head", "rows_digest"]

# What the first entry has for the one before it.
FIRST = "0" * 64


@dataclass(frozen=True)
class Head:
    """An entry's number and digest: whoever keeps it can tell later whether anything up to it was changed or cut off."""

    number: int
    digest: str

    def __str__(self) -> str:
        return f"{self.number}:{self.digest}"

    @classmethod
    def parse(cls, text: str) -> Self:
        """From "number:digest", as it is printed. Raises ValueError."""
        number, _, digest = text.strip().partition(":")
        if not (number.isascii() and number.isdigit() and len(number) < 19 and len(digest) == 64):
            raise ValueError("A head is the number of an entry, a colon, and its digest of 64 characters.")
        return cls(int(number), digest)


def head() -> Head:
    """The newest entry; number 0 where there is none."""
    newest = Entry.objects.order_by("-number").values_list("number", "digest").first()
    return Head(*newest) if newest else Head(0, FIRST)


def rows_digest(digests: Iterable[tuple[str, int, str]]) -> str:
    """One digest for rows of an entry, each (table, key, digest); empty for none."""
    lines = "\n".join(f"{table} {pk} {digest}" for table, pk, digest in digests)
    return hashlib.sha256(lines.encode()).hexdigest() if lines else ""


def entry_digest(entry: Entry) -> str:
    """The digest that chains an entry to the one before it. It covers its number, and what rows it wrote, none included."""
    parts = [
        entry.number,
        entry.at.astimezone(UTC).isoformat(),
        entry.actor_id,
        entry.actor_name,
        entry.verb,
        entry.object_kind,
        entry.object_id,
        entry.object_name,
        json.dumps(entry.data, sort_keys=True, ensure_ascii=False),
        entry.takes_back,
        entry.rows_digest,
        entry.seals_digest,
        entry.previous,
    ]
    return hashlib.sha256(json.dumps(parts, ensure_ascii=False).encode()).hexdigest()
