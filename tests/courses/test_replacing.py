"""A module is replaced by another in every course that uses it; the effect is worked out first, and is what happens."""

import pytest
from django.urls import reverse

from stepladder.courses import actions, replacing
from stepladder.courses.errors import CourseError
from stepladder.courses.models import Edition, Step
from stepladder.courses.topics import set_topics
from stepladder.journal.models import Entry
from stepladder.learning.actions import begin_step, enrol
from stepladder.learning.models import Attempt
from stepladder.topics.actions import add_topic
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def boss(organisation, client):
    boss = f.an_account("administrator")
    client.force_login(boss)
    return boss


@pytest.fixture
def old(boss):
    return f.a_module("Old leaflet")


@pytest.fixture
def new(boss):
    return f.a_module("New leaflet")


def modules_of(course, state):
    return [step.module.title for step in Step.objects.filter(edition__course=course, edition__state=state)]


def test_it_is_replaced_in_what_is_released_and_in_drafts_as_was_foretold(boss, old, new, client):
    knots = f.a_module("Knots")
    plain, both, drafted = (
        f.a_course(name, modules=some)
        for name, some in (("A plain one", [old]), ("B with both", [old, new]), ("C being changed", [old, knots]))
    )
    actions.new_edition(course=drafted, by=f.BY)
    (place,) = enrol(people=[f.a_person()], course=plain, origin="assigned", by=f.BY)
    attempt = begin_step(enrolment=place, step=place.edition.steps.get(), by=f.BY)
    foretold = replacing.effect_of_replacing(old, new, account=boss)
    # Asked, and nothing was done.
    assert Edition.objects.count() == 4
    assert not Entry.objects.filter(verb="replace_module").exists()
    page = page_text(client.get(reverse("courses:replace", args=[old.public_id]), {"by": new.public_id}))
    assert "edition 2 is released, large" in page
    assert "the draft of edition 2 is changed" in page
    done = replacing.replace_module(module=old, by_other=new, by=boss)
    assert [(one.course, one.size, one.number) for one in done] == [(o.course, o.size, o.number) for o in foretold]
    assert modules_of(plain, "released") == ["New leaflet"]
    assert modules_of(both, "released") == ["New leaflet"]
    assert modules_of(drafted, "draft") == ["New leaflet", "Knots"]
    assert modules_of(drafted, "released") == ["Old leaflet", "Knots"]
    # What is under way finishes on what it was begun on.
    assert Attempt.objects.get(pk=attempt.pk).enrolment.edition.number == 1


def test_what_may_not_be_changed_or_cannot_be_released_stays_and_says_why(old, new, client):
    theirs = f.a_course("Theirs", modules=[old])
    author = f.an_account("author", name="Bo Tarn")
    mine = f.a_binder("Mine", author)
    unready = f.a_module("No minutes", binder=mine)
    type(unready).objects.filter(pk=unready.pk).update(minutes=0)
    client.force_login(author)
    done = replacing.effect_of_replacing(old, unready, account=author)
    assert [one.refused for one in done] == ["You may not change this course."]
    with pytest.raises(CourseError, match="no course that it could be replaced in"):
        replacing.replace_module(module=old, by_other=unready, by=author)
    unready.refresh_from_db()
    boss = f.an_account("administrator", name="Boss")
    assert "does not say how many minutes" in replacing.effect_of_replacing(old, unready, account=boss)[0].refused
    assert modules_of(theirs, "released") == ["Old leaflet"]
    for other, said in ((old, "cannot replace itself"),):
        with pytest.raises(CourseError, match=said):
            replacing.replace_module(module=old, by_other=other, by=boss)


def test_a_course_and_a_path_carry_topics_without_a_release(boss, old, client):
    course = f.a_course("Fire on board", modules=[old])
    topic = add_topic(name="Safety", by=f.BY)
    client.post(reverse("courses:topics", args=[course.public_id]), {"topics": [topic.public_id]})
    assert "Safety" in page_text(client.get(reverse("courses:course", args=[course.public_id])))
    assert course.editions.count() == 1
    set_topics(of=course, topics=[], by=f.BY)
    assert not course.topics.exists()
