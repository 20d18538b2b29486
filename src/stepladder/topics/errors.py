"""What can go wrong with topics."""

from __future__ import annotations

from stepladder.refusals import Refusal


class TopicError(Refusal):
    """An act on topics that cannot be done; the message is for people."""


class UnknownTopic(TopicError):
    """A word that is no topic; *near* is the one that was perhaps meant."""

    def __init__(self, text: str, near: str | None) -> None:
        hint = f" Did you mean “{near}”?" if near else " Administrators keep the list under Topics."
        super().__init__(f"There is no topic “{text}”.{hint}")
