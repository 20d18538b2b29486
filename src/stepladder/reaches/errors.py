"""What people can do wrong with groups and reaches."""

from __future__ import annotations

from stepladder.refusals import Refusal


class ReachesError(Refusal):
    """An act on a group that cannot be done; the message is for people. *field* is the form field it is about."""

    field: str = ""


class NobodyMeant(ReachesError):
    """A form that means whoever is in a reach, and says nobody."""

    def __init__(self) -> None:
        super().__init__("This reach is nobody yet: say whom it means, or choose another line.")


class GroupRefused(ReachesError):
    """Conditions that no group can have."""

    field = "reach"
