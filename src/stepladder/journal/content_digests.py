"""The digest of what each entry says, kept in a file as they were first reckoned: a large firm's journal has millions of entries, and
whoever hands on its chain needs all of them."""

from __future__ import annotations

import fcntl
import logging
import os
from collections.abc import Iterator
from pathlib import Path

import numpy as np
from django.conf import settings
from django.db import connection
from numpy.typing import NDArray

from stepladder.journal.chain import FIRST, chained, content_digest
from stepladder.journal.models import Entry, Shortened

__all__ = ["content_digests", "keep_digests"]

# Of fewer new entries the file is not written on: they are reckoned in no time.
WORTH_KEEPING = 2_000
# The bytes of a digest.
SIZE = 32
logger = logging.getLogger(__name__)


def content_digests(last: int) -> Iterator[str]:
    """The digest of each entry's content, from the first to *last*; of one that was shortened, of what it said first.

    Those that are kept are used only where they lead to the digest that is chained in the entry they end with: of a journal that was
    rewritten, or is another one, all are reckoned as its entries are now. An entry that was changed without its chain is found by
    whoever shows it beside its digest, and by `verify`.
    """
    kept = _kept(last)
    for row in kept:
        yield row.tobytes().hex()
    if last - len(kept) <= WORTH_KEEPING:
        yield from _reckoned(len(kept), last)
        return
    fresh = bytearray()
    for digest in _reckoned(len(kept), last):
        fresh += bytes.fromhex(digest)
        yield digest
    _keep(len(kept), bytes(fresh))


def keep_digests() -> None:
    """Have those of all entries kept."""
    last = Entry.objects.order_by("-number").values_list("number", flat=True).first() or 0
    for _ in content_digests(last):
        pass


def _reckoned(after: int, last: int) -> Iterator[str]:
    shortened = dict(Shortened.objects.values_list("entry_id", "content"))
    for entry in Entry.objects.filter(number__gt=after, number__lte=last).order_by("number").iterator(chunk_size=2_000):
        yield shortened.get(entry.number) or content_digest(entry)


def _path() -> Path:
    return Path(settings.DATA_DIR) / "journal-digests.bin"


def _kept(last: int) -> NDArray[np.uint8]:
    """The digests that are kept of the entries up to *last*; none where they are not those of this journal."""
    nothing = np.zeros((0, SIZE), dtype=np.uint8)
    if connection.in_atomic_block:
        return nothing
    path = _path()
    try:
        # A last one that was not written whole counts for nothing.
        count = min(path.stat().st_size // SIZE, last) if path.exists() else 0
        found = np.memmap(path, np.uint8, "r", shape=(count, SIZE)).view(np.ndarray) if count else nothing
    except (OSError, ValueError) as error:
        logger.warning("%s cannot be used (%s): the digests are reckoned anew.", path, error)
        return nothing
    digest = FIRST
    for row in found:
        digest = chained(digest, row.tobytes().hex())
    if count and not Entry.objects.filter(number=count, digest=digest).exists():
        logger.warning("%s is not of this journal: its digests are reckoned anew.", path)
        return nothing
    return found


def _keep(after: int, digests: bytes) -> None:
    """Write digests behind those of the first *after* entries, unless somebody else has meanwhile."""
    if connection.in_atomic_block:
        # What is written within a transaction may be rolled back.
        return
    path = _path()
    try:
        if not after:
            # Beside what could not be used, never into it: others may be reading that.
            part = path.with_suffix(".part")
            part.write_bytes(digests)
            part.replace(path)
            return
        with path.open("ab") as file:
            fcntl.flock(file, fcntl.LOCK_EX)
            if file.seek(0, os.SEEK_END) // SIZE == after:
                # Without what was not written whole.
                file.truncate(after * SIZE)
                file.write(digests)
    except OSError as error:
        logger.warning("Digests of the journal could not be kept (%s): they are reckoned again next time.", error)
