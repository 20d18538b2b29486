"""What people can do wrong with sessions and seats."""

from __future__ import annotations

from datetime import datetime

from stepladder import clock
from stepladder.web.templatetags.web import day


class SessionError(Exception):
    """An act on sessions or seats that cannot be done; the message is for people. *field* is the form field it is about."""

    field: str = ""


class SessionFull(SessionError):
    """No seat is free, or those that are belong to who waits already."""

    def __init__(self, place: int) -> None:
        self.place = place
        super().__init__(f"The session is full. Your place on the waiting list is {place}; nothing was booked.")


class BelowTheBooked(SessionError):
    """A capacity smaller than the number of people who have a seat."""

    field = "capacity"

    def __init__(self, capacity: int, booked: int) -> None:
        super().__init__(
            f"{booked} people have a seat, so there cannot be {capacity}. Free some seats first, or choose a larger number."
        )


class RoomTooSmall(SessionError):
    """More seats than the room has."""

    field = "capacity"

    def __init__(self, room: str, seats: int) -> None:
        super().__init__(f"{room} has {seats} seats. Choose fewer, or a larger room.")


class Clashing(SessionError):
    """A room, an instructor or a learner who is taken at that time; *lines* say by what."""

    def __init__(self, lines: list[str]) -> None:
        self.lines = lines
        super().__init__(" ".join(lines[:5]))


class NoMeeting(SessionError):
    """A session without a meeting, or with meetings that overlap each other."""

    field = "meetings"


class InThePast(SessionError):
    """A meeting that would begin before now."""

    field = "meetings"

    def __init__(self, starts_at: datetime) -> None:
        when = starts_at.astimezone(clock.zone())
        super().__init__(f"{day(when.date())}, {when:%H:%M} is over. Choose a time to come.")


class NotOpen(SessionError):
    """A session that takes no bookings: cancelled, held, begun, or past its last day to book."""


class HasSeat(SessionError):
    """Somebody who has a seat, or waits, or teaches the session."""


class NoSeat(SessionError):
    """Somebody who has none where one is asked for."""
