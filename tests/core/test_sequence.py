from datetime import UTC, date, datetime, timedelta
from fractions import Fraction

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.sequence import (
    Done,
    Effect,
    Order,
    Outline,
    Part,
    StepRule,
    completed,
    obligatory_added,
    open_steps,
    progress,
    release_effect,
)

START = datetime(2026, 5, 1, 9, tzinfo=UTC)


def done(hours: int, score: str | None = None) -> Done:
    at = START + timedelta(hours=hours)
    return Done(at.date(), at, Fraction(score) if score else None)


PREP_A, PREP_B = StepRule(1, Part.PREPARATION, minutes=5), StepRule(2, Part.PREPARATION, minutes=10)
MAIN_A, MAIN_B = StepRule(3, minutes=20), StepRule(4, minutes=30)
OPTIONAL = [StepRule(n, obligatory=False, minutes=n) for n in (5, 6, 7)]
COURSE = Outline((PREP_A, PREP_B, MAIN_A, MAIN_B), preparation_order=Order.ANY_ORDER)


def test_preparation_comes_before_the_main_part():
    assert open_steps(COURSE, {}) == [1, 2]
    assert open_steps(COURSE, {1: done(0), 2: done(1)}) == [1, 2, 3]
    assert open_steps(COURSE, {1: done(0), 2: done(1), 3: done(2)}) == [1, 2, 3, 4]


def test_in_order_an_optional_step_holds_nobody_up():
    outline = Outline((StepRule(1, obligatory=False), StepRule(2), StepRule(3)))
    assert open_steps(outline, {}) == [1, 2]


def test_what_is_done_stays_open():
    assert open_steps(COURSE, {4: done(0)}) == [1, 2, 4]


def test_progress_rounds_down_and_counts_the_shortest_optional_steps():
    outline = Outline((MAIN_A, *OPTIONAL), main_order=Order.ANY_ORDER, optional_owed=2)
    assert (progress(outline, {}).percent, progress(outline, {}).minutes_left) == (0, 20 + 5 + 6)
    half = progress(outline, {5: done(0)})
    assert (half.done, half.owed, half.percent, half.minutes_left) == (1, 3, 33, 20 + 6)
    more_than_asked = progress(outline, {5: done(0), 6: done(0), 7: done(0)})
    assert (more_than_asked.percent, more_than_asked.minutes_left) == (66, 20)


def test_a_course_that_owes_nothing_is_at_nothing():
    assert progress(Outline(()), {}).percent == 0


def test_of_steps_done_at_one_instant_the_first_by_key_completes():
    outline = Outline((StepRule(1, obligatory=False), StepRule(2, obligatory=False)), optional_owed=1)
    found = completed(outline, {2: done(1, "1"), 1: done(1, "1/2")})
    assert found is not None
    assert found.score == Fraction(1, 2)


def test_a_course_takes_the_instant_of_the_step_that_made_it_true():
    assert completed(COURSE, {1: done(0), 2: done(30), 3: done(5)}) is None
    found = completed(COURSE, {1: done(0), 2: done(30), 3: done(5), 4: done(6)})
    assert found is not None
    assert (found.day, found.at) == (date(2026, 5, 2), START + timedelta(hours=30))


def test_the_lowest_score_is_a_weighted_mean_compared_unrounded():
    outline = Outline((StepRule(1, weight=2), StepRule(2, weight=1)), lowest_score=Fraction(2, 3))
    assert completed(outline, {1: done(0, "1/2"), 2: done(1, "999/1000")}) is None
    found = completed(outline, {1: done(0, "1/2"), 2: done(1, "1")})
    assert found is not None
    assert found.score == Fraction(2, 3)


