"""What can go wrong with an assignment."""

from __future__ import annotations

from stepladder.refusals import Refusal


class AssignmentError(Refusal):
    """An act on assignments that cannot be done; the message is for people. *field* is the form field it is about."""

    def __init__(self, text: str, field: str = "") -> None:
        self.field = field
        super().__init__(text)
