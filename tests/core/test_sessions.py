"""Seats, waiting, clashes and attendance: rules.md 9."""

from datetime import UTC, date, datetime, timedelta
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.attendance import Outcome, outcome, present_for, share_present
from stepladder.core.seats import Occupancy, Times, Waiting, clashes, has_room, move_up, overlap, waiting_order


def at(hour: int, minute: int = 0, day: int = 1) -> datetime:
    return datetime(2027, 3, day, hour, minute, tzinfo=UTC)


def times(start: tuple[int, int], end: tuple[int, int]) -> Times:
    return Times(at(*start), at(*end))


MORNING = [times((9, 0), (10, 0)), times((11, 0), (12, 0))]


def test_the_example_of_the_rules_is_96_minutes_and_attended():
    presence = [(at(9), at(9, 40)), (at(9, 30), at(10, 30)), (at(11, 24), None)]
    assert present_for(MORNING, presence) == timedelta(minutes=96)
    assert outcome(MORNING, presence) is Outcome.ATTENDED


@pytest.mark.parametrize(
    ("presence", "minutes", "expected"),
    [
        ([], 0, Outcome.ABSENT),
        ([(at(8), at(9))], 0, Outcome.ABSENT),
        ([(at(9, 30), None)], 30, Outcome.PARTLY),  # no leave: the end of that meeting, not of the last
        ([(at(10, 30), None)], 60, Outcome.PARTLY),  # joined between two: the next one
        ([(at(10), None)], 60, Outcome.PARTLY),  # joined as one ended: the next one
        ([(at(8), at(13))], 120, Outcome.ATTENDED),
        ([(at(9), at(10)), (at(11), at(11, 35))], 95, Outcome.PARTLY),
        ([(at(9), at(10)), (at(11), at(11, 36))], 96, Outcome.ATTENDED),
        ([(at(12, 30), None)], 0, Outcome.ABSENT),
    ],
)
def test_minutes_are_the_union_cut_to_each_meeting(presence, minutes, expected):
    assert present_for(MORNING, presence) == timedelta(minutes=minutes)
    assert outcome(MORNING, presence) is expected


def test_a_threshold_of_nothing_still_asks_for_presence():
    assert outcome(MORNING, [], threshold=Fraction(0)) is Outcome.ABSENT
    assert share_present([], [(at(9), None)]) == 0


spans = st.tuples(st.integers(0, 300), st.integers(0, 300)).map(
    lambda pair: (at(8) + timedelta(minutes=pair[0]), at(8) + timedelta(minutes=sum(pair)))
)


@given(st.lists(spans, max_size=6))
def test_presence_is_what_counting_minute_by_minute_gives(presence):
    minutes = sum(
        any(a <= start + timedelta(minutes=n) < b for a, b in presence)
        for meeting in MORNING
        for start in [meeting.start]
        for n in range(60)
    )
    assert present_for(MORNING, presence) == timedelta(minutes=minutes)


def waits(person: int, asked: int, needed: str | None = None, recorded: int = 0) -> Waiting:
    return Waiting(person, at(asked), recorded or person, date.fromisoformat(needed) if needed else None)


def test_need_comes_before_asking_and_ties_go_by_asking_then_recording():
    listed = [
        waits(1, 8),
        waits(2, 12, "2027-05-01"),
        waits(3, 13, "2027-04-01"),
        waits(4, 9, "2027-05-01"),
        waits(5, 8, recorded=9),
    ]
    assert [w.person for w in waiting_order(listed, "need")] == [3, 4, 2, 1, 5]
    assert [w.person for w in waiting_order(listed, "asking")] == [1, 5, 4, 2, 3]


def test_a_freed_seat_goes_to_the_first_without_a_clash_and_who_has_one_waits_on():
    listed = [waits(1, 8), waits(2, 9), waits(3, 10)]
    assert move_up(listed, "asking", free=1, clashing={1}) == [2]
    assert move_up(listed, "asking", free=2, clashing=set()) == [1, 2]
    assert move_up(listed, "asking", free=0, clashing=set()) == []
    assert move_up(listed, "asking", free=-1, clashing=set()) == []


def test_nobody_new_passes_one_who_could_take_the_seat():
    listed = [waits(1, 8), waits(2, 9)]
    assert not has_room(listed, free=2, clashing=set())
    assert has_room(listed, free=3, clashing=set())
    assert has_room(listed, free=1, clashing={1, 2})
    assert not has_room([], free=0, clashing=set())


def test_touching_ends_do_not_clash():
    assert not overlap(times((9, 0), (10, 0)), times((10, 0), (11, 0)))
    assert not overlap(times((10, 0), (11, 0)), times((9, 0), (10, 0)))
    assert overlap(times((9, 0), (10, 1)), times((10, 0), (11, 0)))


def test_a_room_and_a_person_teaching_or_learning_clash_with_other_sessions_only():
    nine, ten = times((9, 0), (10, 0)), times((9, 30), (10, 30))
    taken = [
        Occupancy("room", 1, nine, 7),
        Occupancy("person", 5, nine, 7, as_instructor=True),
        Occupancy("person", 6, nine, 8),
    ]
    wanted = [
        Occupancy("room", 1, ten, 8),
        Occupancy("person", 5, ten, 8),
        Occupancy("person", 6, ten, 8),
        Occupancy("room", 2, ten, 8),
    ]
    assert [(c.mine.what, c.mine.key, c.other.session) for c in clashes(wanted, taken)] == [
        ("room", 1, 7),
        ("person", 5, 7),
    ]