def test_what_was_done_of_a_module_that_the_edition_does_not_have_counts_for_nothing():
    outline = Outline((StepRule(1), StepRule(2)), lowest_score=Fraction(1, 2))
    found = completed(outline, {1: done(0, "1/2"), 2: done(1, "1/2"), 9: done(2, "0")})
    assert found is not None
    assert (found.score, found.at) == (Fraction(1, 2), START + timedelta(hours=1))
    assert completed(outline, {1: done(0, "1/2"), 9: done(2, "1")}) is None


def test_where_nothing_is_owed_nothing_is_ever_complete():
    assert completed(Outline((StepRule(1, obligatory=False),)), {1: done(0)}) is None


def test_a_small_release_may_not_add_an_obligatory_step():
    assert obligatory_added([MAIN_A, OPTIONAL[0]], [MAIN_A, StepRule(5), MAIN_B]) == [5, 4]


@pytest.mark.parametrize(
    ("begun", "covered", "size", "retake_by", "effect"),
    [
        (True, False, "small", None, Effect.GOES_ON),
        (True, False, "large", None, Effect.FINISHES_OLD),
        (True, True, "large", date(2026, 9, 1), Effect.FINISHES_OLD),
        (False, True, "small", None, Effect.STAYS_DONE),
        (False, True, "large", None, Effect.STAYS_DONE),
        (False, True, "large", date(2026, 9, 1), Effect.RETAKES),
        (False, False, "large", None, Effect.GETS_NEW),
    ],
)
def test_what_a_release_does_to_one_person(begun, covered, size, retake_by, effect):
    assert release_effect(begun=begun, covered=covered, size=size, retake_by=retake_by) == effect


steps = st.lists(st.tuples(st.booleans(), st.integers(1, 60)), min_size=1, max_size=6).map(
    lambda rows: tuple(StepRule(i, obligatory=o, minutes=m) for i, (o, m) in enumerate(rows))
)


@given(steps, steps, st.sets(st.integers(0, 5)))
def test_no_release_lowers_progress(old, new, keys):
    finished = {key: done(key) for key in keys}
    before = progress(Outline(old), finished).percent
    bare, after = progress(Outline(new), finished), progress(Outline(new), finished, floor=before)
    # The floor holds where the new edition owes more; where one is further by it, that counts. What is left is the new one's.
    assert after.percent == (bare.percent if bare.percent >= before else before)
    assert (after.done, after.owed, after.minutes_left) == (bare.done, bare.owed, bare.minutes_left)


@given(steps, st.integers(0, 6), st.sets(st.integers(0, 5)))
def test_complete_and_100_percent_are_the_same(rules, k, keys):
    outline = Outline(rules, optional_owed=k)
    finished = {key: done(key) for key in keys}
    if outline.owed:
        assert (completed(outline, finished) is not None) == (progress(outline, finished).percent == 100)


TEST = StepRule(9, Part.ENTRY, obligatory=False)
WITH_TEST = Outline((PREP_A, MAIN_A, MAIN_B, StepRule(7, is_spared=False), TEST))


def test_an_entry_test_is_open_from_the_start_and_counts_as_no_step():
    assert open_steps(WITH_TEST, {}) == [1, 9]
    assert (WITH_TEST.owed, progress(WITH_TEST, {}).owed, WITH_TEST.spared) == (4, 4, [3, 4])
    # Once there is nothing left that it could spare, it is not offered any more; passed, it stays to be looked at.
    done_without = {key: done(key) for key in (1, 3, 4)}
    assert 9 not in open_steps(WITH_TEST, done_without)
    assert 9 in open_steps(WITH_TEST, done_without | {9: done(9)})
    assert COURSE.spared == []


def test_the_score_of_what_an_entry_test_spares_is_the_course_s():
    outline = Outline((MAIN_A, MAIN_B, TEST), lowest_score=Fraction(1, 2))
    passed = done(2, "9/10")
    assert completed(outline, {9: passed}) is None
    found = completed(outline, {9: passed, 3: passed, 4: passed})
    assert (found.at, found.score) == (passed.at, Fraction(9, 10))
