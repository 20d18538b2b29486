from datetime import UTC, date, datetime, time
from itertools import pairwise
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given
from hypothesis import strategies as st

from stepladder.core.days import (
    FOREVER,
    AmbiguousDay,
    Calendar,
    DayError,
    Period,
    Span,
    add,
    covered_days,
    day_of,
    join_spans,
    plausible,
    read_day,
    resolve_day,
    wall_instant,
    within,
)

LONDON = ZoneInfo("Europe/London")


def d(text: str) -> date:
    return date.fromisoformat(text)


@pytest.mark.parametrize(
    ("anchor", "period", "expected"),
    [
        ("2027-01-31", "1 month", "2027-02-28"),
        ("2028-02-29", "12 months", "2029-02-28"),
        ("2027-01-31", "2 months", "2027-03-31"),
        ("2027-03-01", "14 days", "2027-03-15"),
        ("2027-03-01", "2 weeks", "2027-03-15"),
        ("2028-02-29", "4 years", "2032-02-29"),
    ],
)
def test_a_period_keeps_the_day_of_the_month_where_it_can(anchor, period, expected):
    assert add(d(anchor), period) == d(expected)


def test_a_period_that_cannot_be_read_says_how_to_write_one():
    with pytest.raises(DayError, match=r"“soon” is not a period\. Write it like “24 months”"):
        Period.parse("soon")


def test_a_period_reads_as_one_would_say_it_and_none_counts_as_nothing():
    said = [str(Period.parse(text)) for text in ("24 months", "1 month", "1 day", "2 weeks", "0 days")]
    assert said == ["24 months", "1 month", "1 day", "14 days", "0 days"]
    assert str(Period(1) + Period(12, 30)) == "13 months 30 days"
    assert [bool(period) for period in (Period(), Period(1), Period(days=1))] == [False, True, True]


def test_within_includes_both_ends():
    of = d("2027-03-10")
    assert within(d("2027-03-05"), 5, of)
    assert within(d("2027-03-15"), 5, of)
    assert not within(d("2027-03-16"), 5, of)


APRIL = Calendar(first_month=4)


@pytest.mark.parametrize(
    ("expression", "expected"),
    [
        ("end of last quarter", "2026-03-31"),
        ("start of this year", "2026-04-01"),
        ("start of next year", "2027-04-01"),
        ("today", "2026-05-14"),
        ("today-30d", "2026-04-14"),
        ("today + 7d", "2026-05-21"),
        ("start of this week", "2026-05-11"),
        ("end of next month", "2026-06-30"),
        ("2026-02-28", "2026-02-28"),
        ("tomorrow", "2026-05-15"),
        ("in 9 days", "2026-05-23"),
        ("1 day ago", "2026-05-13"),
        # What any list shows.
        ("15 Dec 2026", "2026-12-15"),
        ("Tue 15 Dec 2026", "2026-12-15"),
        ("23 Nov", "2026-11-23"),
    ],
)
def test_relative_days_with_a_year_from_april(expression, expected):
    assert resolve_day(expression, today=d("2026-05-14"), calendar=APRIL) == d(expected)


def test_the_week_starts_on_the_organisations_first_weekday():
    sunday = Calendar(first_weekday=6)
    assert resolve_day("start of this week", today=d("2026-05-14"), calendar=sunday) == d("2026-05-10")


@pytest.mark.parametrize(
    ("text", "order", "expected"),
    [
        ("2027-04-01", "", "2027-04-01"),
        ("2027-4-1", "month", "2027-04-01"),
        ("01.04.2027", "", "2027-04-01"),
        ("01 04 2027", "", "2027-04-01"),
        ("01/04/2027", "day", "2027-04-01"),
        ("01/04/2027", "month", "2027-01-04"),
        # Only one of the two can be a month.
        ("25/12/2027", "", "2027-12-25"),
        ("25/12/2027", "month", "2027-12-25"),
        ("12/25/2027", "day", "2027-12-25"),
        ("4/4/2027", "", "2027-04-04"),
        # Two digits of a year are of this century up to 69.
        ("1/4/69", "day", "2069-04-01"),
        ("1-Apr-70", "", "1970-04-01"),
        ("1 Apr 2027", "", "2027-04-01"),
        ("1st April 2027", "", "2027-04-01"),
        ("Apr 1, 2027", "", "2027-04-01"),
        ("Thursday, 1 Sept 2022", "", "2022-09-01"),
        ("2027-04-01 00:00:00", "", "2027-04-01"),
        ("2027-04-01T00:00:00.000", "", "2027-04-01"),
    ],
)
def test_days_are_read_however_they_are_written(text, order, expected):
    assert read_day(text, order=order) == d(expected)


