"""What can go wrong in the catalogue."""

from __future__ import annotations

from stepladder.refusals import Refusal


class CatalogueError(Refusal):
    """An act in the catalogue that cannot be done; the message is for people. *field* is the form field it is about."""

    def __init__(self, message: str, field: str | None = None) -> None:
        self.field = field
        super().__init__(message)
