"""What an act cannot do is said, never met as a crash."""

from __future__ import annotations

__all__ = ["Refusal"]


class Refusal(Exception):
    """An act that was not done, nothing of it; the message says why and what to do, for people.

    Each app's own errors are kinds of it. A view shows it where the mistake was made; one that reaches nobody is
    answered by web.middleware.SayRefusals.
    """
