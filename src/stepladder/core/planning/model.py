"""A plan as a linear model in whole numbers: how many sessions begin when in which rooms, and how many of whom sit in them.

People, rooms and instructors who are alike are counted together, so that two thousand people come to a few hundred classes.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from datetime import date, timedelta

import numpy as np
from numpy.typing import NDArray

from stepladder.core.planning.problem import Instructor, Learner, Problem, Room, Slot, overlaps

__all__ = ["Group", "InstructorClass", "LearnerClass", "Model", "RoomClass", "build"]


@dataclass
class RoomClass:
    """Rooms that are alike: site, seats, and when a session may begin."""

    rooms: list[Room]
    seats: int
    site: int | None
    slots: list[Slot]
    # (slot, language) → its column.
    columns: dict[tuple[Slot, str], int] = field(default_factory=dict)


@dataclass
class InstructorClass:
    """Instructors who are alike."""

    instructors: list[Instructor]
    columns: dict[tuple[Slot, str], int] = field(default_factory=dict)


@dataclass
class Group:
    """Seats that are one as good as the other: of a site, at a time, in a language; of new sessions, or of one that is open."""

    slot: Slot
    minutes: int
    site: int | None
    language: str
    free: int = 0
    open_key: int | None = None
    # Columns of the sessions that give the seats, with how many each gives.
    sessions: list[tuple[int, int]] = field(default_factory=list)


@dataclass
class LearnerClass:
    """People who are alike: where they may sit, when they cannot, whose limits count them, and the day they need it by."""

    learners: list[Learner]
    needed_by: date
    # Group → column.
    columns: dict[int, int] = field(default_factory=dict)


@dataclass
class Model:
    """Columns with their bounds and what each adds to the four sums, in the order in which these are kept small: people late, days they
    wait, sessions, days of sessions. Rows are lists of (column, factor) that come to at most a number.
    """

    rooms: list[RoomClass] = field(default_factory=list)
    instructors: list[InstructorClass] = field(default_factory=list)
    groups: list[Group] = field(default_factory=list)
    learners: list[LearnerClass] = field(default_factory=list)
    most: list[int] = field(default_factory=list)
    sums: list[tuple[int, int, int, int]] = field(default_factory=list)
    rows: list[tuple[list[int], list[int], int]] = field(default_factory=list)
    # What of the first two sums is there before anybody has a seat.
    late: int = 0
    days_late: int = 0

    def column(self, most: int, sums: tuple[int, int, int, int] = (0, 0, 0, 0)) -> int:
        self.most.append(most)
        self.sums.append(sums)
        return len(self.most) - 1

    def row(self, columns: Iterable[int], factors: Iterable[int] | None, most: int) -> None:
        named = list(columns)
        self.rows.append((named, [1] * len(named) if factors is None else list(factors), most))

    def costs(self) -> NDArray[np.float64]:
        """(4, columns)."""
        return np.array(self.sums, dtype=np.float64).reshape(-1, 4).T.copy()


def build(problem: Problem) -> Model:
    """The model of a problem. Who needs it by no day of the span is left out of it: they sit where seats are left."""
    model = Model()
    _rooms(model, problem)
    if problem.instructors is not None:
        _instructors(model, problem, problem.instructors)
    _open(model, problem)
    _learners(model, problem)
    _limits(model, problem)
    return model


def _rooms(model: Model, problem: Problem) -> None:
    alike: dict[tuple[int | None, int, tuple[Slot, ...]], list[Room]] = {}
    for room in problem.rooms:
        slots = tuple(problem.slots_of(room))
        if slots and problem.seats_in(room) > 0:
            alike.setdefault((room.site if problem.by_site else None, problem.seats_in(room), slots), []).append(room)
    groups: dict[tuple[int | None, Slot, str], Group] = {}
    for (site, seats, slots), rooms in alike.items():
        of = RoomClass(rooms, seats, site, list(slots))
        for slot in slots:
            for language in problem.languages():
                column = model.column(len(rooms), (0, 0, 1, (slot.day - problem.first).days))
                of.columns[slot, language] = column
                group = groups.setdefault((site, slot, language), Group(slot, problem.minutes, site, language))
                group.sessions.append((column, seats))
        _one_at_a_time(model, of.columns, len(rooms), problem.minutes)
        model.rooms.append(of)
    model.groups = list(groups.values())


def _one_at_a_time(model: Model, columns: dict[tuple[Slot, str], int], most: int, minutes: int) -> None:
    """No more sessions at once than there are rooms, or instructors, of a kind."""
    by_day: dict[date, dict[int, list[int]]] = {}
    for (slot, _), column in columns.items():
        by_day.setdefault(slot.day, {}).setdefault(slot.start, []).append(column)
    for starts in by_day.values():
        for tick in starts:
            at_once = [c for start, named in starts.items() if tick - minutes < start <= tick for c in named]
            if len(at_once) > 1:
                model.row(at_once, None, most)


def _instructors(model: Model, problem: Problem, instructors: Sequence[Instructor]) -> None:
    alike: dict[tuple[object, ...], list[Instructor]] = {}
    for one in instructors:
        alike.setdefault((one.weekdays, one.most_a_day, one.languages, one.busy, one.taught), []).append(one)
    needed: dict[tuple[Slot, str], list[int]] = {}
    for of in model.rooms:
        for key, column in of.columns.items():
            needed.setdefault(key, []).append(column)
    given: dict[tuple[Slot, str], list[int]] = {}
    for like in alike.values():
        kind, first = InstructorClass(like), like[0]
        for slot, language in needed:
            speaks = not first.languages or not language or language in first.languages
            if speaks and slot.day.weekday() in first.weekdays and not overlaps(first.busy, slot, problem.minutes):
                kind.columns[slot, language] = model.column(len(like))
                given.setdefault((slot, language), []).append(kind.columns[slot, language])
        _one_at_a_time(model, kind.columns, len(like), problem.minutes)
        by_day: dict[date, list[int]] = {}
        for (slot, _), column in kind.columns.items():
            by_day.setdefault(slot.day, []).append(column)
        for day, columns in by_day.items():
            left = max(first.most_a_day - dict(first.taught).get(day, 0), 0)
            model.row(columns, None, left * len(like))
        model.instructors.append(kind)
    for key, columns in needed.items():
        teach = given.get(key, [])
        model.row([*columns, *teach], [1] * len(columns) + [-1] * len(teach), 0)


def _open(model: Model, problem: Problem) -> None:
    for one in problem.open_sessions:
        if one.free > 0 and problem.first <= one.slot.day <= problem.last:
            site = one.site if problem.by_site else None
            model.groups.append(Group(one.slot, one.minutes, site, one.language, one.free, one.key))


def _learners(model: Model, problem: Problem) -> None:
    limited = frozenset(limit.unit for limit in problem.limits)
    alike: dict[tuple[object, ...], LearnerClass] = {}
    for learner in problem.learners:
        if learner.needed_by is None or learner.needed_by >= problem.after:
            continue
        # Who is late already is late whatever happens: how long before the span is the same for every plan.
        needed = max(learner.needed_by, problem.first - timedelta(days=1))
        site = learner.site if problem.by_site else None
        language = learner.language if problem.by_language else ""
        key = (site, language, learner.units & limited, needed, learner.busy)
        alike.setdefault(key, LearnerClass([], needed)).learners.append(learner)
    seated: list[list[int]] = [[] for _ in model.groups]
    for of in alike.values():
        first, count = of.learners[0], len(of.learners)
        without_seat = (problem.after - of.needed_by).days
        model.late += count
        model.days_late += count * without_seat
        for n, group in enumerate(model.groups):
            if not problem.suits(first, group.site, group.language) or overlaps(first.busy, group.slot, group.minutes):
                continue
            wait = max((group.slot.day - of.needed_by).days, 0)
            of.columns[n] = model.column(count, (-1 if wait == 0 else 0, wait - without_seat, 0, 0))
            seated[n].append(of.columns[n])
        model.row(of.columns.values(), None, count)
        model.learners.append(of)
    for group, columns in zip(model.groups, seated, strict=True):
        if columns:
            given = [column for column, _ in group.sessions]
            model.row([*columns, *given], [1] * len(columns) + [-seats for _, seats in group.sessions], group.free)


def _limits(model: Model, problem: Problem) -> None:
    """At each instant at which somebody might go, no more of a unit away than may be."""
    by_day: dict[date, list[int]] = {}
    for n, group in enumerate(model.groups):
        by_day.setdefault(group.slot.day, []).append(n)
    for limit in problem.limits:
        classes = [of for of in model.learners if limit.unit in of.learners[0].units]
        if sum(len(of.learners) for of in classes) == 0:
            continue
        for day, groups in by_day.items():
            ticks = {model.groups[n].slot.start for n in groups} | {a.start for a in limit.away if a.day == day}
            for tick in sorted(ticks):
                here = [
                    n
                    for n in groups
                    if model.groups[n].slot.start <= tick < model.groups[n].slot.start + model.groups[n].minutes
                ]
                columns = [of.columns[n] for of in classes for n in here if n in of.columns]
                if columns:
                    model.row(columns, None, limit.left(day, tick, tick + 1))
