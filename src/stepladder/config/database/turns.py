"""Who may write next: of the threads of a process one at a time asks for the pen, and those of the worker leave a gap for people.

SQLite keeps no line: who waits looks again, at last ten times a second, and who has just written begins anew at once. Threads of one
process hand the turn to each other instead; and without the worker's gap, pieces that follow each other keep people waiting until
their time is up.
"""

from __future__ import annotations

import threading
import time

__all__ = ["GAP_SECONDS", "Turns"]

# Longer than SQLite's longest pause between two looks (100 ms), so that whoever waits looks at least once within it.
GAP_SECONDS = 0.12
# After so much writing there is a gap: nobody else waits much longer, and no more than a fifth of the time is given away.
WRITES_SECONDS = 0.5
# As long as the database itself waits (settings.DATABASES); it says so then.
PATIENCE_SECONDS = 20.0


class Turns:
    """The turns of the threads of one process. A thread takes one before its transaction and leaves it after; *gap*: how many seconds
    nobody of them takes one after each half second of writing.
    """

    def __init__(self, gap: float = 0.0) -> None:
        self._gap = gap
        self._one = threading.Lock()
        self._holder: int | None = None
        self._began = 0.0
        self._written = 0.0
        self._free_at = 0.0

    def take(self) -> None:
        """Wait for the turn, and for the end of the gap."""
        if self._one.acquire(timeout=PATIENCE_SECONDS):
            self._holder = threading.get_ident()
            time.sleep(max(0.0, self._free_at - time.monotonic()))
            self._began = time.monotonic()

    def has_begun(self) -> None:
        """The transaction stands: what was waited for it until here is not writing."""
        if self._holder == threading.get_ident():
            self._began = time.monotonic()

    def leave(self) -> None:
        """The transaction is over, however it ended; without a turn nothing happens."""
        if self._holder != threading.get_ident():
            return
        now = time.monotonic()
        self._written += now - self._began
        if self._written >= WRITES_SECONDS:
            self._written, self._free_at = 0.0, now + self._gap
        self._holder = None
        self._one.release()
