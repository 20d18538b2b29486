"""By which day a session is needed, read alike by the waiting list, lists and Up next. Rules: 4, 5, 9."""

import pytest
from django.urls import reverse

from stepladder.assignments.actions import keep_true
from stepladder.learning.actions import record_completion
from stepladder.timetable import actions
from stepladder.timetable.needs import needed_by_of
from stepladder.timetable.queries.flags import Seat, booked_flag
from tests import factories as f


@pytest.mark.parametrize(
    ("needed", "flag"),
    [("2026-02-10", "booked"), ("2026-02-11", "booked"), ("2026-02-09", "booked late"), (None, "booked")],
)
def test_booked_late_is_after_the_day_it_is_needed_by(needed, flag):
    seat = Seat(session=None, starts_at=None, ends_on=f.d("2026-02-10"))
    assert booked_flag(seat, f.d(needed) if needed else None) == flag
    assert booked_flag(None, f.d("2026-02-10")) == ""


@pytest.mark.parametrize(
    ("taken", "needed", "flag"),
    [
        # Ran out on 2025-12-01, before the opening: the due day stands.
        ("2024-12-01", "2026-03-31", "booked"),
        # Ran out on 2026-01-05, after it: the last day of grace.
        ("2025-01-05", "2026-02-04", "booked late"),
    ],
)
def test_what_ran_out_before_the_opening_excuses_nothing_and_hurries_nobody(
    organisation, media, client, on, taken, needed, flag
):
    on("2026-01-02")
    jun = f.a_person("Jun Pellam")
    module = f.a_module("The drill", kind="session")
    course = f.a_course("Fire on board", [module], months=12, grace=30)
    record_completion(person=jun, course=course, edition=course.editions.get(), day=f.d(taken), by=f.BY)
    f.an_assignment(course, due_trigger="", due_day=f.d("2026-03-31"))
    session = f.a_session("2026-02-10", module=module)
    actions.book_seat(session=session, person=jun, by=f.BY)
    on("2026-01-10")
    keep_true()
    assert needed_by_of(module) == {jun.pk: f.d(needed)}
    client.force_login(f.an_account("administrator"))
    page = client.get(reverse("records:standing"), {"course": course.public_id}).content.decode()
    assert ("booked late" in page) == (flag == "booked late")
    assert "booked" in page
    client.force_login(f.an_account("learner", person=jun))
    page = client.get(reverse("desk:up_next")).content.decode()
    assert ("Booked late" in page) == (flag == "booked late")
