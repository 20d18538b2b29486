"""What can go wrong while learning."""

from __future__ import annotations

from datetime import date

from stepladder.refusals import Refusal
from stepladder.web.templatetags.web import day as say_day


class LearningError(Refusal):
    """Something a learner cannot do now; the message is for people."""


class NotThatDay(LearningError):
    """A day that a completion can't have; *field* says which of its days."""

    def __init__(self, field: str, why: str) -> None:
        super().__init__(why)
        self.field = field


class StepClosed(LearningError):
    """A step that opens only after others."""

    def __init__(self, title: str, first: str) -> None:
        super().__init__(f"“{title}” opens when “{first}” is done.")


class NotBegunYet(LearningError):
    """A course that asks for another one first."""

    def __init__(self, title: str, first: list[str]) -> None:
        names = " and ".join(f"“{name}”" for name in first)
        super().__init__(f"“{title}” opens when {names} is completed and valid.")


class PlaceClosed(LearningError):
    """A place in a course that was closed: what was done in it stays, nothing more is."""

    def __init__(self, title: str, day: date, because: str) -> None:
        super().__init__(
            f"Your place in “{title}” was closed on {say_day(day)}: {because}. What you did in it stays in your record."
        )


class NotHereYet(LearningError):
    """A course that somebody would begin before their first day, where that is not allowed."""

    def __init__(self, title: str, first: date) -> None:
        super().__init__(f"“{title}” opens on your first day, {say_day(first)}.")


class NotOffered(LearningError):
    """A course that is not released, or not for this person."""

    def __init__(self) -> None:
        super().__init__("This course is not offered to you. Ask whoever sent you here.")


class CountedSince(LearningError):
    """A step that cannot be undone, since a completion rests on it."""

    def __init__(self, name: str, course: str) -> None:
        super().__init__(
            f"{name} has completed “{course}” by it. Take the sign-off back, or revoke that completion in their training "
            "record first; nothing was changed."
        )


class AttemptEnded(LearningError):
    """An attempt that is over: nothing more is kept of it."""

    def __init__(self, title: str) -> None:
        super().__init__(f"This attempt at “{title}” is over; what you do in it is not kept. Open the step again.")


class NotEnded(LearningError):
    """A step that is to be begun again while an attempt at it is under way."""

    def __init__(self, title: str) -> None:
        super().__init__(f"You are in the middle of “{title}”. Go on there, or end it first.")


class OwnHandIn(LearningError):
    """A hand-in that somebody wants to mark themselves."""

    def __init__(self) -> None:
        super().__init__("This is your own. Somebody else marks it.")
