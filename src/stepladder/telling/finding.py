"""One thing that a rule has to say."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import date

from stepladder.core.requirements import Requirement
from stepladder.telling.models import NoticeRule

__all__ = ["Finding"]


@dataclass(frozen=True)
class Finding:
    """That a rule speaks of somebody's course (or path) for a day meant, and how they stand with it."""

    rule: NoticeRule
    is_path: bool
    person: int
    thing: int
    meant: date
    sent: date
    # How they stand with it; None where the rule tells that they completed it, on the day meant.
    requirement: Requirement | None
