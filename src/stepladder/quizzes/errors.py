"""What can go wrong where quizzes are written, taken and marked."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime

from stepladder.refusals import Refusal
from stepladder.web.templatetags.web import when

__all__ = [
    "AlreadyMarked",
    "AnsweredElsewhere",
    "HandedIn",
    "NoMoreAttempts",
    "NotAQuestion",
    "NotReady",
    "NothingToDraw",
    "OwnPaper",
    "QuizError",
    "TimeIsUp",
    "Unplanned",
]


class QuizError(Refusal):
    """An act on a bank, a quiz or a paper that was not done; the message is for people."""


class NotAQuestion(QuizError):
    """What was sent is no question that can be asked."""

    def __init__(self, faults: Sequence[str]) -> None:
        self.faults = list(faults)
        super().__init__(f"Nothing was saved: this question {'; it '.join(self.faults)}.")


class Unplanned(QuizError):
    """What was sent is no plan of a quiz."""


class NotReady(QuizError):
    """A quiz that cannot be released yet, and all that keeps it from being."""

    def __init__(self, found: Sequence[str]) -> None:
        self.found = list(found)
        super().__init__(f"It can’t be released yet: {'; '.join(self.found)}.")


class NothingToDraw(QuizError):
    """A released quiz whose questions cannot be drawn; nothing about the person who asked for them."""

    def __init__(self) -> None:
        super().__init__("This quiz can’t be begun: there are too few questions in it. Tell whoever gave it to you.")


class NoMoreAttempts(QuizError):
    """All attempts are used, or the next one opens later."""

    def __init__(self, opens: datetime | None = None) -> None:
        said = f"You can begin again from {when(opens)}." if opens else "You have used all your attempts at this quiz."
        super().__init__(said)


class HandedIn(QuizError):
    """A paper that was handed in takes nothing more."""

    def __init__(self) -> None:
        super().__init__("This attempt is handed in. Nothing more can be answered in it.")


class TimeIsUp(QuizError):
    """What arrived after the time and its grace."""

    def __init__(self) -> None:
        super().__init__("The time is up. What you had answered before is handed in; this answer came too late.")


class AnsweredElsewhere(QuizError):
    """The question was answered in another tab since this one was opened."""

    def __init__(self) -> None:
        super().__init__("You answered this in another tab since. That answer stands here now; change it if you like.")


class OwnPaper(QuizError):
    """A marker who is the learner."""

    def __init__(self) -> None:
        super().__init__("This is your own. Somebody else has to mark it.")


class AlreadyMarked(QuizError):
    """A paper whose marking is done, or that is another one's to mark."""

    def __init__(self, words: str) -> None:
        super().__init__(words)
