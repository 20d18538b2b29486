"""Trying a module: it plays as for a learner, and nothing of it is kept."""

import json
from urllib.parse import urlsplit

import pytest
from django.test import Client
from django.urls import reverse

from stepladder.learning.models import Attempt
from stepladder.playing.models import ScoState
from tests import factories as f
from tests.playing.packages import APP, a_package, launch_values
from tests.reading import page_text


@pytest.fixture
def author(organisation, media, client, on):
    on("2026-05-14")
    account = f.an_account("author")
    client.force_login(account)
    client.defaults["HTTP_HOST"] = APP
    return account


def try_url(module):
    return reverse("playing:try_module", args=[module.public_id])


def test_a_package_that_is_tried_is_of_nobody_and_keeps_nothing(author, client, tmp_path):
    module = a_package(tmp_path)
    page = client.get(try_url(module))
    assert "Nothing is kept here." in page_text(page)
    address = urlsplit(page.context["launch"])
    assert f"frame-src 'self' http://{address.netloc}" in page.headers["Content-Security-Policy"]
    content = Client(HTTP_HOST=address.netloc)
    start = launch_values(content, address.path)
    assert start["cmi.core.lesson_mode"] == "browse"
    assert start["cmi.core.credit"] == "no-credit"
    assert start["cmi.core.student_name"] == "Trial"
    assert start["cmi.student_data.mastery_score"] == "80"
    said = {"seq": 1, "fin": True, "set": {"cmi.core.lesson_status": "passed"}}
    answer = content.post(address.path + "commit", json.dumps(said), content_type="application/json")
    assert answer.json() == {"result": True, "errorCode": 0}
    assert not ScoState.objects.exists()
    assert not Attempt.objects.exists()


def test_every_version_can_be_tried_and_the_newest_is_where_none_is_said(author, client):
    module = f.a_module("Booklet")
    f.a_version(module, 2, {"pages": 7})
    page = page_text(client.get(try_url(module)))
    assert "You are trying version 2" in page
    assert "of 7" in page
    page = page_text(client.get(try_url(module), {"v": "1"}))
    assert "You are trying version 1" in page
    assert "of 3" in page
    assert client.get(try_url(module), {"v": "9"}).status_code == 404
    assert "of the pages shown" not in page
    assert "data-report" not in page


def test_the_way_back_stays_in_the_application(author, client):
    module = f.a_module("Film", kind="video")
    course = f.a_draft("Fire", [module])
    tried = page_text(client.get(reverse("desk:try_course", args=[course.public_id])))
    here = reverse("desk:try_course", args=[course.public_id])
    assert f"{try_url(module)}?v=1&amp;back={here}" in tried
    assert f'<a href="{here}">Back</a>' in page_text(client.get(try_url(module), {"back": here}))
    elsewhere = page_text(client.get(try_url(module), {"back": "https://elsewhere.example/"}))
    assert "elsewhere.example/" not in elsewhere.split("<h1>")[0]
    assert f'<a href="{reverse("library:module", args=[module.public_id])}">Back</a>' in elsewhere


def test_only_who_sees_a_module_tries_it(author, client):
    closed = f.a_module("Closed", binder=f.a_binder("Closed", f.an_account("author"), is_shared=False))
    assert client.get(try_url(closed)).status_code == 404
    client.force_login(f.an_account("learner"))
    assert client.get(try_url(f.a_module("Open"))).status_code == 403


def test_a_course_shown_as_a_learner_sees_it_counts_what_is_owed(author, client):
    short, long = f.a_module("Short"), f.a_module("Long")
    course = f.a_draft("Fire", [f.a_module("Owed"), short, long])
    from stepladder.courses import actions as courses

    for step in courses.draft_of(course).steps.filter(module__in=[short, long]):
        courses.edit_step(course=course, step=step, is_obligatory=False, weight=1, take_newest=False, by=f.BY)
    courses.edit_edition(course=course, revision=None, optional_owed=1, by=f.BY)
    page = client.get(reverse("desk:try_course", args=[course.public_id]))
    ahead = page.context["sheet"].ahead
    assert (ahead.owed, ahead.minutes_left) == (2, 20)
    assert "about 20 min" in page_text(page)
