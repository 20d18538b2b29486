"""Days, numbers, choices and text as people write them."""

import pytest

from stepladder.core.fields import LONGEST_NUMBER, ValueUnread, read_value


@pytest.mark.parametrize(
    ("kind", "text", "expected"),
    [
        ("number", "1 200,50", "1200.5"),
        ("number", "1\u00a0200", "1200"),
        ("number", "007", "7"),
        ("number", "100", "100"),
        ("number", "-0.50", "-0.5"),
        ("number", "-0.0", "0"),
        # Each digit, also where there are more than decimals are derived with.
        ("number", "9" * 30, "9" * 30),
        ("number", "1e30", "1" + 30 * "0"),
        ("choice", " b ", "B"),
        ("day", "1.4.27", "2027-04-01"),
        ("text", "  crew boat ", "crew boat"),
        ("text", "x" * 200, "x" * 200),
        ("text", "  ", ""),
        ("number", "", ""),
    ],
)
def test_values_are_kept_as_they_are_compared(kind, text, expected):
    assert read_value(kind, text, choices=("A", "B")) == expected


@pytest.mark.parametrize(
    ("kind", "text", "says"),
    [
        ("number", "many", "no number"),
        ("number", "NaN", "no number"),
        ("number", "-Infinity", "no number"),
        ("number", "9" * 31, "at most 30 signs"),
        ("number", "1e31", "too many digits"),
        ("number", "1e-31", "too many digits"),
        ("number", "1e5000000", "too many digits"),
        ("choice", "C", "none of A, B"),
        ("day", "never", "no day of the calendar"),
        ("text", "x" * 201, "longer than 200 signs"),
    ],
)
def test_values_that_do_not_fit_their_kind_are_refused(kind, text, says):
    assert LONGEST_NUMBER == 30
    with pytest.raises(ValueUnread, match=says):
        read_value(kind, text, choices=("A", "B"))
