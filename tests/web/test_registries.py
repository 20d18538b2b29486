"""An app that is installed brings its kinds, players, notices and columns with it, and touches no other."""

import json
import sys
from fractions import Fraction

import pytest
from django.db import transaction
from django.test import modify_settings
from django.urls import reverse

from stepladder.learning.marking import mark
from stepladder.learning.models import Completion, Enrolment, HandIn
from stepladder.library import kinds, storage
from stepladder.library.actions import add_version, create_draft, release_module
from stepladder.library.errors import NothingToRelease
from stepladder.library.kinds import Worked, kind_named
from stepladder.library.models import TakenOut
from stepladder.notices import kinds as notice_kinds
from stepladder.notices.actions import Message, tell
from stepladder.playing import players, standards
from stepladder.queue.actions import at_once
from stepladder.records import list_columns
from stepladder.search import index
from tests import factories as f

pytestmark = pytest.mark.django_db
REGISTRIES = (
    kinds._kinds,
    players._players,
    standards._standards,
    notice_kinds._kinds,
    list_columns._columns,
)


@pytest.fixture
def made_up():
    """The made-up app, installed as any other: its wiring is found by name."""
    before = [dict(registry) for registry in REGISTRIES]
    with modify_settings(INSTALLED_APPS={"append": "tests.made_up"}):
        yield sys.modules["tests.made_up.wiring"]
    del sys.modules["tests.made_up.wiring"]
    for registry, was in zip(REGISTRIES, before, strict=True):
        registry.clear()
        registry.update(was)


def test_a_kind_that_is_made_here_comes_in_as_a_draft_is_played_handed_in_and_marked(made_up, organisation, client):
    admin = f.an_account("administrator")
    client.force_login(admin)
    binder = f.a_binder()
    page = client.get(reverse("library:binder", args=[binder.public_id])).content.decode()
    assert "New essay…" in page
    draft = create_draft(binder=binder, kind=made_up.ESSAY, title="Fog at sea", by=f.BY)
    sheet = reverse("library:module", args=[draft.public_id])
    assert "Not written yet." in client.get(sheet).content.decode()
    assert "nothing to use yet" in client.get(reverse("library:home"), {"state": "draft"}).content.decode()
    with pytest.raises(NothingToRelease, match="“Fog at sea” has nothing to be taught with yet"):
        release_module(module=draft, by=f.BY)
    add_version(module=draft, worked=Worked("Fog at sea", 30, {"question": "How far do you see?"}), by=f.BY)
    client.post(reverse("library:release_module", args=[draft.public_id]))
    draft.refresh_from_db()
    assert (draft.state, draft.minutes) == ("released", 30)
    page = client.get(sheet).content.decode()
    assert "essay · “How far do you see?” · done when somebody has marked it" in page
    with transaction.atomic(), at_once():
        made = client.post(reverse("library:export", args=[draft.public_id, 1, "text"]))["Location"]
    assert "essay.txt" in client.get(made).content.decode()
    assert storage.outgoing(TakenOut.objects.get().public_id).read_text() == "How far do you see?"
    assert [found.title for found in index.find(admin, "far")] == ["Fog at sea"]

    jun = f.a_person("Jun Pellam", email="jun@example.example")
    learner = f.an_account("learner", name="Jun Pellam", person=jun)
    f.an_assignment(f.a_course("Weather", [draft]))
    client.force_login(learner)
    enrolment = Enrolment.objects.get()
    step = reverse("playing:step", args=[enrolment.public_id, draft.public_id])
    assert "Write: How far do you see?" in client.get(step).content.decode()
    report = reverse("playing:report", args=[enrolment.attempts.get().public_id])
    answer = client.post(report, json.dumps({"text": "Not far."}), content_type="application/json")
    assert (answer.json()["share"], answer.json()["done"]) == (100, False)
    again = client.post(report, json.dumps({"text": "Further."}), content_type="application/json")
    assert (again.status_code, "is over" in again.json()["says"]) == (409, True)
    handed_in = HandIn.objects.get(attempt__module=draft)
    assert handed_in.data == {"text": "Not far."}
    mark(handed_in=handed_in, has_passed=True, score=Fraction(3, 4), by=f.BY)
    assert Completion.objects.get().score == Fraction(3, 4)


def test_a_notice_and_a_column_come_in_with_an_app(made_up, organisation, client):
    jun = f.a_person("Jun Pellam", email="jun@example.example")
    (notice,) = tell("essay marked", [Message(jun, "/", {"title": "Fog"})])
    assert (notice.subject, notice.text) == ("“Fog” is marked", "Jun, look.")
    for title in ("Fire", "First aid"):
        f.an_assignment(f.a_course(title))
    client.force_login(f.an_account("administrator"))
    query = {"day": "2099-01-01", "sort": "letters"}
    page = client.get(reverse("records:standing"), query)
    assert [column.label for column in page.context["page"].columns][:3] == ["Name", "Number", "Letters"]
    assert [row.course.title for row in page.context["page"].rows] == ["First aid", "Fire"]
    assert '<td class="n" data-label="Letters"> <a class="plain" href="/courses/' in " ".join(
        page.content.decode().split()
    )
    lines = client.get(reverse("records:standing"), query | {"as": "csv"}).getvalue().decode().splitlines()
    assert lines[0].startswith("\ufeffName,Number,Letters,Unit")
    assert lines[1].split(",")[3] == "9"


def test_what_was_made_with_an_app_that_is_gone_can_be_looked_at(organisation, client):
    """Its modules stay in the library and in courses; their steps say why they cannot be opened."""
    module = f.a_module("Fog at sea", kind="essay", data={"question": "How far?"})
    assert kind_named("essay").done_when({}) == "cannot be done: its kind is gone"
    jun = f.a_person("Jun Pellam")
    learner = f.an_account("learner", name="Jun Pellam", person=jun)
    f.an_assignment(f.a_course("Weather", [module]))
    client.force_login(learner)
    enrolment = Enrolment.objects.get()
    step = client.get(reverse("playing:step", args=[enrolment.public_id, module.public_id]))
    assert "What plays this is not installed here any more" in step.content.decode()
    client.force_login(f.an_account("administrator"))
    assert client.get(reverse("library:module", args=[module.public_id])).status_code == 200
