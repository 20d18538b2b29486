"""Quizzes: what is drawn, what it comes to, time, which attempt counts, what the answers of many tell. Rule: 7."""

from datetime import UTC, datetime, timedelta
from fractions import Fraction
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.quizzes import (
    GRACE,
    Allowance,
    BadPlan,
    Conditions,
    Counts,
    Earned,
    Pick,
    Plan,
    PlanSection,
    Verdict,
    alpha,
    analyse,
    counting,
    draw,
    ends_at,
    has_passed,
    is_over,
    kappa,
    kept,
    next_attempt,
    read_plan,
    score_of,
    shortages,
    verdict,
)

NOON = datetime(2026, 3, 2, 12, tzinfo=UTC)


def a_plan(*sections, **conditions):
    return Plan(tuple(PlanSection(picks=tuple(picks)) for picks in sections), Conditions(**conditions))


def a_draw(count, points=1):
    return Pick(points, bank="b", count=count)


def test_a_plan_that_is_kept_is_read_again():
    plan = a_plan([a_draw(3, 2), Pick(question="q")], [a_draw(1)], minutes=20, counts=Counts.LAST, pass_mark=None)
    assert read_plan(kept(plan)) == plan
    assert (plan.count, plan.points) == (5, 8)


@pytest.mark.parametrize(
    ("raw", "words"),
    [
        ([], "has sections"),
        ({"sections": []}, "between 1 and 30 sections"),
        ({"sections": [{"picks": [{"question": "q", "bank": "b"}]}]}, "a question, or a bank"),
        ({"sections": [{"picks": [{"bank": "b", "count": 0}]}]}, "from 1 to 200"),
        ({"sections": [{"picks": [{"bank": "b", "count": 150}, {"bank": "b", "count": 60}]}]}, "at most 200 questions"),
        ({"sections": [{}], "conditions": {"pass_mark": "120"}}, "between 0 and 100"),
        ({"sections": [{}], "conditions": {"counts": "worst"}}, "one of the answers"),
        ({"sections": [{}], "conditions": {"minutes": True}}, "The time is a whole number"),
    ],
)
def test_what_is_no_plan_is_refused_in_words(raw, words):
    with pytest.raises(BadPlan, match=words):
        read_plan(raw)


def test_an_early_draw_leaves_a_narrow_one_what_it_needs():
    """The wide draw may be of 1, 2, 3, the narrow one of 3 alone: whatever is drawn, 3 is the narrow one's."""
    plan = a_plan([a_draw(2), a_draw(1)], is_mixed=False)
    for seed in range(30):
        found = draw(plan, {(0, 0): [1, 2, 3], (0, 1): [3]}, Random(seed))
        assert (sorted(one.question for one in found[:2]), found[2].question) == ([1, 2], 3)


def test_a_bank_too_small_is_told_by_how_many_there_are():
    plan = a_plan([a_draw(3)], [a_draw(2)])
    (short,) = shortages(plan, {(0, 0): [1, 2, 3], (1, 0): [4]})
    assert (short.section, short.place, short.found) == (1, 0, 1)
    # Enough for each, not for both.
    assert sum(one.pick.count - one.found for one in shortages(plan, {(0, 0): [1, 2, 3, 4], (1, 0): [3, 4]})) == 1
    with pytest.raises(ValueError, match="too few"):
        draw(plan, {(0, 0): [1, 2, 3], (1, 0): [4]}, Random(1))


@given(
    st.lists(st.tuples(st.integers(1, 4), st.sets(st.integers(0, 12), max_size=9)), min_size=1, max_size=4),
    st.integers(),
)
def test_what_is_drawn_is_each_once_and_of_its_pool_or_short(draws, seed):
    plan = a_plan(*([a_draw(count)] for count, _ in draws))
    pools = {(at, 0): sorted(pool) for at, (_, pool) in enumerate(draws)}
    if shortages(plan, pools):
        return
    found = draw(plan, pools, Random(seed))
    assert len({one.question for one in found}) == len(found) == plan.count
    assert all(one.question in pools[(one.section, 0)] for one in found)


