"""Levels held by credits. Rule: 10."""

from __future__ import annotations

from datetime import date

from stepladder.core.days import FOREVER, Span
from stepladder.core.skills import LevelNeeds, credits_along, days_held, held_until


def d(text: str) -> date:
    return date.fromisoformat(text)


START = d("2027-01-01")


def test_a_level_holds_as_long_as_its_credits_reach() -> None:
    level = LevelNeeds(3, ((1, 2), (2, 1), (3, 1)))
    earned = {1: [Span(START, d("2027-06-30"))], 2: [Span(START, d("2027-09-30"))], 3: [Span(START, d("2027-12-31"))]}
    assert held_until([level], earned, d("2027-03-01")) == d("2027-06-30")
    assert held_until([level], earned, d("2027-07-01")) is None
    # Renewed, it goes on.
    earned[1] = [Span(START, d("2027-06-30")), Span(d("2027-07-01"), d("2028-06-30"))]
    assert held_until([level], earned, d("2027-03-01")) == d("2027-12-31")


def test_all_lower_levels_are_held_and_credits_are_not_carried_up() -> None:
    low, high = LevelNeeds(2, ((1, 1), (2, 1))), LevelNeeds(2, ((3, 2),))
    without = {1: [Span(START, FOREVER)], 3: [Span(START, FOREVER)]}
    assert days_held([low, high], without) == []
    both = without | {2: [Span(d("2027-02-01"), d("2027-03-31"))]}
    assert days_held([low, high], both) == [Span(d("2027-02-01"), d("2027-03-31"))]
    # A course counts once, however often it was taken, and what is above the need is of no use further up.
    twice = {1: [Span(START, FOREVER), Span(d("2027-02-01"), FOREVER)]}
    assert days_held([low], twice) == []
    assert days_held([], {}) == []


def test_a_path_gives_from_the_fewest_to_the_most_that_one_may_choose() -> None:
    assert credits_along(9, [2, 1], []) == (3, 3)
    assert credits_along(9, [2], [([3, 0, 1], 1), ([1, 1], 1)]) == (3, 6)
    assert credits_along(9, [], [([3, 0, 1], 2)]) == (1, 4)
    # Never more than the level needs.
    assert credits_along(3, [2], [([3, 0], 1)]) == (2, 3)
