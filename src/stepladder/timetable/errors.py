"""What people can do wrong with sessions and seats."""

from __future__ import annotations

from datetime import date, datetime

from stepladder import clock
from stepladder.refusals import Refusal
from stepladder.web.templatetags.web import day


class SessionError(Refusal):
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
    """A room, an instructor or a learner who is taken at that time; *lines* say by what.

    Whoever plans may accept a clash knowingly; whoever books a seat may not.
    """

    def __init__(self, lines: list[str], *, may_be_accepted: bool = False) -> None:
        self.lines = lines
        self.may_be_accepted = may_be_accepted
        self.field = "despite_clashes" if may_be_accepted else ""
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


class LastDayTooLate(SessionError):
    """A last day to book that lies after the session's first."""

    field = "last_booking_day"

    def __init__(self, first: date) -> None:
        super().__init__(f"The session begins on {day(first)}. Choose that day or one before it.")


class RoomThere(SessionError):
    """A room that its venue has already."""

    field = "name"

    def __init__(self, venue: str, name: str) -> None:
        super().__init__(f"{venue} has a room “{name}” already. Give this one another name.")


class Learns(SessionError):
    """An instructor who has a seat in the session as a learner."""

    field = "instructors"

    def __init__(self, name: str) -> None:
        super().__init__(
            f"{name} has a seat in this session, and cannot teach it too. Free the seat, or name somebody else."
        )


class NotBooked(SessionError):
    """Attendance for somebody who has no seat."""

    def __init__(self, name: str) -> None:
        super().__init__(f"{name} has no seat in this session. Give them one first; nothing was recorded.")


class NotOver(SessionError):
    """A session that cannot be signed off yet."""


class NotHere(SessionError):
    """A check-in at a time or place that is not the session's."""


class NoLiveService(SessionError):
    """A session live online without an address, where nothing can open a meeting room."""

    field = "live_address"


class NotOpen(SessionError):
    """A session that takes no bookings: cancelled, held, begun, or past its last day to book."""


class HasSeat(SessionError):
    """Somebody who has a seat, or waits, or teaches the session."""


class NoSeat(SessionError):
    """Somebody who has none where one is asked for."""
