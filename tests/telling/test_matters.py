"""What is told of nobody in particular: everybody has done it, something waits to be marked."""

import pytest
from django.db import transaction
from django.urls import reverse

from stepladder.assignments import actions as assigning
from stepladder.assignments import queries
from stepladder.assignments.models import Assignment
from stepladder.notices.models import Notice
from stepladder.people import actions as people
from stepladder.queue.actions import at_once
from stepladder.telling.errors import TellingError
from stepladder.telling.matters import matters_of
from stepladder.telling.models import NoticeRule, Said
from stepladder.web.models import DailyRun
from tests import factories as f
from tests.assignments.test_paths import a_path, complete
from tests.assignments.test_paths import assign as assign_path
from tests.quizzes.test_marking import a_hand_in, a_marker, give
from tests.reading import page_text
from tests.telling.test_run import asked, run, tell


@pytest.fixture(autouse=True)
def monday(organisation, media, on):
    on("2027-03-01")


def test_that_everybody_has_done_it_is_told_once_and_again_when_it_comes_true_anew(on):
    fire, old = f.a_course("Fire"), f.a_course("Old")
    jun, ada, cook = f.a_person("Jun Pellam"), f.a_person("Ada Venn"), f.a_person("Mara Voss")
    asked(fire, jun, ada)
    complete(jun, old, "2027-03-01")
    asked(old, jun)
    # What everybody has done before there was a rule is no news: the queue sees to it, or else the first run.
    with transaction.atomic(), at_once():
        tell("all done", 0, "contact", named=[cook])
    assert NoticeRule.objects.get().settled_on == f.d("2027-03-01")
    assert run(on, "2027-03-02") == []
    complete(jun, fire, "2027-03-02")
    assert run(on, "2027-03-03") == []
    complete(ada, fire, "2027-03-03")
    done = [("Mara Voss", "Everybody has done “Fire”, as “All do Fire” asks")]
    assert run(on, "2027-03-04") == done
    assert run(on, "2027-03-05") == []
    DailyRun.objects.all().delete()
    assert run(on, "2027-03-08") == []
    # A second assignment of the same course asks somebody else: that one is not done, and then it is.
    bo = f.a_person("Bo Tarn")
    asked(fire, bo)
    assert run(on, "2027-03-09") == []
    complete(bo, fire, "2027-03-09")
    assert run(on, "2027-03-10") == done


def test_of_a_path_it_is_told_of_all_of_it_and_a_narrower_rule_speaks_instead(on):
    fire, lines, jun = f.a_course("Fire"), f.a_course("Lines"), f.a_person("Jun Pellam")
    cook, mate = f.a_person("Mara Voss"), f.a_person("Ruth Alder")
    path = a_path("On deck", ("Safe", 30, [fire]), ("Trusted", None, [lines]))
    assignment = assign_path(path, jun)
    tell("all done", 0, "contact", named=[cook])
    tell("all done", 0, "contact", of=assignment, named=[mate], words="Book the boat.")
    complete(jun, fire, "2027-03-01")
    assert run(on, "2027-03-02") == []
    complete(jun, lines, "2027-03-02")
    assert [who for who, _ in run(on, "2027-03-03")] == ["Ruth Alder"]
    assert Notice.objects.get(person=mate, kind="day").text.endswith("Book the boat.")


def test_what_waits_to_be_marked_is_told_after_so_many_days(on):
    marker, contact = a_marker("Ines Okoro"), f.a_person("Mara Voss")
    person = f.a_person("Ines Okoro")
    person.account = marker
    person.save()
    tell("marking", 2, "administrators")
    tell("marking", 0, "contact", named=[contact])
    paper = a_hand_in()
    [first] = run(on, "2027-03-02")
    assert (first[0], "1 hand-in waits to be marked in" in first[1], "since 1 Mar 2027" in first[1]) == (
        "Mara Voss",
        True,
        True,
    )
    assert [who for who, _ in run(on, "2027-03-03")] == ["Ines Okoro"]
    assert run(on, "2027-03-04") == []
    give(paper, 3, marker)
    assert Said.objects.count() == 2
    # What is marked before its day comes is told to nobody.
    on("2027-03-04")
    other = a_hand_in(version=paper.attempt.version, name="Ada Venn")
    give(other, 3, marker)
    assert run(on, "2027-03-08") == []


def test_whoever_is_back_from_leave_is_told_what_still_holds(on):
    fire, lines, jun = f.a_course("Fire"), f.a_course("Lines"), f.a_person("Jun Pellam")
    cook = f.a_person("Mara Voss")
    for course in (fire, lines):
        asked(course, jun)
    with transaction.atomic(), at_once():
        tell("all done", 0, "contact", named=[cook])
    people.record_leave(person=cook, from_day=f.d("2027-03-02"), to_day=f.d("2027-03-04"), by=f.BY)
    complete(jun, fire, "2027-03-02")
    complete(jun, lines, "2027-03-02")
    assert run(on, "2027-03-03") == []
    # Somebody came in who has not done the one: of that it holds no more.
    rule = queries.rule_of(Assignment.objects.get(name="All do Lines"))
    everybody = f.a_rule({**rule.reach, "named_in": [jun.pk, f.a_person("Bo Tarn").pk]}, start=rule.start)
    assigning.change_assignment(assignment=rule.assignment, name="All do Lines", message="", rule=everybody, by=f.BY)
    assert run(on, "2027-03-04") == []
    assert run(on, "2027-03-05") == [("Mara Voss", "Everybody has done “Fire”, as “All do Fire” asks")]
    assert run(on, "2027-03-08") == []


def test_who_reads_is_asked_once_however_much_is_told(django_assert_num_queries):
    jun, administrator = f.a_person("Jun Pellam"), f.a_person("Ines Okoro")
    administrator.account = f.an_account("administrator")
    administrator.save()
    tell("all done", 0, "contact", "administrators", named=[f.a_person("Mara Voss")])
    rule, day = NoticeRule.objects.get(), f.d("2027-03-01")
    for number in range(3):
        course = f.a_course(f"Course {number}")
        asked(course, jun)
        Said.objects.create(rule=rule, thing=Assignment.objects.get(course=course).pk, on=day)
    # What was said, who is named, administrators, contacts, the assignments, who is active.
    with django_assert_num_queries(6):
        found = matters_of([rule], day, back={})
    assert {reader: len(matters) for reader, matters in found.items()} == {
        administrator.pk: 3,
        rule.named.get().pk: 3,
    }


def test_it_can_be_said_to_nobody_in_particular_only(client):
    with pytest.raises(TellingError, match="of nobody in particular"):
        tell("all done", 0, "person")
    client.force_login(f.an_account("administrator"))
    page = reverse("telling:new")
    sent = {"days": "0", "side": "before", "moment": "marking", "to": ["leads"], "once": "a"}
    assert "of nobody in particular" in page_text(client.post(page, sent))
    assert "so many days after" in page_text(client.post(page, sent | {"days": "3", "to": ["administrators"]}))
    client.post(page, sent | {"days": "3", "side": "after", "to": ["administrators"], "once": "b"})
    assert NoticeRule.objects.get().offset == 3
    shown = page_text(client.get(reverse("telling:rules")))
    assert "when something waits to be marked, 3 days after it was handed in" in shown
