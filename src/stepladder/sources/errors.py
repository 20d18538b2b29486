"""What can go wrong with sources."""

from __future__ import annotations

from stepladder.refusals import Refusal


class SourceTrouble(Refusal):
    """A source that cannot be looked at now; nothing in it is taken for missing because of that."""
