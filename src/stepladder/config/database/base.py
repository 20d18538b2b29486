"""Django's SQLite, where no commit leaves a watched row without its digest in the journal (journal/sealing.py)."""

from __future__ import annotations

from collections.abc import Callable

from django.db.backends.sqlite3 import base

from stepladder.config.database.turns import Turns

__all__ = ["DatabaseWrapper"]


class DatabaseWrapper(base.DatabaseWrapper):
    """Its name and place are Django's: an engine is a package with `base.DatabaseWrapper`."""

    # Engines are loaded before any app, so what is to be done around a transaction is put in later (config/wiring.py).
    at_begin: Callable[[], None] | None = None
    at_commit: Callable[[base.DatabaseWrapper], None] | None = None
    # Put in where a process has several threads: the server's (config/wsgi.py) and the worker's.
    turns: Turns | None = None

    def _start_transaction_under_autocommit(self) -> None:
        if DatabaseWrapper.at_begin is not None:
            DatabaseWrapper.at_begin()
        turns = DatabaseWrapper.turns
        if turns is not None:
            turns.take()
        try:
            super()._start_transaction_under_autocommit()  # type: ignore[misc]  # the stubs leave it out
        except BaseException:
            self._leave_turn()
            raise
        if turns is not None:
            turns.has_begun()

    def commit(self) -> None:
        if DatabaseWrapper.at_commit is not None:
            try:
                DatabaseWrapper.at_commit(self)
            except BaseException:
                # Whoever leaves the transaction takes the commit for done unless it is a database error.
                self.rollback()
                raise
        super().commit()
        self._leave_turn()

    def rollback(self) -> None:
        try:
            super().rollback()
        finally:
            self._leave_turn()

    def close(self) -> None:
        try:
            super().close()
        finally:
            self._leave_turn()

    def _leave_turn(self) -> None:
        if DatabaseWrapper.turns is not None:
            DatabaseWrapper.turns.leave()
