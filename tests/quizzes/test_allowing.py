"""More time and attempts for somebody: said with a reason, seen on their sheet, ended, taken back."""

from datetime import timedelta

import pytest
from django.urls import reverse

from stepladder import clock
from stepladder.courses.models import Course
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.quizzes.actions.allowing import allow, end_allowed
from stepladder.quizzes.models import Allowed
from stepladder.quizzes.reports import allowed_in_courses
from tests import factories as f
from tests.quizzes.asked import a_released

pytestmark = pytest.mark.django_db


def test_what_somebody_is_allowed_is_said_seen_ended_and_taken_back(client):
    person, by = f.a_person("Jun Pellam"), f.an_account("administrator")
    module = a_released().module
    client.force_login(by)
    address, sheet = f"/people/{person.public_id}/quizzes/", f"/people/{person.public_id}/"
    assert "more time" not in client.get(sheet).content.decode()
    wrong = client.post(address, {"extra_time": "0", "because": "Reads slowly"})
    assert (wrong.status_code, "Say how much more time" in wrong.content.decode()) == (422, True)
    said = {"extra_time": "25", "extra_attempts": "1", "quiz": module.public_id, "because": "Reads slowly"}
    assert client.post(address, said)["Location"] == sheet
    page = " ".join(client.get(sheet).content.decode().split())
    assert "25 % more time, 1 more attempt in “Galley hygiene”" in page
    assert "Reads slowly" in page
    # Said anew, it takes the place of what was said before.
    client.post(address, {**said, "extra_time": "50"})
    assert list(Allowed.objects.filter(ended_at=None).values_list("extra_time", flat=True)) == [50]
    client.post(address, {"end": str(Allowed.objects.get(ended_at=None).pk)})
    assert not Allowed.objects.filter(ended_at=None).exists()
    undoing.take_back(Entry.objects.latest("number"), by=by)
    assert Allowed.objects.get(ended_at=None).extra_time == 50
    assert client.post(address, {"end": "9" * 30}).status_code == 404


def test_lists_and_their_files_tell_who_was_allowed_more_on_that_day(client, django_assert_max_num_queries):
    version = a_released()
    jun, other = f.a_person("Jun Pellam"), f.a_person("Cleo Ambley")
    f.an_assignment(f.a_course("Galley", [version.module]))
    f.an_assignment(f.a_course("Without a quiz"))
    by = f.an_account("administrator", name="A")
    allow(person=jun, module=version.module, extra_time=25, extra_attempts=1, because="Reads slowly", by=by)
    allow(person=jun, module=None, extra_time=10, extra_attempts=0, because="Tired", by=by)
    today = clock.today()
    pairs = [(person.pk, course.pk) for person in (jun, other) for course in Course.objects.order_by("title")]
    with django_assert_max_num_queries(2):
        told = allowed_in_courses(pairs * 50, today)
    assert told[:4] == ["25 % more time, 1 more attempt", "", "", ""]
    assert allowed_in_courses(pairs, today - timedelta(days=1)) == ["", "", "", ""]
    client.force_login(by)
    page = " ".join(client.get(reverse("records:standing")).content.decode().split())
    assert page.count("25 % more time, 1 more attempt in quizzes") == 1
    lines = client.get(reverse("records:standing"), {"as": "csv"}).getvalue().decode().splitlines()
    at = lines[0].split(",").index("In quizzes")
    assert any('"25 % more time, 1 more attempt"' in line for line in lines), (at, lines)
    end_allowed(allowed=Allowed.objects.get(module=version.module), by=by)
    assert allowed_in_courses(pairs, today)[0] == "10 % more time"
