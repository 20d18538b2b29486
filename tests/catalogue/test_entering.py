"""Getting in: taking up, asking, deciding, giving up. Rule: 12."""

from __future__ import annotations

import pytest
from django.core.exceptions import PermissionDenied
from django.db import transaction
from django.urls import reverse

from stepladder.assignments import wishing
from stepladder.assignments.checking import differences
from stepladder.assignments.models import Reason, Wish
from stepladder.assignments.queries import requirements
from stepladder.catalogue.actions import entering
from stepladder.catalogue.errors import CatalogueError
from stepladder.catalogue.models import Decider, Request
from stepladder.catalogue.tasks import keep_requests_asked
from stepladder.core.admission import Admission
from stepladder.core.requirements import Status
from stepladder.courses import actions as courses
from stepladder.courses import paths
from stepladder.courses.offers import set_offer
from stepladder.learning import actions as learning
from stepladder.learning.models import Enrolment
from stepladder.notices.models import Notice
from stepladder.people import actions as people
from tests import factories as f
from tests.reading import page_text

pytestmark = pytest.mark.django_db


def offered(of, admission=Admission.OPEN, *, to=None, days=None):
    """The course or path, offered so from now on."""
    set_offer(of=of, admission=admission, found_by=to, wish_days=days, level="", language="", contact=None, by=f.BY)
    return of


@pytest.fixture
def jun(organisation, on):
    on("2027-03-01")
    person = f.a_person("Jun Pellam")
    f.an_account("learner", name="Jun Pellam", person=person)
    return person


@pytest.fixture
def master(jun):
    """Who leads the Dunlin, and approves."""
    person = f.a_person("Ada Venn", position="Master")
    f.an_account("learner", name="Ada Venn", person=person)
    f.a_lead("Master", powers=("see records", "approve"))
    return person


def status_of(person, course):
    (row,) = requirements(people=[person.pk], day=f.clock.today(), courses=[course.pk])
    return row.requirement


def test_an_own_choice_suggests_and_makes_nobody_late(jun, on):
    course = offered(f.a_course("Radio words"), days=10)
    entering.take_up(person=jun, thing=course, by=jun.account)
    found = status_of(jun, course)
    assert (found.mandatory, found.opened, found.due) == (False, f.d("2027-03-01"), f.d("2027-03-11"))
    place = Enrolment.objects.get(person=jun)
    assert place.origin == Enrolment.Origin.SELF
    # Whoever chooses is not told of their own choice.
    assert not Notice.objects.exists()
    on("2027-03-12")
    assert status_of(jun, course).status is Status.OVERDUE
    # An assignment beside it alone says what is late.
    f.an_assignment(course, due_day=f.d("2027-05-01"), due_trigger="")
    assert status_of(jun, course).status is Status.TO_DO
    assert not list(differences())


def test_giving_up_closes_that_reason_alone_and_what_was_done_counts_again(jun, on):
    course = offered(f.a_course("Radio words", [f.a_module("One"), f.a_module("Two")]))
    wish = entering.take_up(person=jun, thing=course, by=jun.account)
    place = Enrolment.objects.get()
    first = place.edition.steps.order_by("place").first()
    attempt = learning.begin_step(enrolment=place, step=first, by=jun.account)
    learning.finish_step(attempt=attempt, score=None, by=jun.account)
    on("2027-03-05")
    wishing.give_up(wish=wish, by=jun.account)
    place.refresh_from_db()
    assert place.closed_because == wishing.GIVEN_UP
    assert not requirements(people=[jun.pk], day=f.d("2027-03-05"))
    # What was asked on the day before stays as it was.
    assert requirements(people=[jun.pk], day=f.d("2027-03-04"))
    on("2027-03-20")
    entering.take_up(person=jun, thing=course, by=jun.account)
    again = Enrolment.objects.get()
    assert (again.pk, again.closed_on) == (place.pk, None)
    assert len(learning.done_of(again)) == 1
    assert not list(differences())


def test_a_place_that_an_assignment_asks_for_is_not_closed_by_giving_up(jun):
    course = offered(f.a_course())
    wish = entering.take_up(person=jun, thing=course, by=jun.account)
    f.an_assignment(course)
    wishing.give_up(wish=wish, by=jun.account)
    assert Enrolment.objects.get().is_open
    assert not Wish.objects.known_now().exists()
    assert [r.assignment_id is not None for r in Reason.objects.filter(known_to__gt=f.d("2027-03-01"))] == [True]


