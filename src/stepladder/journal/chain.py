"""The digests that chain the entries, and the head: the newest entry, which stands for all before it."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import UTC
from typing import Any, Self

from stepladder.journal.models import Entry

__all__ = ["FIRST", "Head", "chained", "content_digest", "entry_digest", "head", "older_digests", "rows_digest"]

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


def content_digest(entry: Entry) -> str:
    """The digest of what an entry says, its number and what rows it wrote with it: it stands for an entry whose words are not shown."""
    return _digest_of([*_said(entry), entry.rows_digest, entry.seals_digest])


def chained(previous: str, content: str) -> str:
    """The digest of an entry: of the one before it, and of its content. Whoever has only the digests of contents can follow the chain."""
    return hashlib.sha256(f"{previous} {content}".encode()).hexdigest()


def entry_digest(entry: Entry) -> str:
    """The digest that chains an entry to the one before it."""
    return chained(entry.previous, content_digest(entry))


def older_digests(entries: Iterable[Entry]) -> Iterator[tuple[int, str]]:
    """(number, digest) of each entry, from the first on, as entries were chained before contents had digests of their own.

    A head that was kept then proves the journal still.
    """
    previous = FIRST
    for entry in entries:
        previous = _digest_of([*_said(entry), entry.rows_digest, entry.seals_digest, previous])
        yield entry.number, previous


def _said(entry: Entry) -> list[Any]:
    return [
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
    ]


def _digest_of(parts: list[Any]) -> str:
    return hashlib.sha256(json.dumps(parts, ensure_ascii=False).encode()).hexdigest()
