"""What a plan is made of: people who need a session, rooms, instructors, units, a span. Times are wall times, in minutes of a day."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

__all__ = ["Busy", "Instructor", "Learner", "Limit", "OpenSession", "Problem", "Room", "Slot", "overlaps"]


@dataclass(frozen=True, order=True)
class Slot:
    """When a session may begin: a day, and a minute of it."""

    day: date
    start: int


@dataclass(frozen=True, order=True)
class Busy:
    """A stretch of a day in which somebody or something is taken, from a minute to a minute."""

    day: date
    start: int
    end: int


WHOLE_DAY = (0, 24 * 60)


def overlaps(busy: Iterable[Busy], slot: Slot, minutes: int) -> bool:
    """Whether any of these reaches into a session; ends that touch do not."""
    return any(one.day == slot.day and one.start < slot.start + minutes and slot.start < one.end for one in busy)


@dataclass(frozen=True)
class Learner:
    """Somebody who needs the session: by *needed_by* (None: by no day), at a site (None: anywhere), in a language ("": in any).

    *units* are those whose limits count them; *busy* is when they learn or teach elsewhere, or are on leave.
    """

    key: int
    needed_by: date | None
    site: int | None = None
    language: str = ""
    units: frozenset[int] = frozenset()
    busy: frozenset[Busy] = frozenset()


@dataclass(frozen=True)
class Room:
    """A room at a site (None: for people of any), with its hours by weekday (0 Monday): stretches of minutes; and when it is taken."""

    key: int
    seats: int
    site: int | None = None
    hours: Mapping[int, Sequence[tuple[int, int]]] = field(default_factory=dict)
    busy: frozenset[Busy] = frozenset()


@dataclass(frozen=True)
class Instructor:
    """Who may teach it: on which weekdays, how many sessions a day, in which languages (none named: in any); when they are taken.

    What they teach already counts towards how many a day: *taught* by day.
    """

    key: int
    weekdays: frozenset[int] = frozenset(range(5))
    most_a_day: int = 2
    languages: frozenset[str] = frozenset()
    busy: frozenset[Busy] = frozenset()
    taught: tuple[tuple[date, int], ...] = ()


@dataclass(frozen=True)
class Limit:
    """How many of a unit may be away at once; *away* are those who are already, each for themselves."""

    unit: int
    most: int
    away: tuple[Busy, ...] = ()

    def left(self, day: date, start: int, end: int) -> int:
        """How many more may be away through a stretch."""
        count = sum(one.day == day and one.start < end and start < one.end for one in self.away)
        return max(self.most - count, 0)


@dataclass(frozen=True)
class OpenSession:
    """One that is planned already, with free seats that may be filled."""

    key: int
    slot: Slot
    minutes: int
    free: int
    site: int | None = None
    language: str = ""


@dataclass(frozen=True)
class Problem:
    """Everything that a plan is to be made of. *instructors* None: none are asked for. *step*: sessions begin at whole multiples of
    so many minutes of the day. *seats*: the most in one session. *closed* are days on which nothing is held.
    """

    learners: tuple[Learner, ...]
    rooms: tuple[Room, ...]
    first: date
    last: date
    minutes: int
    instructors: tuple[Instructor, ...] | None = None
    limits: tuple[Limit, ...] = ()
    open_sessions: tuple[OpenSession, ...] = ()
    seats: int = 10_000
    step: int = 60
    closed: frozenset[date] = frozenset()
    # Wishes that may be let go of, to see what they cost.
    by_site: bool = True
    by_language: bool = True

    @property
    def days(self) -> list[date]:
        """The days of the span on which something may be held."""
        every = (self.first + timedelta(days=n) for n in range((self.last - self.first).days + 1))
        return [day for day in every if day not in self.closed]

    @property
    def after(self) -> date:
        """The day until which who gets no seat is taken to wait."""
        return self.last + timedelta(days=1)

    def slots_of(self, room: Room) -> Iterator[Slot]:
        """When a session may begin in a room: within its hours, while it is free."""
        for day in self.days:
            for opens, closes in room.hours.get(day.weekday(), ()):
                start = -(-opens // self.step) * self.step
                while start + self.minutes <= closes:
                    slot = Slot(day, start)
                    if not overlaps(room.busy, slot, self.minutes):
                        yield slot
                    start += self.step

    def seats_in(self, room: Room) -> int:
        return min(room.seats, self.seats)

    def suits(self, learner: Learner, site: int | None, language: str) -> bool:
        """Whether somebody may sit at a site, in a language."""
        at_site = not self.by_site or site is None or learner.site is None or learner.site == site
        return at_site and (not self.by_language or not learner.language or learner.language == language)

    def languages(self) -> list[str]:
        """The languages in which sessions are held: those that somebody needs; "" for who sits in any."""
        return sorted({learner.language for learner in self.learners}) if self.by_language else [""]