def test_the_score_is_that_of_points_or_of_weighted_sections():
    rows = [Earned(0, 2, Fraction(1)), Earned(0, 1, Fraction(0)), Earned(1, 1, Fraction(1, 2))]
    plain = a_plan([a_draw(2)], [a_draw(1)])
    assert score_of(plain, rows) == Fraction(5, 8)
    weighted = Plan((PlanSection(weight=3), PlanSection()))
    assert score_of(weighted, rows) == (3 * Fraction(2, 3) + Fraction(1, 2)) / 4
    assert score_of(plain, [*rows, Earned(1, 1, None)]) is None
    assert score_of(plain, []) is None


def test_scores_are_compared_unrounded():
    two_thirds = a_plan([a_draw(1)], pass_mark=Fraction(200, 3))
    assert has_passed(Fraction(2, 3), two_thirds)
    assert not has_passed(Fraction(2, 3) - Fraction(1, 10**9), two_thirds)
    assert has_passed(Fraction(0), a_plan([a_draw(1)], pass_mark=None))


def test_which_attempt_counts_of_several_alike_the_earlier():
    scores = [Fraction(1, 2), Fraction(9, 10), Fraction(9, 10), Fraction(1, 5)]
    assert [counting(scores, which) for which in (Counts.BEST, Counts.LAST, Counts.FIRST)] == [1, 3, 0]


def test_time_and_attempts_with_what_somebody_is_allowed():
    conditions = Conditions(minutes=20, attempts=2, pause_hours=24)
    more = Allowance(extra_time=25, extra_attempts=1)
    assert ends_at(NOON, conditions, more) == NOON + timedelta(minutes=25)
    assert ends_at(NOON, Conditions(), more) is None
    assert not is_over(NOON, NOON + GRACE)
    assert is_over(NOON, NOON + GRACE + timedelta(microseconds=1))
    after = next_attempt(conditions, more, 2, NOON)
    assert (after.left, after.may_begin(NOON), after.may_begin(NOON + timedelta(days=1))) == (1, False, True)
    assert not next_attempt(conditions, Allowance(), 2, NOON).may_begin(NOON + timedelta(days=9))
    assert next_attempt(Conditions(), Allowance(), 7, NOON).may_begin(NOON)


def marks(*rows):
    return [{key: Fraction(int(mark)) for key, mark in enumerate(row)} for row in rows]


def test_item_analysis_of_the_rule():
    attempts = marks("111", "110", "100", "000")
    items = analyse(attempts)
    assert [item.facility for item in items] == [Fraction(3, 4), Fraction(1, 2), Fraction(1, 4)]
    assert [round(item.discrimination, 3) for item in items] == [0.522, 0.707, 0.522]
    assert round(alpha(attempts), 6) == 0.75
    assert all(item.is_provisional for item in items)


def test_without_variance_there_is_no_figure_and_of_different_questions_no_alpha():
    assert [item.discrimination for item in analyse(marks("11", "11"))] == [None, None]
    assert alpha(marks("11", "11")) is None
    assert alpha([{1: Fraction(1), 2: Fraction(0)}, {1: Fraction(0), 3: Fraction(1)}]) is None


def test_what_is_worth_a_look():
    # Who does well otherwise gets the third wrong, who does badly gets it right.
    misleading = analyse(marks("1110", "1110", "1100", "0011", "0011", "0001"))[3]
    assert verdict(misleading) == Verdict.MISLEADS
    assert verdict(analyse(marks("111", "101", "110"))[0]) == Verdict.EASY
    assert [verdict(item) for item in analyse(marks("111", "110", "100", "000"))] == [None, None, Verdict.HARD]


def test_agreement_weighs_a_difference_as_its_square():
    assert kappa([(0, 0), (1, 1), (2, 2)]) == 1
    # As by chance: what one gives tells nothing of what the other gives.
    assert kappa([(0, 0), (0, 1), (1, 0), (1, 1)]) == 0
    assert kappa([(0, 0), (3, 2), (3, 3)]) > kappa([(0, 0), (3, 0), (3, 3)])
    assert kappa([]) is None
    assert kappa([(2, 2), (2, 2)]) is None
