"""Who decides on a request, and when the next are asked. Rules: 12, 20."""

from __future__ import annotations

from datetime import date, timedelta

import pytest

from stepladder.core.admission import ask_again_from, asked_circles, circles, next_circle_on

ASKED = date(2027, 3, 1)
DIRECT, INDIRECT, PART, ALL = {1, 2}, {2, 3}, {4}, {4, 5}


def test_circles_bring_those_who_were_not_asked_before() -> None:
    assert circles([DIRECT, INDIRECT, PART, ALL], own=9) == [{1, 2}, {3}, {4}, {5}]
    assert circles([set(), INDIRECT, set(), ALL], own=9) == [{2, 3}, {4, 5}]


def test_nobody_decides_on_their_own_request_unless_nobody_else_could() -> None:
    assert circles([{1}, set(), set(), {1, 5}], own=1) == [{5}]
    assert circles([set(), set(), set(), {1}], own=1) == [{1}]
    assert circles([set(), set(), set(), set()], own=1) == []


@pytest.mark.parametrize(
    ("days", "asked"), [(0, 1), (6, 1), (7, 2), (13, 2), (14, 3), (400, 4)], ids=lambda value: str(value)
)
def test_on_each_seventh_day_the_next_circle_is_asked_as_well(days: int, asked: int) -> None:
    today = ASKED + timedelta(days=days)
    assert asked_circles(ASKED, today, of=4) == asked
    following = next_circle_on(ASKED, today, of=4)
    assert following == (ASKED + timedelta(days=7 * asked) if asked < 4 else None)


def test_asking_again_is_possible_from_the_thirtieth_day() -> None:
    assert ask_again_from(date(2027, 3, 1)) == date(2027, 3, 31)