def test_figures_that_are_two_days_are_asked_about():
    with pytest.raises(
        AmbiguousDay, match=r"“12/07/2026” is 12 Jul 2026 or 7 Dec 2026\. Write the one that is meant"
    ) as asked:
        read_day("12/07/2026")
    assert asked.value.readings == (d("2026-07-12"), d("2026-12-07"))
    with pytest.raises(AmbiguousDay):
        resolve_day("12-07-26", today=d("2026-05-14"), calendar=Calendar())
    assert resolve_day("12/07/2026", today=d("2026-05-14"), calendar=Calendar(order="month")) == d("2026-12-07")


@pytest.mark.parametrize(
    "text",
    ["31/02/2027", "2027-13-01", "13/13/2027", "soon", "99", "1/4/127", "1 Mai 2027", "23 Nov", "2027-04-01 08:00", ""],
)
def test_a_day_that_is_none_is_refused(text):
    with pytest.raises(DayError, match=r"is no day of the calendar\. Write it like 1 Apr 2027"):
        read_day(text)


def test_a_weekday_that_is_another_is_said():
    with pytest.raises(DayError, match="15 Dec 2026 is a Tuesday"):
        read_day("Mon 15 Dec 2026")


@given(st.dates(min_value=date(1900, 1, 1), max_value=date(2999, 12, 31)))
def test_every_day_is_read_as_it_is_shown(day):
    for text in (f"{day.day} {day:%b %Y}", f"{day:%a} {day.day} {day:%b %Y}", day.isoformat(), f"{day:%d.%m.%Y}"):
        assert read_day(text) == day


def test_a_day_that_cannot_be_read_says_what_can():
    with pytest.raises(DayError, match=r"“31/02” is not a day\. Write a date like 1 Apr 2027"):
        resolve_day("31/02", today=d("2026-05-14"), calendar=APRIL)


@pytest.mark.parametrize("text", ["0206-04-01", "9999-12-31", "today+999999d", "today-99999999999999d"])
def test_a_day_too_far_away_is_a_slip_of_the_pen(text):
    with pytest.raises(DayError, match="Choose a day between 1900 and 2999"):
        resolve_day(text, today=d("2026-05-14"), calendar=APRIL)


def test_the_first_and_the_last_day_that_people_can_mean():
    assert [plausible(day) for day in (d("1900-01-01"), d("2999-12-31"))] == [d("1900-01-01"), d("2999-12-31")]
    for day in (d("1899-12-31"), d("3000-01-01")):
        with pytest.raises(DayError, match="between 1900 and 2999"):
            plausible(day)


def test_an_instants_day_is_its_date_in_the_organisations_zone():
    assert day_of(datetime(2026, 7, 1, 23, 30, tzinfo=UTC), LONDON) == d("2026-07-02")


def test_a_skipped_wall_time_is_refused_and_a_doubled_one_means_the_first():
    with pytest.raises(DayError, match="01:30 does not exist on 28 Mar 2027"):
        wall_instant(d("2027-03-28"), time(1, 30), LONDON)
    assert wall_instant(d("2027-10-31"), time(1, 30), LONDON) == datetime(2027, 10, 31, 0, 30, tzinfo=UTC)


days = st.dates(min_value=date(2000, 1, 1), max_value=date(2060, 1, 1))
spans = st.builds(lambda a, n: Span(a, date.fromordinal(a.toordinal() + n)), days, st.integers(0, 400))


@given(st.lists(spans), days)
def test_joining_spans_changes_no_day(some, day):
    joined = join_spans(some)
    assert any(day in s for s in some) == any(day in s for s in joined)
    assert all((b.first - a.last).days > 1 for a, b in pairwise(joined))


def test_spans_that_touch_become_one_and_a_day_between_parts_them():
    first, touching, apart = Span(d("2026-01-01"), d("2026-01-31")), Span(d("2026-02-01")), Span(d("2026-02-02"))
    assert join_spans([touching, first]) == [Span(d("2026-01-01"))]
    assert join_spans([apart, first]) == [first, apart]


def test_covered_days_count_once_and_an_open_span_has_no_number():
    between = Span(d("2027-03-01"), d("2027-03-31"))
    leave = [Span(d("2027-02-20"), d("2027-03-05")), Span(d("2027-03-04"), d("2027-03-06"))]
    assert covered_days(leave, between) == 6
    assert covered_days([Span(d("2027-03-30"), FOREVER)], between) is None
    assert covered_days([Span(d("2027-04-01"), FOREVER)], between) == 0
