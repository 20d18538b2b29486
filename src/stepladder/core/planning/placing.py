"""From numbers to a plan: which room, which instructor, who sits where; who sits where seats are left; and why others do not."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from datetime import date

import numpy as np
from numpy.typing import NDArray

from stepladder.core.planning.model import Model
from stepladder.core.planning.problem import Busy, Learner, Problem, Room, Slot, overlaps
from stepladder.core.planning.result import LeftOut, Planned, PlanResult, Reason, days_of, late_days, lateness

__all__ = ["place"]


@dataclass
class _Seats:
    """A session as it fills."""

    slot: Slot
    minutes: int
    seats: int
    site: int | None
    language: str
    room: int | None = None
    instructor: int | None = None
    open_key: int | None = None
    people: list[int] = field(default_factory=list)

    @property
    def free(self) -> int:
        return self.seats - len(self.people)

    @property
    def busy(self) -> Busy:
        return Busy(self.slot.day, self.slot.start, self.slot.start + self.minutes)


def place(
    problem: Problem,
    model: Model,
    values: NDArray[np.float64],
    *,
    least_late: int,
    least_sessions: int,
    is_best: bool,
    seconds: float,
) -> PlanResult:
    """The plan that the model's values mean."""
    sessions = _sessions(problem, model, values)
    away = _Away(problem)
    for n, people in _by_group(model, values):
        _seat(people, sessions[n], away)
    every = [one for of_group in sessions for one in of_group]
    _fill(problem, every, away)
    planned = tuple(
        Planned(one.slot, one.room, one.instructor, one.language, tuple(one.people), one.open_key)
        for one in sorted(every, key=lambda one: (one.slot, one.room or 0, one.open_key or 0))
        if one.people
    )
    days = days_of(planned)
    late, waits = lateness(problem, days)
    used = [one for one in every if one.people]
    return PlanResult(
        planned,
        tuple(_left_out(problem, used, away, days)),
        late,
        waits,
        min(max(least_late, 0), late),
        min(max(least_sessions, 0), sum(one.open_key is None for one in planned)),
        is_best,
        seconds,
        {person: one for one in planned for person in one.people},
    )


def _sessions(problem: Problem, model: Model, values: NDArray[np.float64]) -> list[list[_Seats]]:
    """The sessions of each group, with rooms and instructors."""
    made: dict[tuple[int | None, Slot, str], list[_Seats]] = {}
    for of in model.rooms:
        free: dict[int, dict[date, int]] = {room.key: {} for room in of.rooms}
        for (slot, language), column in sorted(of.columns.items()):
            for _ in range(int(values[column])):
                # Begun in order, each takes a room that is over: there are as many as run at once.
                room = next(key for key, ends in free.items() if ends.get(slot.day, 0) <= slot.start)
                free[room][slot.day] = slot.start + problem.minutes
                one = _Seats(slot, problem.minutes, of.seats, of.site, language, room)
                made.setdefault((of.site, slot, language), []).append(one)
    if problem.instructors is not None:
        _teach(model, values, [one for group in made.values() for one in group])
    found = []
    for group in model.groups:
        if group.open_key is not None:
            one = _Seats(group.slot, group.minutes, group.free, group.site, group.language, open_key=group.open_key)
            found.append([one])
        else:
            found.append(made.get((group.site, group.slot, group.language), []))
    return found


def _teach(model: Model, values: NDArray[np.float64], sessions: list[_Seats]) -> None:
    """Give each session an instructor: those of a class in turn, so that nobody has more a day than another by more than one."""
    given: dict[tuple[Slot, str], list[int]] = {}
    for kind in model.instructors:
        turn: dict[date, int] = {}
        for (slot, language), column in sorted(kind.columns.items()):
            for _ in range(int(values[column])):
                n = turn.get(slot.day, 0)
                turn[slot.day] = n + 1
                given.setdefault((slot, language), []).append(kind.instructors[n % len(kind.instructors)].key)
    for one in sessions:
        one.instructor = given[one.slot, one.language].pop()


def _by_group(model: Model, values: NDArray[np.float64]) -> Iterator[tuple[int, list[Learner]]]:
    """Who sits in each group: the people of a class in order, as many as the model says."""
    found: dict[int, list[Learner]] = {}
    for of in model.learners:
        waiting = list(of.learners)
        for n, column in of.columns.items():
            count = int(values[column])
            found.setdefault(n, []).extend(waiting[:count])
            del waiting[:count]
    yield from found.items()


