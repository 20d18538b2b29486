"""Numbers as text: exact, and measured before they are read."""

from fractions import Fraction

import pytest

from stepladder.core.numbers import exact_number, whole_number


@pytest.mark.parametrize(
    ("text", "number"),
    [("0", 0), ("0042", 42), ("9" * 18, 10**18 - 1), ("9" * 19, None), ("²", None), ("-1", None), ("", None)],
)
def test_whole_numbers(text, number):
    assert whole_number(text) == number


@pytest.mark.parametrize(
    ("text", "number"),
    [
        ("0.85", Fraction(17, 20)),
        (" 85 ", Fraction(85)),
        (85, Fraction(85)),
        (0.5, Fraction(1, 2)),
        ("-.5", Fraction(-1, 2)),
        ("8.5e1", Fraction(85)),
        ("1e5000000", None),
        ("9" * 5000, None),
        ("1/3", None),
        ("nan", None),
        (True, None),
        (None, None),
    ],
)
def test_exact_numbers(text, number):
    assert exact_number(text) == number