def test_who_leaves_wishes_nothing_any_more(jun, on):
    course = offered(f.a_course())
    entering.take_up(person=jun, thing=course, by=jun.account)
    people.leave_organisation(person=jun, left_on=f.d("2027-03-10"), by=f.BY)
    assert requirements(people=[jun.pk], day=f.d("2027-03-10"))
    assert not requirements(people=[jun.pk], day=f.d("2027-03-11"))
    assert not list(differences())


def test_a_request_goes_to_the_nearest_and_on_each_seventh_day_further(jun, master, on, client):
    chief = f.a_person("Ines Okoro", unit="Office", position="Office manager")
    boss = f.an_account("administrator", name="Ines Okoro", person=chief)
    course = offered(f.a_course(), Admission.ON_APPROVAL)
    made = entering.ask(person=jun, thing=course, words="For the winter.", by=jun.account)
    assert entering.ask(person=jun, thing=course, words="Again", by=jun.account) == made
    assert list(made.deciders.values_list("account__name", flat=True)) == ["Ada Venn"]
    assert Notice.objects.get(person=master).subject == "Jun Pellam asks for “Mooring lines”"
    client.force_login(master.account)
    asked_for = f'{reverse("catalogue:requests")}#{made.public_id}"><b>Jun Pellam</b>: Mooring lines'
    assert asked_for in page_text(client.get(reverse("desk:team")))
    for day, count in (("2027-03-07", 1), ("2027-03-08", 3), ("2027-03-08", 3)):
        on(day)
        keep_requests_asked.func()
        assert made.deciders.count() == count, day
    assert Notice.objects.filter(person=chief).count() == 1
    # The binder's owner is an administrator as well: both are of the last circle.
    with pytest.raises(PermissionDenied):
        entering.decide(request=made, is_approved=True, answer="", by=jun.account)
    entering.decide(request=made, is_approved=True, answer="Welcome.", by=boss)
    assert Enrolment.objects.get(person=jun).origin == Enrolment.Origin.APPROVED
    assert status_of(jun, course).opened == f.d("2027-03-08")
    told = Notice.objects.get(person=jun)
    assert "approved" in told.subject
    assert "Welcome." in told.text
    with pytest.raises(CatalogueError, match="Ines Okoro approved it"):
        entering.decide(request=made, is_approved=False, answer="No.", by=master.account)


def test_refused_is_with_words_and_may_ask_again_from_the_thirtieth_day(jun, master, on):
    course = offered(f.a_course(), Admission.ON_APPROVAL)
    made = entering.ask(person=jun, thing=course, words="", by=jun.account)
    with pytest.raises(CatalogueError, match="Say why"):
        entering.decide(request=made, is_approved=False, answer=" ", by=master.account)
    entering.decide(request=made, is_approved=False, answer="After the season.", by=master.account)
    on("2027-03-30")
    with pytest.raises(CatalogueError, match="from 31 Mar 2027"):
        entering.ask(person=jun, thing=course, words="", by=jun.account)
    on("2027-03-31")
    again = entering.ask(person=jun, thing=course, words="", by=jun.account)
    entering.decide(request=again, is_approved=False, answer="Not yet.", may_ask_again=True, by=master.account)
    assert entering.ask(person=jun, thing=course, words="", by=jun.account).state == Request.State.WAITS


def test_who_decides_leaves_and_who_comes_instead_is_asked(jun, master, on):
    course = offered(f.a_course(), Admission.ON_APPROVAL)
    made = entering.ask(person=jun, thing=course, words="", by=jun.account)
    on("2027-03-03")
    people.leave_organisation(person=master, left_on=f.d("2027-03-02"), by=f.BY)
    new = f.a_person("Bo Tarn", position="Master", hired="2027-03-03")
    f.an_account("learner", name="Bo Tarn", person=new)
    keep_requests_asked.func()
    assert list(made.deciders.values_list("account__name", flat=True)) == ["Bo Tarn"]


def test_a_request_of_somebody_who_left_is_put_away(jun, master, on):
    made = entering.ask(person=jun, thing=offered(f.a_course(), Admission.ON_APPROVAL), words="", by=jun.account)
    people.leave_organisation(person=jun, left_on=f.d("2027-03-02"), by=f.BY)
    on("2027-03-03")
    keep_requests_asked.func()
    made.refresh_from_db()
    assert made.state == Request.State.WITHDRAWN


