"""Two editions beside each other, and the word to those who are under way."""

from __future__ import annotations

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from stepladder.core.sequence import Part
from stepladder.courses import actions as courses
from stepladder.courses.comparing import compare, editions_of, editions_with_steps
from stepladder.learning import actions as learning
from stepladder.notices.models import Notice
from tests import factories as f

pytestmark = pytest.mark.django_db


def test_editions_are_compared_by_words_and_by_what_became_of_each_step(organisation, client, on):
    on("2027-03-01")
    modules = [f.a_module(title) for title in ("One", "Two", "Three", "Four")]
    course = f.a_course("Lines", modules[:3])
    f.a_version(modules[1], 2)
    draft = courses.new_edition(course=course, by=f.BY)
    courses.edit_edition(
        course=course, revision=draft.revision, title="Lines", summary="Otherwise.", lowest_score=60, by=f.BY
    )
    one, two, three = draft.steps.order_by("place")
    courses.add_steps(course=course, part=Part.MAIN, modules=[modules[3]], by=f.BY)
    courses.edit_step(course=course, step=two, is_obligatory=False, weight=2, take_newest=True, by=f.BY)
    courses.remove_step(course=course, step=one, by=f.BY)
    four = draft.steps.get(module=modules[3])
    main = Part.MAIN
    courses.order_steps(course=course, placed=[(four.pk, main), (three.pk, main), (two.pk, main)], by=f.BY)
    before, after = course.editions.order_by("number")
    found = compare(before, after)
    assert [(w.label, w.before, w.after) for w in found.words] == [
        ("Summary", "What one can do after it.", "Otherwise."),
        ("Lowest score, %", "", "60"),
    ]
    told = [(s.title, s.is_new, s.is_gone, s.changes) for s in found.steps]
    assert told[0] == ("Four", True, False, [])
    assert told[3] == ("One", False, True, [])
    # That two stand the other way round is one move, whichever of them it was.
    assert sum("moved" in changes for _, _, _, changes in told) == 1
    two_now = next(changes for title, _, _, changes in told if title == "Two")
    assert [c for c in two_now if c != "moved"] == ["v1 → v2", "now of choice", "weighs 2 instead of 1"]
    assert found.changed == 5
    client.force_login(f.an_account("administrator"))
    page = client.get(reverse("courses:compare", args=[course.public_id])).content.decode()
    assert "5 differences" in page
    assert [
        (line.edition.number, line.by, line.changed) for line in editions_of(course, editions_with_steps(course))
    ] == [
        (2, "Test", 5),
        (1, "Test", None),
    ]
    courses.release_course(course=course, size="large", retake_by=None, note="Step four is new.", by=f.BY)
    page = client.get(reverse("courses:compare", args=[course.public_id])).content.decode()
    assert "Step four is new." in page
    same = client.get(reverse("courses:compare", args=[course.public_id]), {"from": "1", "to": "1"}).content.decode()
    assert "nothing" in same


def test_the_journal_of_editions_asks_as_often_for_many_as_for_few(organisation):
    course = f.a_course("Lines", [f.a_module("One"), f.a_module("Two")])

    def asked():
        with CaptureQueriesContext(connection) as queries:
            editions_of(course, editions_with_steps(course))
        return len(queries)

    before = asked()
    for _ in range(3):
        courses.new_edition(course=course, by=f.BY)
        courses.release_course(course=course, size="small", retake_by=None, by=f.BY)
    assert len(editions_with_steps(course)) == 4
    assert asked() == before


def test_a_word_with_a_release_reaches_who_is_under_way_and_nobody_else(organisation, on):
    on("2027-03-01")
    course = f.a_course("Lines", [f.a_module("One"), f.a_module("Two")])
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    for person in (jun, ada):
        f.an_account("learner", person=person)
    f.an_assignment(course)
    place = jun.enrolments.get()
    learning.begin_step(enrolment=place, step=place.edition.steps.order_by("place").first(), by=f.BY)
    before = Notice.objects.count()
    draft = courses.new_edition(course=course, by=f.BY)
    courses.edit_edition(course=course, revision=draft.revision, title="Lines", summary="Better.", by=f.BY)
    courses.release_course(course=course, size="small", retake_by=None, note="Page two is new.", by=f.BY)
    (told,) = Notice.objects.order_by("pk")[before:]
    assert (told.person, told.kind) == (jun, "new edition")
    assert "Page two is new." in told.text