def _seat(people: list[Learner], sessions: list[_Seats], away: _Away) -> None:
    """Fill the largest first, so that the fewest sessions have anybody at all."""
    waiting = list(people)
    for one in sorted(sessions, key=lambda one: -one.seats):
        for learner in waiting[: one.free]:
            one.people.append(learner.key)
            away.add(learner, one.busy)
        del waiting[: one.seats]


class _Away:
    """How many of each unit with a limit are away when: those who were before, and those of the plan."""

    def __init__(self, problem: Problem) -> None:
        self._limits = {limit.unit: limit for limit in problem.limits}
        self._added: dict[tuple[int, date], list[Busy]] = {}

    def add(self, learner: Learner, busy: Busy) -> None:
        for unit in learner.units & self._limits.keys():
            self._added.setdefault((unit, busy.day), []).append(busy)

    def may_go(self, learner: Learner, busy: Busy) -> bool:
        """Whether one more of each of their units may be away through that time."""
        for unit in learner.units & self._limits.keys():
            added = self._added.get((unit, busy.day), [])
            ticks = {busy.start, *(one.start for one in added), *(a.start for a in self._limits[unit].away)}
            for tick in ticks:
                if busy.start <= tick < busy.end:
                    there = sum(one.start <= tick < one.end for one in added)
                    if there >= self._limits[unit].left(busy.day, tick, tick + 1):
                        return False
        return True


def _fill(problem: Problem, sessions: Sequence[_Seats], away: _Away) -> None:
    """Who needs it later than the span, or by no day, sits where seats are left, the soonest needed first."""
    seated = {person for one in sessions for person in one.people}
    waiting = [learner for learner in problem.learners if learner.key not in seated]
    waiting.sort(key=lambda learner: (learner.needed_by or date.max, learner.key))
    used = sorted((one for one in sessions if one.people or one.open_key is not None), key=lambda one: one.slot)
    for learner in waiting:
        for one in used:
            if one.free > 0 and _may_sit(problem, learner, one, away):
                one.people.append(learner.key)
                away.add(learner, one.busy)
                break


def _may_sit(problem: Problem, learner: Learner, one: _Seats, away: _Away) -> bool:
    return (
        problem.suits(learner, one.site, one.language)
        and not overlaps(learner.busy, one.slot, one.minutes)
        and away.may_go(learner, one.busy)
    )


def _left_out(problem: Problem, sessions: Sequence[_Seats], away: _Away, days: dict[int, date]) -> Iterator[LeftOut]:
    """Everybody who has no seat in time, with the first reason that holds. Rule: 19."""
    free = _free_seats(problem, sessions)
    known: dict[tuple[object, ...], Reason] = {}
    for learner in problem.learners:
        day = days.get(learner.key)
        if not late_days(problem, learner, day):
            continue
        alike = (learner.site, learner.language, learner.units, learner.needed_by, learner.busy)
        if alike not in known:
            known[alike] = _reason(problem, learner, free, away)
        yield LeftOut(learner.key, known[alike])


def _free_seats(problem: Problem, sessions: Sequence[_Seats]) -> list[tuple[Slot, int, int | None, str | None]]:
    """(slot, minutes, site, language) of seats that are free: in sessions of the plan, and in rooms where nothing is held then.

    The language of a room that is free is None: any.
    """
    found: list[tuple[Slot, int, int | None, str | None]] = [
        (one.slot, one.minutes, one.site, one.language) for one in sessions if one.free > 0
    ]
    taken: dict[int, list[Busy]] = {}
    for one in sessions:
        if one.room is not None:
            taken.setdefault(one.room, []).append(one.busy)
    for room in problem.rooms:
        if problem.seats_in(room) > 0:
            found += [(slot, problem.minutes, room.site, None) for slot in _free_slots(problem, room, taken)]
    return found


def _free_slots(problem: Problem, room: Room, taken: dict[int, list[Busy]]) -> Iterator[Slot]:
    for slot in problem.slots_of(room):
        if not overlaps(taken.get(room.key, ()), slot, problem.minutes):
            yield slot


def _reason(
    problem: Problem, learner: Learner, free: Sequence[tuple[Slot, int, int | None, str | None]], away: _Away
) -> Reason:
    until = learner.needed_by or problem.last
    if not any(day <= until for day in problem.days):
        return "no day"
    seats = [
        (slot, minutes)
        for slot, minutes, site, language in free
        if slot.day <= until and problem.suits(learner, site, learner.language if language is None else language)
    ]
    if not seats:
        return "no seat"
    there = [(slot, minutes) for slot, minutes in seats if not overlaps(learner.busy, slot, minutes)]
    if not there:
        return "away"
    if not any(away.may_go(learner, Busy(slot.day, slot.start, slot.start + minutes)) for slot, minutes in there):
        return "their unit"
    return "no instructor"
