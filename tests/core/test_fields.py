"""Days, numbers, choices and text as people write them."""

from datetime import date

import pytest

from stepladder.core.fields import LONGEST_NUMBER, ValueUnread, read_day, read_value


@pytest.mark.parametrize(
    ("text", "day_first", "expected"),
    [
        ("2027-04-01", True, "2027-04-01"),
        ("2027-4-1", False, "2027-04-01"),
        ("01.04.2027", True, "2027-04-01"),
        ("01 04 2027", True, "2027-04-01"),
        ("01/04/2027", False, "2027-01-04"),
        ("1/4/27", True, "2027-04-01"),
        # Two digits of a year are of this century up to 69.
        ("1/4/69", True, "2069-04-01"),
        ("1/4/70", True, "1970-04-01"),
        ("1 Apr 2027", True, "2027-04-01"),
        ("1 April 2027", True, "2027-04-01"),
        ("1-Apr-2027", True, "2027-04-01"),
        ("Apr 1, 2027", True, "2027-04-01"),
        ("April 1, 2027", True, "2027-04-01"),
        ("2027-04-01 00:00:00", True, "2027-04-01"),
        ("2027-04-01T00:00:00.000", True, "2027-04-01"),
    ],
)
def test_days_are_read_however_they_are_written(text, day_first, expected):
    assert read_day(text, day_first=day_first) == date.fromisoformat(expected)


def test_a_day_of_two_small_numbers_begins_with_the_day_unless_said_otherwise():
    assert read_day("01/04/2027") == date(2027, 4, 1)
    assert read_value("day", "01/04/2027") == "2027-04-01"
    assert read_value("day", "01/04/2027", day_first=False) == "2027-01-04"


@pytest.mark.parametrize(
    "text",
    [
        "31/02/2027",
        "2027-13-01",
        "soon",
        "1/4/9999",
        "0001-01-01",
        "99",
        "1/4/127",
        "1 Apr 1899",
        "2027-04-01 08:00",
        "",
    ],
)
def test_a_day_that_is_none_is_refused(text):
    with pytest.raises(ValueUnread, match=r"is no day of the calendar\. Write it like 2027-04-01"):
        read_day(text)


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
