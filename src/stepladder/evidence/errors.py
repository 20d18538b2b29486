"""What can go wrong with an evidence pack."""

from __future__ import annotations

from stepladder.refusals import Refusal

__all__ = ["EvidenceError"]


class EvidenceError(Refusal):
    """A pack that cannot be made so; *field* says where, the message is for people."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field
