"""A lesson being read: sections open as they are done, checks are judged by the server, and no page gives an answer away. Rule: 17."""

import json

import pytest
from django.urls import reverse

from stepladder.learning.actions import begin_step
from stepladder.learning.models import Attempt, Completion, Enrolment, StepDone, Stretch
from tests import factories as f
from tests.writing.drafts import THREE, a_released, check, paragraph

pytestmark = pytest.mark.django_db


@pytest.fixture
def learn(client):
    """Somebody who learns a course of one lesson: what they report, and the page that they see."""

    class Learner:
        def __init__(self, *sections, **options):
            version = a_released("How a fire grows", *(sections or THREE), **options)
            course = f.a_course("Fire", [version.module])
            person = f.a_person("Jun Pellam")
            account = f.an_account("learner", person=person, name="Jun Pellam")
            f.an_assignment(course)
            self.enrolment = Enrolment.objects.get(person=person)
            self.step = course.editions.get().steps.get()
            self.attempt = begin_step(enrolment=self.enrolment, step=self.step, by=account)
            client.force_login(account)

        def report(self, *seen, **said):
            body = {"seen": list(seen), "at": 1, "seconds": 1, **said}
            return client.post(
                reverse("playing:report", args=[self.attempt.public_id]),
                json.dumps(body),
                content_type="application/json",
            )

        def answer(self, check, given):
            return self.report(answer={"check": check, "given": given})

        def page(self, query=""):
            address = reverse("playing:step", args=[self.enrolment.public_id, self.step.module.public_id])
            return client.get(address + query).content.decode()

        @property
        def is_done(self):
            return StepDone.objects.known_now().filter(enrolment=self.enrolment).exists()

    return Learner


def keys(said):
    return len(said.json()["sections"]), len(said.json()["open"])


def test_a_section_opens_when_the_one_before_is_done_and_the_lesson_is_done_at_all_of_them(learn):
    jun = learn()
    assert "A fire needs air." in jun.page()
    assert "Smoke goes first." not in jun.page("?section=3")
    assert keys(jun.report("a1")) == (0, 1)
    assert keys(jun.report("a2")) == (1, 2)
    # A section that is closed collects nothing.
    assert keys(jun.report("c1")) == (1, 2)
    assert keys(jun.report("b1", "k")) == (1, 2)
    assert not jun.is_done
    assert keys(jun.answer("k", True)) == (2, 3)
    assert jun.report("c1").json()["done"] is True
    assert jun.is_done
    assert Completion.objects.filter(person=jun.enrolment.person).exists()
    assert Stretch.objects.filter(attempt=jun.attempt).exists()


def test_where_checks_have_to_be_right_trying_is_not_enough_and_right_stays_right(learn):
    jun = learn(asks_right=True)
    jun.report("a1", "a2")
    jun.report("b1", "k")
    said = jun.answer("k", True).json()
    assert "Not right." in said["check"]["said"]
    assert "Think again." in said["check"]["said"]
    assert len(said["sections"]) == 1
    assert "Right." in jun.answer("k", False).json()["check"]["said"]
    assert len(jun.answer("k", True).json()["sections"]) == 2
    kept = Attempt.objects.get(pk=jun.attempt.pk).data["answers"]["k"]
    assert (kept["best"], kept["tries"]) == ("1", 3)


def test_no_page_that_is_served_has_the_right_answer_in_it(learn):
    things = ["alarm", "doors", "cooling", "count"]
    order = check("o", "order", "In order?", choices=[{"text": one} for one in things], when_right="WELL DONE")
    number = check("n", "number", "How many?", number="31.5", when_wrong="FIVE DOUBLINGS")
    one = check(
        "p", "one", "Which?", choices=[{"text": "this", "right": True, "feedback": "BECAUSE OF AIR"}, {"text": "that"}]
    )
    match = check("m", "match", "Match", pairs=[{"left": f"left {n}", "right": f"right {n}"} for n in range(5)])
    jun = learn(("One", [order, number, one, match]))
    page = jun.page()
    for secret in ("31.5", "FIVE DOUBLINGS", "BECAUSE OF AIR", "WELL DONE", '"right"', "is-right"):
        assert secret not in page, secret
    assert sorted(things, key=page.index) != things
    said = jun.answer("p", 0).json()["check"]["said"] + jun.answer("p", 1).json()["check"]["said"]
    assert "BECAUSE OF AIR" in said


def test_what_was_answered_stands_there_after_a_reload(learn):
    jun = learn(("One", [check("n", "number", "How many?", number="31.5", when_wrong="Double it again.")]))
    jun.answer("n", "12")
    page = jun.page()
    assert "Double it again." in page
    assert 'value="12"' in page
    assert "Right is: 31.5" in page


def test_the_same_report_sent_again_counts_once(learn):
    jun = learn(("One", [check("k")]))
    jun.report(name="x", answer={"check": "k", "given": True})
    jun.report(name="x", answer={"check": "k", "given": True})
    assert Attempt.objects.get(pk=jun.attempt.pk).data["answers"]["k"]["tries"] == 1


@pytest.mark.parametrize(
    ("said", "why"),
    [
        ({"answer": {"check": "gone", "given": True}}, "no such check"),
        ({"answer": {"check": "k", "given": "yes"}}, "true or false"),
        ({"answer": "k"}, "“answer” has"),
        ({"seen": ["x"] * 501}, "at most 500"),
        ({"seen": [4]}, "names of blocks"),
        ({"at": "first"}, "“at” is a number"),
    ],
)
def test_what_is_no_report_is_refused_and_nothing_is_kept(learn, said, why):
    jun = learn(("One", [check("k")]))
    answer = jun.report(**said) if "seen" not in said else jun.report(*said["seen"])
    assert answer.status_code == 400
    assert why in answer.json()["says"]
    assert "answers" not in Attempt.objects.get(pk=jun.attempt.pk).data


def test_a_check_of_a_closed_section_is_not_answered(learn):
    jun = learn()
    assert jun.answer("k", False).status_code == 400


def test_in_any_order_all_is_open_and_below_each_other_where_the_lesson_says_so(learn):
    jun = learn(in_order=False, has_next=False)
    page = jun.page()
    assert "A fire needs air." in page
    assert "Smoke goes first." in page


def test_who_tries_a_lesson_is_told_what_an_answer_comes_to_and_nothing_is_kept(client):
    version = a_released("Three", *THREE)
    client.force_login(f.an_account("administrator"))
    page = client.get(reverse("playing:try_module", args=[version.module.public_id]) + "?at=2").content.decode()
    assert reverse("writing:try_answer", args=[version.public_id]) in page
    said = client.post(
        reverse("writing:try_answer", args=[version.public_id]),
        json.dumps({"check": "k", "given": False}),
        content_type="application/json",
    ).json()
    assert "Right." in said["check"]["said"]
    assert not Attempt.objects.exists()


def test_an_empty_paragraph_is_nothing_that_one_has_to_see(learn):
    jun = learn(("One", [paragraph("Words.", name="a"), paragraph(name="b")]))
    assert jun.report("a").json()["done"] is True
