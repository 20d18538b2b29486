from datetime import UTC, datetime, timedelta
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.coverage import (
    DEFAULT_DONE_SHARE,
    Allowance,
    add_plays,
    heat,
    pages_shown,
    share,
    union,
)


def test_played_0_60_30_90_200_260_of_240_seconds():
    played = [(0, 60), (30, 90), (200, 260)]
    assert share(played, 240) == Fraction(130, 240)
    assert float(share(played, 240)) == pytest.approx(0.5416, abs=1e-4)
    assert union(played, 240) == [(0, 90), (200, 240)]


def test_jumping_ahead_adds_nothing_and_touching_parts_join():
    assert union([(0, 10), (10, 20), (50, 50)], 100) == [(0, 20)]
    assert share([], 0) == 0


def test_heat_counts_people_and_times_of_each_slice():
    slices = heat({1: [(0, 2), (2, 4), (1, 2)], 2: [(3, 4)]}, 4)
    assert slices == [(1, 1), (1, 2), (1, 1), (2, 2)]
    again = heat({1: [(0, 1), (3, 4), (0, 1)]}, 4)
    assert again == [(1, 2), (0, 0), (0, 0), (1, 1)]


def test_overlapping_plays_are_different_times_and_only_those_that_touch_are_one():
    counts = [times for _, times in heat({1: [(9, 15), (11, 29)]}, 30)]
    assert (counts[10], counts[11], counts[14], counts[15]) == (1, 2, 2, 1)
    assert heat({1: [(0, 2), (2, 4)]}, 4) == [(1, 1)] * 4


def test_what_has_no_length_was_not_played():
    assert heat({1: [(1.5, 1.5), (3, 2)]}, 4) == [(0, 0)] * 4
    assert add_plays([], [(1.5, 1.5), (70, 80)], 60) == []


def test_a_share_is_exact_and_its_bound_is_included():
    """54.0 of 60 seconds are 90 %; as binary fractions these three come to less."""
    played = [(0.4, 12.0), (17.2, 37.9), (38.2, 59.9)]
    assert sum(end - start for start, end in played) < 54
    assert share(played, 60.0) == Fraction(9, 10)


def test_heat_has_at_most_200_slices_of_a_second_or_more():
    assert len(heat({}, 4000)) == 200
    assert len(heat({}, 12.5)) == 12
    assert len(heat({}, 0.5)) == 1


def test_a_page_counts_after_two_seconds_at_a_stretch():
    assert pages_shown([(1, 2.0), (2, 1.9), (2, 1.9), (9, 5)], pages=3) == {1}


intervals = st.lists(st.tuples(st.floats(-10, 500), st.floats(-10, 500)), max_size=12)


@given(intervals, intervals, st.floats(1, 300))
def test_a_union_is_at_most_the_whole_and_only_grows(some, more, duration):
    assert 0 <= share(some, duration) <= share([*some, *more], duration) <= Fraction(1)


def test_plays_are_kept_time_after_time_and_counted_so():
    kept = add_plays([], [(0, 10), (10, 20)], 60)
    kept = add_plays(kept, [(20, 25), (5, 15), (70, 90)], 60)
    assert kept == [(0, 25), (5, 15)]
    found = heat({1: kept}, 60)
    assert [found[second] for second in (0, 4, 5, 14, 15, 24, 25)] == [
        (1, 1),
        (1, 1),
        (1, 2),
        (1, 2),
        (1, 1),
        (1, 1),
        (0, 0),
    ]
    assert len(add_plays([], [(2 * (n % 7), 2 * (n % 7) + 1) for n in range(5000)], 60)) == 1000


def test_slices_of_long_media_are_wider_than_a_second():
    found = heat({1: [(0, 10)], 2: [(9, 11)]}, 400)
    assert len(found) == 200
    assert found[:7] == [(1, 1)] * 4 + [(2, 2), (1, 1), (0, 0)]


def test_done_at_nine_tenths_of_however_short_a_medium_and_at_the_last_page():
    assert Fraction(9, 10) == DEFAULT_DONE_SHARE
    assert share([(0, 0.5)], 0.5) == 1
    assert pages_shown([(1, 2), (3, 2), (4, 9), (0, 9)], 3) == {1, 3}


BEGIN = datetime(2026, 5, 14, 9, tzinfo=UTC)


def after(seconds: float) -> datetime:
    return BEGIN + timedelta(seconds=seconds)


@pytest.mark.parametrize(
    ("reported", "passed", "fits"),
    [(30, 0, True), (31, 0, False), (70, 10, True), (70.1, 10, False), (3600, 0.04, False)],
)
def test_what_is_reported_fits_the_time_that_passed(reported, passed, fits):
    assert (Allowance.begin(BEGIN).less(reported, after(passed)) is not None) is fits


def test_what_was_reported_takes_its_room_and_a_page_that_opens_brings_little_of_the_time_before():
    left = Allowance.begin(BEGIN).less(70, after(10))
    assert left == Allowance(0, after(10))
    assert left.less(1, after(10)) is None
    # A clock that was set back takes nothing away and gives nothing.
    assert left.grown(after(5)).seconds == 0
    assert left.carried(after(110)) == Allowance(400, after(110))
    next_day = left.carried(after(86_400))
    assert (next_day.less(600, after(86_400)), next_day.less(601, after(86_400))) == (Allowance(0, after(86_400)), None)
