"""What can go wrong with a course."""

from __future__ import annotations

from stepladder.refusals import Refusal


class CourseError(Refusal):
    """An act on a course that cannot be done; the message is for people. *field* is the form field it is about."""

    field: str = ""


class NotADraft(CourseError):
    """A released edition was to be changed."""

    def __init__(self, title: str) -> None:
        super().__init__(
            f"“{title}” is released as it is. Make a new edition to change it; learners keep this one until then."
        )


class CannotRelease(CourseError):
    """A draft that is not fit for release; every finding at once."""

    def __init__(self, title: str, missing: list[str]) -> None:
        self.missing = missing
        things = "1 thing is" if len(missing) == 1 else f"{len(missing)} things are"
        super().__init__(f"“{title}” can’t be released yet: {things} missing. {' '.join(missing)}")


class Circle(CourseError):
    """Courses that ask for each other."""

    def __init__(self, names: list[str], field: str) -> None:
        self.field = field
        chain = " → ".join(f"“{name}”" for name in names)
        super().__init__(f"That would go round in a circle: {chain}. Leave one of them out.")
