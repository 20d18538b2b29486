"""Signing off: by whom, once, from when it counts, in several looks, taken back; asking for it; what is refused."""

from datetime import datetime, time, timedelta

import pytest
from django.core.exceptions import PermissionDenied
from django.db import connection
from django.test.utils import CaptureQueriesContext

from stepladder import clock
from stepladder.assignments.actions import keep_true
from stepladder.core.days import day_of
from stepladder.journal import undoing
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.learning.actions import begin_step
from stepladder.learning.errors import StepClosed
from stepladder.learning.models import Completion, Enrolment, StepDone, Stretch
from stepladder.learning.queries import course_view
from stepladder.notices.models import Notice
from stepladder.people.models import Person
from stepladder.signing.actions.asking import ask_for_sign_off
from stepladder.signing.actions.sign_offs import sign_off
from stepladder.signing.actions.tasks import name_signers
from stepladder.signing.errors import AlreadyDone, BadSignOff, OwnTask, SigningError
from stepladder.signing.models import Asked, SignOff, Task
from stepladder.signing.queries import standing_of, waiting_rows
from stepladder.signing.signers import may_sign, may_sign_anything, signers_of
from tests import factories as f
from tests.signing.signed import a_bosun, a_place, a_sign_off, a_task, given, step_of

pytestmark = pytest.mark.django_db


@pytest.fixture
def place():
    return a_place()


@pytest.fixture
def bosun(place):
    return a_bosun(place.person)


def again(account):
    """The account as another request loads it."""
    return type(account).objects.get(pk=account.pk)


def test_signed_off_by_a_lead_with_the_power_it_is_done_and_the_course_complete(place, bosun):
    made = a_sign_off(place, bosun, note="Well thrown.")
    done = StepDone.objects.known_now().get()
    assert (done.at, done.day, done.score) == (made.at, clock.today(), None)
    completion = Completion.objects.known_now().get()
    assert (completion.person, completion.at) == (place.person, made.at)
    assert (made.signer.name, made.by_name, made.met) == ("Rhea Wolff", "Rhea Wolff", ["a", "b", "c"])
    # As signed: so many minutes that ended then.
    stretch = Stretch.objects.get()
    assert (stretch.ended_at, stretch.ended_at - stretch.began_at) == (made.at, timedelta(minutes=25))
    told = Notice.objects.get(kind="task signed off")
    assert (told.person, "Well thrown." in told.text, "signed off" in told.subject) == (place.person, True, True)
    assert list(problems()) == []


@pytest.mark.parametrize("powers", [("see records", "assign"), ()])
def test_a_lead_without_the_power_and_a_stranger_may_not(place, powers):
    leads = a_bosun(place.person, powers=powers) if powers else f.an_account("learner")
    with pytest.raises(PermissionDenied):
        a_sign_off(place, leads)
    assert not may_sign_anything(leads)
    assert not waiting_rows(leads, show="all").exists()


def test_nobody_signs_off_their_own_not_even_an_administrator():
    person = f.a_person("Jun Pellam")
    own = f.an_account("administrator", person=person)
    place = a_place()
    with pytest.raises(OwnTask):
        a_sign_off(place, own)
    assert not waiting_rows(own, show="all").exists()


def test_who_is_named_signs_for_anybody_and_only_they_where_the_task_says_so(place, bosun):
    task = Task.objects.get()
    wanda = f.a_person("Wanda Pask")
    named = f.an_account("learner", name="Wanda Pask", person=wanda)
    assert not may_sign(named, place.person, task.module_id)
    name_signers(task=task, named=[wanda], only_named=True, by=f.BY)
    assert [one.name for one in signers_of(place.person, task)] == ["Wanda Pask"]
    with pytest.raises(BadSignOff):
        a_sign_off(place, again(bosun))
    assert not waiting_rows(again(bosun), show="all").exists()
    # For anybody, but for themself.
    assert set(waiting_rows(again(named), show="all")) == set(Enrolment.objects.exclude(person=wanda))
    assert a_sign_off(place, again(named)).by_name == "Wanda Pask"
    undoing.take_back(Entry.objects.filter(verb="name_signers").get(), by=f.an_account("administrator"))
    task.refresh_from_db()
    assert (task.only_named, task.named.count()) == (False, 0)


def test_only_named_needs_somebody_who_is(place):
    with pytest.raises(SigningError, match="Name who may sign"):
        name_signers(task=Task.objects.get(), named=[], only_named=True, by=f.BY)


def test_in_several_looks_it_counts_from_when_enough_was_met(place, bosun, on):
    on("2027-03-08")
    first = a_sign_off(place, bosun, met="a", not_yet=frozenset("b"), note="From the hip.")
    attempt = first.attempt
    attempt.refresh_from_db()
    assert (attempt.status, attempt.data["met"], StepDone.objects.exists()) == ("incomplete", ["a"], False)
    assert Asked.objects.filter(settled_at=None).count() == 0
    standing = standing_of(attempt)
    assert (standing.met, standing.left, standing.lines[1].not_yet_in) == (1, 2, first)
    on("2027-03-10")
    last = a_sign_off(place, bosun, met="bc")
    assert StepDone.objects.get().day.isoformat() == "2027-03-10"
    assert {line.met_in for line in standing_of(last.attempt).lines} == {first, last}
    with pytest.raises(AlreadyDone):
        a_sign_off(place, bosun, met="a")


