"""How long somebody learned. Rule: 16."""

from datetime import UTC, date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest

from stepladder.core.time_spent import TimeSpan, added, by_day, idle_between, laid_back, without_overlaps

LONDON = ZoneInfo("Europe/London")


def at(text):
    return datetime.fromisoformat(f"2026-05-14T{text}").replace(tzinfo=UTC)


def test_reports_in_a_row_are_one_stretch_of_what_was_lived():
    first = added(None, end=at("10:00:05"), seconds=5)
    assert (first.start, first.end) == (at("10:00:00"), at("10:00:05"))
    # The line was slow: the report came a second later than what it tells of.
    second = added(first, end=at("10:00:11"), seconds=5)
    assert (second.start, second.end, second.seconds) == (at("10:00:00"), at("10:00:10"), 10)
    third = added(second, end=at("10:02:00"), seconds=5)
    assert third.start == at("10:01:55")


@pytest.mark.parametrize(
    ("reported", "idle", "start"),
    [
        (600, 0, "10:20:00"),
        # Never more than the time between the first and the last commit, and a minute.
        (7200, 0, "09:59:00"),
        (None, 0, "10:00:00"),
        (None, 600, "10:10:00"),
        (0, 0, "10:30:00"),
    ],
)
def test_a_package_is_laid_back_from_its_last_commit(reported, idle, start):
    span = laid_back(first=at("10:00:00"), last=at("10:30:00"), reported=reported, idle=timedelta(seconds=idle))
    assert (span.start, span.end) == (at(start), at("10:30:00"))


def test_of_a_long_silence_five_minutes_count():
    assert idle_between(at("10:00:00"), at("10:04:59")) == timedelta(0)
    assert idle_between(at("10:00:00"), at("10:12:00")) == timedelta(minutes=7)


def test_of_two_at_once_the_one_begun_first_counts():
    spans = [TimeSpan(at("10:05:00"), at("10:20:00"), 2), TimeSpan(at("10:00:00"), at("10:10:00"), 1)]
    spans.append(TimeSpan(at("10:02:00"), at("10:04:00"), 3))
    assert without_overlaps(spans) == [
        TimeSpan(at("10:00:00"), at("10:10:00"), 1),
        TimeSpan(at("10:10:00"), at("10:20:00"), 2),
    ]


def test_time_is_divided_at_the_organisations_midnight():
    # Half past eleven to half past midnight in London's summer.
    span = TimeSpan(at("22:30:00"), at("23:30:00"), 7)
    assert by_day([span], LONDON) == {(7, date(2026, 5, 14)): 1800.0, (7, date(2026, 5, 15)): 1800.0}
