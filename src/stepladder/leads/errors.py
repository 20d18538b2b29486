"""What people can do wrong with leads."""

from __future__ import annotations

from stepladder.refusals import Refusal


class LeadsError(Refusal):
    """An act on leads that cannot be done; the message is for people. *field* is the form field it is about."""

    field: str = ""


class LeadIncomplete(LeadsError):
    """A lead without a holder, or whose field is left open."""

    def __init__(self, message: str, field: str) -> None:
        self.field = field
        super().__init__(message)


class LeadOverOneself(LeadsError):
    """A named lead that names its own holder."""

    field = "named"

    def __init__(self, name: str) -> None:
        super().__init__(f"{name} would answer to themself. Take them out of the people named.")
