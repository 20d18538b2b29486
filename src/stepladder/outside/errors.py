"""What can go wrong with training from outside and from before."""

from __future__ import annotations

from stepladder.refusals import Refusal

__all__ = ["NotYours", "OutsideError"]


class OutsideError(Refusal):
    """Something that can't be recorded so; *field* says where, the message is for people."""

    def __init__(self, message: str, field: str = "") -> None:
        super().__init__(message)
        self.field = field


class NotYours(OutsideError):
    """Nobody confirms what they themselves have asked for."""

    def __init__(self) -> None:
        super().__init__("Nobody confirms their own training. Ask another administrator to look at it.")
