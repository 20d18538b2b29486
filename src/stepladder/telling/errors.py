"""What can go wrong with notice rules."""

from __future__ import annotations

from stepladder.refusals import Refusal


class TellingError(Refusal):
    """A rule that cannot be kept; the message is for people. *field* is the form field it is about."""

    def __init__(self, message: str, field: str | None = None) -> None:
        self.field = field
        super().__init__(message)
