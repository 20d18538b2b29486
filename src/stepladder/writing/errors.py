"""What can go wrong where teaching is written."""

from __future__ import annotations

from collections.abc import Sequence

from stepladder.core.lessons import Finding
from stepladder.refusals import Refusal

__all__ = ["LastSection", "NotFinished", "SectionGone", "SectionTaken", "Unwritable", "WritingError"]


class WritingError(Refusal):
    """An act on a lesson that was not done; the message is for people."""


class Unwritable(WritingError):
    """What was sent is no section of a lesson."""


class SectionTaken(WritingError):
    """Somebody else writes in it."""

    def __init__(self, name: str) -> None:
        self.name = name
        super().__init__(
            f"{name} writes in this section. It is free once nothing has happened in it for five minutes; "
            "nothing of yours was saved over theirs."
        )


class SectionGone(WritingError):
    """It was taken out in the meantime."""

    def __init__(self) -> None:
        super().__init__(
            "This section was taken out of the lesson. Put it back first; what you wrote is kept in this browser."
        )


class LastSection(WritingError):
    """A lesson has at least one section."""

    def __init__(self) -> None:
        super().__init__("A lesson has at least one section. Write over this one, or add another first.")


class NotFinished(WritingError):
    """A lesson that cannot be released yet, and all that keeps it from being."""

    def __init__(self, findings: Sequence[Finding]) -> None:
        self.findings = list(findings)
        count = len(self.findings)
        things = "1 thing is" if count == 1 else f"{count} things are"
        super().__init__(f"It can’t be released yet: {things} missing.")
