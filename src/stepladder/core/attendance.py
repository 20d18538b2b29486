"""Who was there, and for how long. Rule: 9."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime, timedelta
from enum import StrEnum
from fractions import Fraction

from stepladder.core.seats import Times

__all__ = ["DEFAULT_SHARE", "Outcome", "Presence", "outcome", "present_for", "share_present"]

DEFAULT_SHARE = Fraction(4, 5)
# Joined at, and left at; None: stayed to the end of the meeting.
Presence = tuple[datetime, datetime | None]


class Outcome(StrEnum):
    """What a booking came to."""

    ATTENDED = "attended"
    PARTLY = "partly attended"
    ABSENT = "absent"


def present_for(meetings: Sequence[Times], presence: Iterable[Presence]) -> timedelta:
    """How long somebody was there: the union of their times, cut to each meeting, summed."""
    spans = [(joined, left if left is not None else _end_of(joined, meetings)) for joined, left in presence]
    return sum((_within(meeting, spans) for meeting in meetings), timedelta())


def _end_of(joined: datetime, meetings: Sequence[Times]) -> datetime:
    """The end of the meeting that somebody joined, or of the next one."""
    return min((meeting.end for meeting in meetings if meeting.end > joined), default=joined)


def _within(meeting: Times, spans: Iterable[tuple[datetime, datetime]]) -> timedelta:
    total, reached = timedelta(), meeting.start
    for start, end in sorted((max(a, meeting.start), min(b, meeting.end)) for a, b in spans):
        start = max(start, reached)
        if start < end:
            total += end - start
            reached = end
    return total


def share_present(meetings: Sequence[Times], presence: Iterable[Presence]) -> Fraction:
    """The part of the whole, between 0 and 1; 0 for a session without length."""
    whole = sum((meeting.end - meeting.start for meeting in meetings), timedelta())
    if not whole:
        return Fraction(0)
    present = present_for(meetings, presence)
    return Fraction(present // timedelta(microseconds=1), whole // timedelta(microseconds=1))


def outcome(meetings: Sequence[Times], presence: Iterable[Presence], *, threshold: Fraction = DEFAULT_SHARE) -> Outcome:
    """Attended from the threshold on, partly attended above nothing, else absent."""
    share = share_present(meetings, presence)
    if share >= threshold and share > 0:
        return Outcome.ATTENDED
    return Outcome.PARTLY if share > 0 else Outcome.ABSENT
