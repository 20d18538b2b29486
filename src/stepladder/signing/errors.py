"""What can go wrong where tasks are written and signed off."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from stepladder.refusals import Refusal

__all__ = ["AlreadyDone", "BadSignOff", "NotATask", "NotReady", "OwnTask", "SigningError"]


class SigningError(Refusal):
    """An act on a task or a sign-off that was not done; the message is for people."""


class NotATask(SigningError):
    """What was sent is no check list."""


class NotReady(SigningError):
    """A task that cannot be released yet, and all that keeps it from being."""

    def __init__(self, found: Sequence[str]) -> None:
        self.found = list(found)
        super().__init__(f"It can’t be released yet: {'; '.join(self.found)}.")


class BadSignOff(SigningError):
    """A sign-off that is not taken as it is: field → what to do."""

    def __init__(self, faults: Mapping[str, str]) -> None:
        self.faults = dict(faults)
        super().__init__(" ".join(self.faults.values()))


class OwnTask(SigningError):
    """Nobody signs off what they did themselves."""

    def __init__(self) -> None:
        super().__init__("This is your own task. Somebody else signs it off.")


class AlreadyDone(SigningError):
    """A task that is signed off whole takes no more."""

    def __init__(self, name: str, title: str) -> None:
        super().__init__(f"{name} has “{title}” signed off already, all that it asks for.")
