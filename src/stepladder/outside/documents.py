"""The paper that proves it: taken, kept, and shown without anything of it being run."""

from __future__ import annotations

from typing import IO

from stepladder.library import storage
from stepladder.library.kinds import detect_type
from stepladder.library.models import StoredFile
from stepladder.library.uploads import KEPT_FREE
from stepladder.outside.errors import OutsideError

__all__ = ["MOST_BYTES", "TAKEN", "take_document"]

MOST_BYTES = 20 * 1024**2
# What a browser shows by itself without running any of it.
TAKEN = frozenset({"application/pdf", "image/png", "image/jpeg", "image/webp"})


def take_document(sent: IO[bytes], name: str, size: int) -> StoredFile:
    """Keep a document. Raises OutsideError where it is none that can be shown, too large, or where there is no room."""
    if not 0 < size <= MOST_BYTES:
        raise OutsideError(
            f"“{name}” is empty, or larger than {MOST_BYTES // 1024**2} MB, the most that is taken.", "document"
        )
    if size + KEPT_FREE > storage.free_bytes():
        raise OutsideError("The disk is almost full, so nothing was taken. Tell an administrator.", "document")
    folder = storage.workplace()
    try:
        given = storage.write_down(sent, folder)
        kind = detect_type(given)
        if kind not in TAKEN:
            raise OutsideError(
                f"“{name}” is no PDF and no picture. Scan or photograph the paper, and give that.", "document"
            )
        return storage.keep(given, kind)
    finally:
        storage.drop_workplace(folder)