def test_a_prerequisite_is_asked_for_when_asking_and_may_run_out_while_it_waits(jun, master, on):
    first, then = f.a_course("Fire", months=1), f.a_course("Crowd")
    courses.set_relations(course=then, prerequisites=[first], satisfied_by=[], by=f.BY)
    offered(then, Admission.ON_APPROVAL)
    with pytest.raises(CatalogueError, match="First comes “Fire”"):
        entering.ask(person=jun, thing=then, words="", by=jun.account)
    edition = first.editions.get()
    learning.record_completion(person=jun, course=first, edition=edition, day=f.d("2027-02-10"), by=f.BY)
    made = entering.ask(person=jun, thing=then, words="", by=jun.account)
    on("2027-03-12")
    entering.decide(request=made, is_approved=True, answer="", by=master.account)
    # They are in, and it opens when they hold it again.
    assert learning.missing_prerequisites(jun, then) == ["Fire"]
    # What is open is taken up without it.
    other = f.a_person("Cy Dell")
    f.an_account("learner", name="Cy Dell", person=other)
    offered(then)
    entering.take_up(person=other, thing=then, by=other.account)
    assert learning.missing_prerequisites(other, then) == ["Fire"]


def test_what_one_may_not_find_is_not_there_yet_opens_where_one_is_enrolled(jun, client):
    course = offered(f.a_course("Galley"), to=f.in_units(f.a_unit("Catering")))
    client.force_login(jun.account)
    page = reverse("catalogue:thing", args=[course.public_id])
    assert client.get(page).status_code == 404
    assert client.post(reverse("catalogue:take_up", args=[course.public_id])).status_code == 404
    with pytest.raises(CatalogueError, match="not offered to you"):
        entering.take_up(person=jun, thing=course, by=jun.account)
    f.an_assignment(course)
    assert client.get(page).status_code == 200


def test_two_decide_at_once_and_the_first_counts(jun, master):
    made = entering.ask(person=jun, thing=offered(f.a_course(), Admission.ON_APPROVAL), words="", by=jun.account)
    second = Request.objects.get(pk=made.pk)
    entering.decide(request=made, is_approved=False, answer="No.", by=master.account)
    with pytest.raises(CatalogueError, match="Ada Venn refused it"), transaction.atomic():
        entering.decide(request=second, is_approved=True, answer="", by=master.account)
    with pytest.raises(CatalogueError, match="the first decision counts"):
        entering.withdraw_request(request=second, by=jun.account)
    assert not Enrolment.objects.exists()


def test_asking_and_deciding_in_the_browsers_pages(jun, master, client):
    course = offered(f.a_course(), Admission.ON_APPROVAL)
    client.force_login(jun.account)
    client.post(reverse("catalogue:ask", args=[course.public_id]), {"words": "For the winter.", "once": "a"})
    page = client.get(reverse("catalogue:thing", args=[course.public_id])).content.decode()
    assert "Ada Venn decides" in page
    client.force_login(master.account)
    shown = client.get(reverse("catalogue:requests")).content.decode()
    assert "For the winter." in shown
    decide = reverse("catalogue:decide", args=[Request.objects.get().public_id])
    refused = client.post(decide, {"decision": "no", "answer": ""})
    assert refused.status_code == 422
    assert "Say why it is refused" in refused.content.decode()
    assert client.post(decide, {"decision": "yes", "answer": ""}).status_code == 302
    assert Enrolment.objects.get().person == jun
    assert not Decider.objects.filter(request__state=Request.State.WAITS).exists()


def test_a_path_that_is_taken_up_asks_for_its_courses_and_follows_its_editions(jun, on):
    one, two = f.a_course("Fire"), f.a_course("Crowd")
    path = paths.create_path(title="First days", binder=f.a_binder(), by=f.BY)
    path = paths.edit_path(
        path=path, revision=None, title="First days", summary="What comes first.", is_in_order=True, by=f.BY
    )
    stages = [paths.StagePlan("Aboard", "raise the alarm", 10, [one.pk])]
    paths.change_stages(path=path, stages=stages, by=f.BY)
    paths.release_path(path=path, by=f.BY)
    wish = entering.take_up(person=jun, thing=offered(path), by=jun.account)
    found = requirements(people=[jun.pk], day=f.d("2027-03-01"))
    assert [(r.course, r.requirement.due, r.requirement.mandatory) for r in found] == [
        (one.pk, f.d("2027-03-11"), False)
    ]
    on("2027-03-04")
    paths.change_stages(path=path, stages=[*stages, paths.StagePlan("Ashore", "guide", 20, [two.pk])], by=f.BY)
    paths.release_path(path=path, by=f.BY)
    assert {place.course for place in jun.enrolments.all()} == {one, two}
    # Nobody is told of what they chose themselves.
    assert not Notice.objects.exists()
    on("2027-03-06")
    wishing.give_up(wish=wish, by=jun.account)
    assert not requirements(people=[jun.pk], day=f.d("2027-03-06"))
    assert not any(place.is_open for place in jun.enrolments.all())
    assert not list(differences())
