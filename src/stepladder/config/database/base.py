"""Django's SQLite, where no commit leaves a watched row without its digest in the journal (journal/sealing.py)."""

from __future__ import annotations

from django.db.backends.sqlite3 import base


class DatabaseWrapper(base.DatabaseWrapper):
    """Its name and place are Django's: an engine is a package with `base.DatabaseWrapper`."""

    def _start_transaction_under_autocommit(self) -> None:
        from stepladder.journal.actions import forget_recorded  # inside: engines are loaded before apps

        forget_recorded()
        super()._start_transaction_under_autocommit()  # type: ignore[misc]  # the stubs leave it out

    def commit(self) -> None:
        from stepladder.journal.actions import seal_rest  # inside: engines are loaded before apps

        try:
            seal_rest(self)
        except BaseException:
            # Whoever leaves the transaction takes the commit for done unless it is a database error.
            self.rollback()
            raise
        super().commit()
