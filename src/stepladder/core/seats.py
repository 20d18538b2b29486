"""Seats, the waiting list, and clashes. Rule: 9."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from dataclasses import dataclass
from datetime import date, datetime
from typing import Literal

from stepladder.core.days import FOREVER

__all__ = [
    "Clash",
    "Occupancy",
    "Order",
    "Times",
    "Waiting",
    "clashes",
    "has_room",
    "move_up",
    "overlap",
    "waiting_order",
]

Order = Literal["need", "asking"]


@dataclass(frozen=True, order=True)
class Times:
    """From an instant to an instant; both aware."""

    start: datetime
    end: datetime


@dataclass(frozen=True)
class Waiting:
    """Somebody on the waiting list. *needed_by* is the day of a mandatory requirement; None: nothing asks for it firmly."""

    person: int
    asked_at: datetime
    recorded: int
    needed_by: date | None = None


def waiting_order(waiting: Iterable[Waiting], order: Order) -> list[Waiting]:
    """The list as it is served: by need (mandatory by day needed, then the rest), or as they asked.

    Ties go by the time of asking, then of recording.
    """
    if order == "asking":
        return sorted(waiting, key=lambda w: (w.asked_at, w.recorded))
    return sorted(waiting, key=lambda w: (w.needed_by is None, w.needed_by or FOREVER, w.asked_at, w.recorded))


def move_up(waiting: Iterable[Waiting], order: Order, *, free: int, clashing: Collection[int]) -> list[int]:
    """Who gets the free seats: the first who have no clash. Whoever has one waits on in place."""
    # Their place on the list stays theirs: the clash may be gone at the next free seat.
    able = [w.person for w in waiting_order(waiting, order) if w.person not in clashing]
    return able[: max(free, 0)]


def has_room(waiting: Iterable[Waiting], *, free: int, clashing: Collection[int]) -> bool:
    """Whether somebody new may sit down at once: a seat is free beyond those whom the waiting could take."""
    return free > sum(w.person not in clashing for w in waiting)


def overlap(one: Times, other: Times) -> bool:
    """Whether two times share an instant; ends that touch do not."""
    return one.start < other.end and other.start < one.end


@dataclass(frozen=True)
class Occupancy:
    """Somebody or something that is taken at a time: a room, or a person who teaches or learns. *session* is whose it is."""

    what: Literal["room", "person"]
    key: int
    times: Times
    session: int
    as_instructor: bool = False


@dataclass(frozen=True)
class Clash:
    """Two things that want the same room or person at once."""

    mine: Occupancy
    other: Occupancy


def clashes(wanted: Sequence[Occupancy], taken: Sequence[Occupancy]) -> list[Clash]:
    """What of *wanted* is taken already by another session, in the order of time."""
    by_key: dict[tuple[str, int], list[Occupancy]] = {}
    for one in taken:
        by_key.setdefault((one.what, one.key), []).append(one)
    found = [
        Clash(mine, other)
        for mine in wanted
        for other in by_key.get((mine.what, mine.key), ())
        if other.session != mine.session and overlap(mine.times, other.times)
    ]
    return sorted(found, key=lambda clash: (clash.mine.times, clash.other.times))
