"""What people can do wrong with imports."""

from __future__ import annotations

from stepladder.refusals import Refusal


class ImportUnready(Refusal):
    """An import that cannot go on like this; the message says what is missing."""
