"""What people skip, see again, and where they leave. Rule: 8."""

import random

import pytest

from stepladder.core.coverage import heat, touching_joined
from stepladder.core.skipping import what_is_watched


def people(*groups):
    """Person → stretches, of groups of (how many, their stretches)."""
    found = {}
    for count, stretches in groups:
        for _ in range(count):
            found[len(found)] = stretches
    return found


def test_heat_counts_each_person_once_a_slice_and_each_time_by_itself():
    """Of many by chance: as one counts it by hand, slice after slice."""
    dice = random.Random(3)
    for _ in range(40):
        plays = [
            (start, min(240.0, start + dice.uniform(0.2, 40))) for start in (dice.uniform(0, 239) for _ in range(5))
        ]
        slices = heat({1: plays}, 240)
        # Two hundred slices of 1.2 seconds.
        for number, (people, times) in enumerate(slices):
            having = [
                play for play in touching_joined(plays) if play[0] < 1.2 * (number + 1) and play[1] > 1.2 * number
            ]
            assert (people, times) == (min(1, len(having)), len(having))


def test_what_is_jumped_over_is_told_from_where_people_stopped():
    watched = what_is_watched(people((6, [(0, 48)]), (4, [(0, 21), (27, 48)]), (5, [(0, 10)])), 48)
    (skipped,) = watched.skipped
    assert (skipped.start, skipped.end, skipped.count, skipped.of) == (21, 27, 4, 10)
    (left,) = watched.left
    assert (left.start, left.end, left.count, left.of) == (9, 10, 5, 15)
    assert (watched.people, watched.finished) == (15, 6)


def test_what_is_seen_again_says_how_often_a_head():
    watched = what_is_watched(people((3, [(0, 48), (35, 38)]), (1, [(0, 48)])), 48)
    (again,) = watched.again
    assert (again.start, again.end, again.a_head) == (35, 38, 1.75)


def test_a_few_people_are_not_spoken_of_and_nobody_is_no_middle():
    watched = what_is_watched(people((9, [(0, 48)]), (2, [(0, 21), (27, 48)])), 48)
    assert (watched.skipped, watched.left, watched.again) == ([], [], [])
    nobody = what_is_watched({1: []}, 48)
    assert (nobody.people, nobody.middle, nobody.finished) == (0, None, 0)


def test_a_document_is_a_medium_of_pages():
    watched = what_is_watched(people((4, [(0, 2), (4, 5)]), (4, [(0, 5)])), 5, early=1)
    assert [s.people for s in watched.slices] == [8, 8, 4, 4, 8]
    (skipped,) = watched.skipped
    assert (skipped.start, skipped.end, skipped.count) == (2, 4, 4)
    assert watched.middle == pytest.approx(4)


def test_who_stopped_at_once_is_counted():
    assert what_is_watched(people((3, [(0, 4)]), (2, [(0, 40)])), 48).stopped_early == 3
