"""Releases on a day to come."""

import pytest
from django.urls import reverse

from stepladder.courses import actions
from stepladder.courses.errors import CannotRelease, CourseError
from stepladder.courses.models import Edition
from stepladder.courses.planned import plan_release, planned_of, release_planned
from stepladder.journal.models import Entry
from tests import factories as f
from tests.reading import page_text

pytestmark = pytest.mark.django_db


@pytest.fixture
def draft(organisation, media, on):
    on("2027-03-01")
    course = f.a_course("Fire")
    actions.new_edition(course=course, by=f.BY)
    return course


def plan(course, day="2027-03-15"):
    return plan_release(
        course=course, on=f.d(day), size="small", retake_by=None, note="", by=f.an_account("administrator")
    )


def states(course):
    return list(course.editions.order_by("number").values_list("state", flat=True))


def test_a_draft_goes_out_on_its_day_as_it_is_then(draft, client, on):
    client.force_login(f.an_account("administrator"))
    release = reverse("courses:release", args=[draft.public_id])
    sheet = reverse("courses:course", args=[draft.public_id])
    assert "Choose a day to come" in page_text(client.post(release, {"size": "small", "on": "2027-02-01", "once": "a"}))
    client.post(release, {"size": "small", "on": "2027-03-15", "once": "b"})
    assert "It is released on 15 Mar 2027" in page_text(client.get(sheet))
    on("2027-03-14")
    release_planned.func()
    assert states(draft) == ["released", "draft"]
    on("2027-03-16")
    release_planned.func()
    assert states(draft) == ["superseded", "released"]
    assert planned_of(draft.editions.get(state="released")) is None


def test_what_stands_against_it_on_the_day_is_told_on_its_sheet(draft, client, on):
    plan(draft)
    Edition.objects.filter(course=draft, state="draft").update(summary="")
    on("2027-03-15")
    release_planned.func()
    release_planned.func()
    assert states(draft) == ["released", "draft"]
    assert Entry.objects.filter(verb="release_waits").count() == 1
    client.force_login(f.an_account("administrator"))
    sheet = reverse("courses:course", args=[draft.public_id])
    assert "It was not released on 15 Mar 2027:" in page_text(client.get(sheet))
    client.post(reverse("courses:drop_plan", args=[draft.public_id]))
    assert "It was not released" not in page_text(client.get(sheet))


def test_what_it_lacks_today_is_said_today(draft):
    with pytest.raises(CourseError, match="lies before the release"):
        plan_release(course=draft, on=f.d("2027-03-15"), size="large", retake_by=f.d("2027-03-10"), note="", by=f.BY)
    Edition.objects.filter(course=draft, state="draft").update(summary="")
    with pytest.raises(CannotRelease):
        plan(draft)
