"""What can go wrong with messages."""

from __future__ import annotations

from stepladder.refusals import Refusal


class MessagingError(Refusal):
    """A message that cannot be sent; the sentence is for people. *field* is the form field it is about."""

    def __init__(self, message: str, field: str | None = None) -> None:
        self.field = field
        super().__init__(message)
