"""What people can do wrong with groups and reaches."""

from __future__ import annotations

from stepladder.refusals import Refusal


class ReachesError(Refusal):
    """An act on a group that cannot be done; the message is for people. *field* is the form field it is about."""

    field: str = ""


class GroupRefused(ReachesError):
    """Conditions that no group can have."""

    field = "reach"