def test_a_day_before_today_with_a_reason_counts_from_that_day(place, bosun, on):
    place.opened_on = clock.today() - timedelta(days=20)
    place.save()
    day = clock.today() - timedelta(days=2)
    with pytest.raises(BadSignOff, match="Say why"):
        a_sign_off(place, bosun, day=day)
    made = a_sign_off(place, bosun, day=day, reason="No line at Holm Landing")
    assert made.at == datetime.combine(day, time(12), clock.zone())
    assert (StepDone.objects.get().day, Completion.objects.get().day) == (day, day)


def test_signed_without_a_line_it_counts_from_when_it_was_signed_and_is_one_however_often_it_is_sent(place, bosun, on):
    place.opened_on = clock.today() - timedelta(days=20)
    place.save()
    three_days = 3 * 86_400.0
    signed_on = day_of(clock.now() - timedelta(days=3), clock.zone())
    said = given(day=signed_on, ago=three_days)
    first = sign_off(enrolment=place, step=step_of(place), given=said, by=bosun)
    assert sign_off(enrolment=place, step=step_of(place), given=said, by=bosun) == first
    assert (SignOff.objects.count(), first.day, first.reason) == (1, signed_on, "")
    assert first.at == first.signed_at
    assert clock.now() - first.signed_at < timedelta(days=3, minutes=5)
    assert StepDone.objects.get().day == signed_on


def test_what_comes_before_it_is_owed_first_and_a_closed_place_takes_nothing(bosun, place):
    behind = a_place(a_task("Behind"), before=[f.a_module("Lines under load")], course="In order")
    with pytest.raises(StepClosed, match="Lines under load"):
        a_sign_off(behind, f.an_account("administrator"))
    assert not SignOff.objects.exists()


def test_asked_for_whoever_may_sign_is_told_and_finds_who_waits(place, bosun):
    attempt = begin_step(enrolment=place, step=step_of(place), by=place.person.account)
    asked = ask_for_sign_off(attempt=attempt, words="Tomorrow at Osier?", by=place.person.account)
    told = Notice.objects.get(kind="sign-off asked")
    assert (told.person.name, "Tomorrow at Osier?" in told.text) == ("Rhea Wolff", True)
    row = waiting_rows(again(bosun)).get()
    assert (row, row.asked_words, row.asked_at) == (place, "Tomorrow at Osier?", asked.at)
    # Asked again it is as once; of somebody else, they are told.
    ask_for_sign_off(attempt=attempt, words="On Friday?", by=place.person.account)
    assert (Asked.objects.count(), Notice.objects.filter(kind="sign-off asked").count()) == (1, 1)
    with pytest.raises(SigningError, match="does not sign this off"):
        ask_for_sign_off(attempt=attempt, of=f.a_person("Una Finch"), by=place.person.account)
    a_sign_off(place, again(bosun), met="a")
    assert not waiting_rows(again(bosun)).exists()
    assert waiting_rows(again(bosun), show="all").exists()


def test_taken_back_nothing_was_signed_and_whoever_asked_may_ask_again(place, bosun):
    made = a_sign_off(place, bosun)
    undoing.take_back(Entry.objects.filter(verb="sign_off_task").get(), by=again(bosun))
    # What a tablet sends once more after that brings it back for nobody.
    with pytest.raises(BadSignOff, match="taken back since"):
        a_sign_off(place, again(bosun), key=made.key)
    for facts in (SignOff, StepDone, Completion):
        assert not facts.objects.known_now().exists()
        assert facts.objects.exists()
    place.refresh_from_db()
    assert (place.completed_at, Stretch.objects.exists()) == (None, False)
    assert course_view(place).progress.done == 0
    assert waiting_rows(again(bosun), show="all").get() == place
    assert list(problems()) == []
    # And it can be signed once more.
    assert a_sign_off(place, again(bosun)).met == ["a", "b", "c"]


def test_the_first_of_two_looks_is_not_taken_back_under_a_completion(place, bosun):
    a_sign_off(place, bosun, met="a")
    entry = Entry.objects.filter(verb="sign_off_task").get()
    a_sign_off(place, bosun, met="bc")
    assert any("has completed “Mooring lines”" in line for line in undoing.obstacles(entry))


def test_a_new_version_asks_nothing_anew_of_who_is_under_way(place, bosun):
    made = a_sign_off(place, bosun, met="a")
    task = Task.objects.get()
    assert standing_of(made.attempt).check_list.count == 3
    task.check_list = {**task.check_list, "criteria": task.check_list["criteria"][:2]}
    task.save()
    assert standing_of(made.attempt).check_list.count == 3


def test_who_waits_is_found_in_as_many_queries_for_one_as_for_many(place, client):
    client.force_login(f.an_account("administrator"))

    def count():
        with CaptureQueriesContext(connection) as caught:
            assert client.get("/sign-off/?show=all").status_code == 200
        return len(caught)

    count()
    one = count()
    for number in range(6):
        f.a_person(f"Kit Moss{number}")
    keep_true()
    assert waiting_rows(f.an_account("administrator"), show="all").count() == 7
    assert count() == one
    assert Person.objects.count() == 7
