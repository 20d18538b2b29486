"""Rule 19: the fewest late, then the shortest waits, then the fewest sessions, then the earliest days; against every plan there is."""

from datetime import date, timedelta
from itertools import combinations, product

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from stepladder.core.planning import (
    Busy,
    Instructor,
    Learner,
    Limit,
    OpenSession,
    Problem,
    Room,
    Slot,
    becomes_late,
    solve,
    unmet,
    without,
)
from stepladder.core.planning.problem import overlaps
from stepladder.core.planning.result import lateness

MONDAY = date(2027, 3, 1)
DAYS = dict.fromkeys(range(5), ((8 * 60, 12 * 60),))


def day(number):
    return MONDAY + timedelta(days=number)


def needs(count, by, first=0, **more):
    return tuple(Learner(first + n, day(by), **more) for n in range(count))


def problem(learners, rooms=None, *, last=4, **more):
    said = {"minutes": 120, "step": 120, **more}
    return Problem(tuple(learners), tuple(rooms or [Room(1, 2, hours=DAYS)]), MONDAY, day(last), **said)


def sums(found, asked):
    days = {person: one.slot.day for one in found.sessions for person in one.people}
    late, waits = lateness(asked, days)
    return late, waits, len(found.new), sum((one.slot.day - MONDAY).days for one in found.new)


def best(asked):
    """By trying all: every set of sessions of one room, and everybody in each of them or in none."""
    room, answers = asked.rooms[0], []
    slots = list(asked.slots_of(room))
    for count in range(len(slots) + 1):
        for chosen in combinations(slots, count):
            for places in product([None, *chosen], repeat=len(asked.learners)):
                if all(places.count(slot) <= room.seats for slot in chosen):
                    seated = {one.key: at.day for one, at in zip(asked.learners, places, strict=True) if at}
                    late, waits = lateness(asked, seated)
                    answers.append((late, waits, count, sum((slot.day - MONDAY).days for slot in chosen)))
    return min(answers)


@settings(max_examples=25, deadline=None)
@given(needed=st.lists(st.integers(-3, 4), min_size=1, max_size=4), seats=st.integers(1, 3), last=st.integers(0, 1))
def test_no_plan_that_can_be_tried_is_better(needed, seats, last):
    asked = problem([Learner(n, day(by)) for n, by in enumerate(needed)], [Room(1, seats, hours=DAYS)], last=last)
    found = solve(asked, seconds=10)
    late, waits, count, days = best(asked)
    assert sums(found, asked) == (late, waits, count, days)
    assert (found.least_late, found.least_sessions) == (late, count)


def test_each_session_has_its_room_its_instructor_and_its_seats_and_nobody_is_in_two_places():
    away = frozenset({Busy(day(0), 0, 24 * 60)})
    learners = [*needs(7, 2), *needs(2, 2, 10, busy=away), *needs(3, 2, 20, language="Polish", site=1)]
    rooms = [
        Room(1, 3, hours=DAYS),
        Room(2, 4, 1, DAYS, frozenset({Busy(day(1), 8 * 60, 12 * 60)})),
        Room(3, 3, 2, DAYS),
    ]
    teach = (Instructor(1, most_a_day=1, languages=frozenset({"English"})), Instructor(2, frozenset({0, 2})))
    asked = problem(learners, rooms, instructors=teach)
    found = solve(asked, seconds=10)
    assert found.late == 0
    by_key = {learner.key: learner for learner in asked.learners}
    taken, taught = set(), {}
    for one in found.sessions:
        room = next(room for room in rooms if room.key == one.room)
        assert len(one.people) <= room.seats
        assert one.slot in list(asked.slots_of(room))
        for what in (("room", one.room), ("instructor", one.instructor), *(("person", key) for key in one.people)):
            assert (what, one.slot) not in taken
            taken.add((what, one.slot))
        taught[one.instructor, one.slot.day] = taught.get((one.instructor, one.slot.day), 0) + 1
        for key in one.people:
            assert asked.suits(by_key[key], room.site, one.language)
            assert not overlaps(by_key[key].busy, one.slot, asked.minutes)
    assert {key for one in found.sessions for key in one.people} == set(by_key)
    assert max(count for (who, _), count in taught.items() if who == 1) == 1
    assert all(one.slot.day.weekday() in (0, 2) for one in found.sessions if one.instructor == 2)


def test_seats_of_open_sessions_are_filled_before_another_one_is_planned():
    there = OpenSession(99, Slot(day(1), 9 * 60), 120, 2)
    asked = problem(needs(4, 3), open_sessions=(there,))
    found = solve(asked, seconds=10)
    assert (len(found.new), found.late) == (1, 0)
    assert sorted(len(one.people) for one in found.sessions) == [2, 2]
    assert [one.open_key for one in found.sessions if one.open_key] == [99]


def test_no_more_of_a_unit_are_away_at_once_than_may_be():
    together = needs(4, 0, units=frozenset({7}))
    asked = problem(together, [Room(1, 8, hours=DAYS)], last=0)
    assert len(solve(asked, seconds=10).new) == 1
    parted = problem(together, [Room(1, 8, hours=DAYS)], last=0, limits=(Limit(7, 2),))
    found = solve(parted, seconds=10)
    assert (found.late, [len(one.people) for one in found.sessions]) == (0, [2, 2])
    # Who is away already counts: then one of them at a time, and two have no seat.
    gone = (Busy(day(0), 0, 24 * 60),)
    found = solve(problem(together, [Room(1, 8, hours=DAYS)], last=0, limits=(Limit(7, 2, gone),)), seconds=10)
    assert (found.late, {one.reason for one in found.left_out}) == (2, {"their unit"})
    assert solve(without(parted, "units"), seconds=10).late == 0


@pytest.mark.parametrize(
    ("asked", "reason"),
    [
        (problem(needs(1, -1)), "no day"),
        (problem(needs(1, 1, site=5), [Room(1, 2, 6, DAYS)]), "no seat"),
        (problem(needs(1, 0, busy=frozenset({Busy(day(0), 0, 24 * 60)}))), "away"),
        (problem(needs(1, 1, units=frozenset({7})), limits=(Limit(7, 0),)), "their unit"),
        (problem(needs(1, 1), instructors=(Instructor(1, frozenset({4})),)), "no instructor"),
    ],
)
def test_the_first_reason_that_holds_is_said(asked, reason):
    assert [one.reason for one in solve(asked, seconds=10).left_out] == [reason]


def test_taking_a_session_out_moves_nobody_and_says_who_becomes_late():
    asked = problem([*needs(2, 1), *needs(1, 30, 10), *needs(2, 3, 20)], [Room(1, 3, hours=DAYS)])
    found = solve(asked, seconds=10)
    first = found.sessions[0]
    needed = {learner.key: learner.needed_by for learner in asked.learners}
    late = {key for key in first.people if becomes_late(needed[key], seated=first.slot.day, last=asked.last)}
    assert late == {key for key in first.people if key != 10}
    assert [one.person for one in found.left_out] == []


def test_what_cannot_be_met_is_named_with_how_many_it_concerns():
    asked = problem([*needs(2, 1, site=5), *needs(3, 1, 10, language="Polish")], [Room(1, 2, 6, DAYS)], instructors=())
    assert [(one.what, one.people, one.site, one.language) for one in unmet(asked)] == [
        ("rooms", 2, 5, ""),
        ("instructors", 2, None, ""),
        ("instructors", 3, None, "Polish"),
    ]
    assert [one.what for one in unmet(problem(needs(1, 1), closed=frozenset(day(n) for n in range(5))))] == ["days"]
