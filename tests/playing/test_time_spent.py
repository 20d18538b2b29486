"""How long people learn is kept for every attempt, from what players tell. Rule: 16."""

from datetime import date

import pytest

from stepladder import clock
from stepladder.learning.models import Attempt, Stretch
from stepladder.learning.time_spent import add_launch_time, add_time, seconds_by_day
from tests import factories as f
from tests.playing.packages import a_package, commit, launch, place
from tests.playing.test_playing import opened, report


def lengths():
    return [(s.ended_at - s.began_at).total_seconds() for s in Stretch.objects.order_by("began_at")]


def test_what_is_played_in_a_row_is_one_stretch_of_what_was_lived(jun, client, on):
    *_, attempt = opened(jun, client, kind="video", data={"seconds": 3600.0})
    on("2026-05-14", hour=13)
    report(client, attempt, played=[[0, 20]], at=20, seconds=10.0, name="a")
    report(client, attempt, played=[[0, 20]], at=20, seconds=10.0, name="a")
    report(client, attempt, played=[[20, 30]], at=30, seconds=5.0, name="b")
    assert lengths() == [15]
    # Kept without a line, and told an hour later than it was.
    on("2026-05-14", hour=14)
    report(client, attempt, played=[[30, 50]], at=50, seconds=20, ago=1800, name="c")
    assert lengths() == [15, 20]
    newest = Stretch.objects.latest("ended_at")
    assert (clock.now() - newest.ended_at).total_seconds() == 1800


def test_nobody_spends_time_before_the_attempt_began(jun, client, on):
    *_, attempt = opened(jun, client, kind="video")
    report(client, attempt, played=[[0, 5]], at=5, seconds=500, ago=999_999)
    assert lengths() == []


def test_a_package_takes_what_it_reports_and_no_more_than_passed(jun, client, tmp_path, on):
    module = a_package(tmp_path)
    enrolment = place(jun, [module])
    on("2026-05-14", hour=13)
    content, path = launch(client, enrolment, module)
    content.get(path)
    commit(content, path, 1, {"cmi.core.session_time": "00:00:10"})
    on("2026-05-14", hour=14)
    commit(content, path, 2, {"cmi.core.session_time": "00:20:00"})
    assert lengths() == [1200]
    commit(content, path, 3, {"cmi.core.session_time": "09:00:00"})
    assert lengths() == [3660]


@pytest.mark.usefixtures("organisation")
def test_a_package_without_time_of_its_own_takes_what_was_not_idle(on, jun, client, tmp_path):
    module = a_package(tmp_path)
    enrolment = place(jun, [module])
    launch(client, enrolment, module)
    attempt = Attempt.objects.get()
    for hour in (13, 14):
        on("2026-05-14", hour=hour)
        add_launch_time(attempt=attempt, source="a:1", reported=None)
    assert lengths() == [300]


def test_by_day_no_moment_counts_twice(jun, client, on):
    on("2026-05-14", hour=9)
    _, _, one = opened(jun, client, kind="video")
    two = Attempt.objects.create(
        enrolment=one.enrolment,
        module=f.a_module("Other"),
        version=one.version,
        begun_at=clock.now(),
        last_at=clock.now(),
    )
    on("2026-05-14", hour=10)
    add_time(attempt=one, seconds=600)
    add_time(attempt=two, seconds=300)
    on("2026-05-15", hour=10)
    add_time(attempt=two, seconds=60)
    assert seconds_by_day([one, two]) == {(one.pk, date(2026, 5, 14)): 600, (two.pk, date(2026, 5, 15)): 60}
