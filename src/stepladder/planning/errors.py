"""What can go wrong with plans of sessions."""

from __future__ import annotations

from stepladder.refusals import Refusal

__all__ = ["PlanningError"]


class PlanningError(Refusal):
    """A plan that cannot be made or taken over so; *field* says where, the message is for people."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field
