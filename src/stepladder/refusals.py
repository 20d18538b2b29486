"""What an act cannot do is said, never met as a crash."""

from __future__ import annotations

__all__ = ["NameThere", "Refusal"]


class Refusal(Exception):
    """An act that was not done, nothing of it; the message says why and what to do, for people.

    Each app's own errors are kinds of it. A view shows it where the mistake was made; one that reaches nobody is
    answered by web.middleware.SayRefusals.
    """


class NameThere(Refusal):
    """Something of that name exists beside it; *field* is the form field it is about."""

    field = "name"

    def __init__(self, name: str) -> None:
        super().__init__(f"There is “{name}” already. Choose another name.")
