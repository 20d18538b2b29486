from datetime import timedelta

import pytest
from django.core import mail
from django.db import transaction
from django.db.models import Max
from django.urls import reverse

from stepladder import clock, daily
from stepladder.accounts.organisation import calendar
from stepladder.assignments import actions
from stepladder.assignments.checking import differences
from stepladder.assignments.errors import AssignmentError
from stepladder.assignments.models import Assignment, Moved, Reason
from stepladder.assignments.queries import requirements
from stepladder.charts import actions as charts_actions
from stepladder.core.days import FOREVER, resolve_day
from stepladder.courses import actions as courses
from stepladder.journal.models import Entry
from stepladder.journal.undoing import take_back
from stepladder.learning.actions import record_completion, revoke_completion
from stepladder.learning.models import Enrolment
from stepladder.notices.models import Notice
from stepladder.people import actions as people
from stepladder.people.models import Placement
from stepladder.queue.actions import at_once
from stepladder.standins.models import TrayMail
from stepladder.telling.tasks import enqueue_notices
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def today(organisation, on):
    on("2026-05-14")
    return clock.today()


def standing(person, day=None, known_on=None):
    found = requirements(people=[person.pk], day=day or clock.today(), known_on=known_on)
    return {row.course: row.requirement for row in found}


def status(person, course, day=None, known_on=None):
    found = standing(person, day, known_on).get(course.pk)
    return found and str(found.status)


def complete(person, course, day, recorded=None):
    done = record_completion(person=person, course=course, edition=course.editions.get(), day=f.d(day), by=f.BY)
    return done


def move(person, unit, day):
    ending = Placement.objects.known_now().filter(person=person, to_day=None)
    people.move(person=person, unit=f.a_unit(unit), position=f.a_position(), from_day=f.d(day), ending=ending, by=f.BY)


def test_saving_gives_a_reason_an_enrolment_and_one_notice_with_a_direct_link(
    today, django_capture_on_commit_callbacks
):
    jun = f.a_person("Jun Pellam", email="jun@example.example")
    f.an_account("learner", person=jun)
    ada = f.a_person("Ada Venn", unit="Knot")
    with django_capture_on_commit_callbacks(execute=True):
        f.an_assignment(f.a_course("Fire on board"))
    assert [(r.person, r.opened, r.due) for r in Reason.objects.all()] == [(jun, today, f.d("2026-06-13"))]
    place = Enrolment.objects.get()
    notice = Notice.objects.get()
    assert (place.person, notice.subject) == (jun, "“Fire on board” is to be done by 13 Jun 2026")
    letter = mail.outbox[0] if mail.outbox else TrayMail.objects.get()
    text = letter.body if mail.outbox else letter.text
    assert reverse("playing:course", args=[place.public_id]) in text
    assert "Because it matters." in text
    assert not Enrolment.objects.filter(person=ada).exists()


def test_who_comes_in_later_reads_words_of_their_own(today, client, on):
    course = f.a_course("Fire")
    jun = f.a_person("Jun Pellam")
    client.force_login(f.an_account("administrator"))
    sent = FORM | {"course": course.public_id, "message": "New from this summer.", "g0-unit": [f.a_unit().pk]}
    client.post(reverse("assignments:new"), sent | {"later_message": "Welcome aboard.", "once": "a"})
    assignment = Assignment.objects.get()
    on("2026-05-20")
    ada = f.a_person("Ada Venn", hired="2026-05-20")
    words = {row.person: row.message for row in Reason.objects.select_related("assignment", "person")}
    assert words == {jun: "New from this summer.", ada: "Welcome aboard."}
    said = {notice.person: notice.text for notice in Notice.objects.select_related("person")}
    assert "All crews: New from this summer." in said[jun]
    assert "All crews: Welcome aboard." in said[ada]
    assert "New from this summer." not in said[ada]
    # What is changed while it runs holds for whoever reads it from then on.
    page = reverse("assignments:change", args=[assignment.public_id])
    assert "Welcome aboard." in page_text(client.get(page))
    client.post(page, sent | {"course": course.public_id, "later_message": "", "once": "b"})
    assert {row.message for row in Reason.objects.select_related("assignment")} == {"New from this summer."}


def test_whoever_is_covered_already_is_not_enrolled_or_told(today):
    course = f.a_course("Fire", months=12)
    jun = f.a_person("Jun Pellam")
    complete(jun, course, "2026-01-10")
    f.an_assignment(course)
    assert status(jun, course) == "current"
    assert (Enrolment.objects.count(), Notice.objects.count()) == (0, 0)


def test_hiring_somebody_brings_the_requirement_and_moving_them_closes_it_and_says_why(today, client):
    course = f.a_course("Fire")
    assignment = f.an_assignment(course)
    jun = f.a_person("Jun Pellam", hired="2026-05-14")
    assert status(jun, course) == "to do"
    assert Enrolment.objects.get(person=jun).is_open
    move(jun, "Knot", "2026-05-20")
    assert status(jun, course, f.d("2026-05-19")) == "to do"
    assert status(jun, course, f.d("2026-05-20")) is None
    client.force_login(f.an_account("administrator"))
    page = client.get(reverse("records:why", args=[jun.public_id, course.public_id])).content.decode()
    assert assignment.name in page
    assert "in Dunlin" in page
    assert "Asked for until 19 May 2026." in page


def test_a_place_that_was_not_begun_closes_with_its_requirement(today, on):
    course = f.a_course("Fire")
    f.an_assignment(course)
    jun = f.a_person("Jun Pellam")
    move(jun, "Knot", "2026-05-20")
    on("2026-05-20")
    actions.keep_true()
    place = Enrolment.objects.get()
    assert (place.closed_on, place.closed_because) == (f.d("2026-05-20"), "no assignment asks for it any more")


def test_back_within_30_days_keeps_the_old_due_day(today):
    course = f.a_course("Fire")
    f.an_assignment(course, start=f.d("2026-01-01"))
    jun = f.a_person("Jun Pellam", hired="2026-03-01")
    due = standing(jun)[course.pk].due
    move(jun, "Knot", "2026-05-20")
    move(jun, "Dunlin", "2026-06-10")
    assert standing(jun, f.d("2026-06-10"))[course.pk].due == due
    move(jun, "Knot", "2026-06-20")
    move(jun, "Dunlin", "2026-09-01")
    assert standing(jun, f.d("2026-09-01"))[course.pk].due == f.d("2026-10-01")


def test_the_daily_run_enrols_whoever_comes_to_need_it_and_does_nothing_twice(today, on):
    course = f.a_course("Fire", months=12, window=60)
    jun = f.a_person("Jun Pellam")
    complete(jun, course, "2025-08-01")
    f.an_assignment(course)
    assert Enrolment.objects.count() == 0
    on("2026-06-02")
    assert status(jun, course) == "renew"
    assert actions.keep_true() == 1
    assert actions.keep_true() == 0
    with transaction.atomic(), at_once():
        enqueue_notices()
    assert Notice.objects.get().subject == "Renew “Fire”: valid until 1 Aug 2026"


def test_daily_tasks_are_enqueued_once_a_day(today, on):
    every = [
        "charts",
        "sign-ins",
        "uploads",
        "links",
        "derived",
        "taken out",
        "rest",
        "room",
        "planned releases",
        "assignments",
        "requests",
        "journal head",
        "old packs",
        "journal digests",
        "keeping",
        "columns of reports",
        "kept reports",
        "files of reports",
        "pruning",
    ]
    assert daily.enqueue_due() == every
    assert daily.enqueue_due() == []
    on("2026-05-17")
    assert daily.enqueue_due() == every


def test_a_one_off_takes_the_people_of_its_start_once(today, on):
    course = f.a_course("Briefing")
    early = f.a_person("Jun Pellam")
    f.an_assignment(course, is_one_off=True, due_trigger="", due_day=f.d("2026-06-30"))
    on("2026-05-15")
    late = f.a_person("Ada Venn")
    move(early, "Knot", "2026-05-16")
    on("2026-06-01")
    assert (status(early, course), status(late, course)) == ("to do", None)
    assert list(differences()) == []


def test_a_waiver_covers_its_days_and_moves_what_is_due_inside(today, on):
    course = f.a_course("Fire")
    jun = f.a_person("Jun Pellam")
    f.an_assignment(course)
    waiver = actions.grant_waiver(
        person=jun, course=course, from_day=f.d("2026-06-01"), to_day=f.d("2026-06-30"), reason="At sea", by=f.BY
    )
    assert status(jun, course, f.d("2026-06-10")) == "waived"
    assert standing(jun, f.d("2026-07-01"))[course.pk].due == f.d("2026-07-14")
    on("2026-05-16")
    actions.revoke_waiver(waiver=waiver, by=f.BY)
    assert status(jun, course, f.d("2026-06-20")) == "overdue"
    assert status(jun, course, f.d("2026-06-20"), known_on=f.d("2026-05-15")) == "waived"


def test_leave_pushes_the_due_day(today):
    course = f.a_course("Fire")
    jun = f.a_person("Jun Pellam")
    people.record_leave(person=jun, from_day=f.d("2026-06-01"), to_day=f.d("2026-06-10"), by=f.BY)
    f.an_assignment(course)
    assert standing(jun)[course.pk].due == f.d("2026-06-23")


def test_both_clocks_a_completion_recorded_late_and_revoked(on, organisation):
    """Due 02-15, done 02-10, recorded 03-05, revoked 04-01."""
    on("2026-01-01")
    course = f.a_course("Fire", months=12)
    jun = f.a_person("Jun Pellam")
    f.an_assignment(course, start=f.d("2026-01-01"), due_trigger="", due_day=f.d("2026-02-15"))
    on("2026-03-05")
    done = complete(jun, course, "2026-02-10")
    on("2026-04-01")
    revoke_completion(completion=done, because="The wrong person", by=f.BY)
    on("2026-04-02")
    day = f.d("2026-02-20")
    known = [status(jun, course, day, f.d(k)) for k in ("2026-02-20", "2026-03-10", "2026-04-02")]
    assert known == ["overdue", "current", "overdue"]
    assert list(differences()) == []


def test_a_large_release_may_ask_for_it_again(today, on):

    course = f.a_course("Fire", months=12)
    jun = f.a_person("Jun Pellam")
    complete(jun, course, "2026-04-01")
    f.an_assignment(course, start=f.d("2026-05-01"))
    courses.new_edition(course=course, by=f.BY)
    courses.release_course(course=course, size="large", retake_by=f.d("2026-06-30"), by=f.BY)
    assert (status(jun, course), status(jun, course, f.d("2026-07-01"))) == ("current", "lapsed")
    assert status(jun, course, f.d("2026-05-13")) == "current"
    assert list(differences()) == []


def test_an_equivalent_course_covers_under_this_ones_validity(today):

    fire, advanced = f.a_course("Fire", months=12), f.a_course("Advanced", months=60)
    jun = f.a_person("Jun Pellam")
    f.an_assignment(fire)
    complete(jun, advanced, "2026-02-01")
    assert status(jun, fire) == "to do"
    courses.set_relations(course=fire, prerequisites=[], satisfied_by=[advanced], by=f.BY)
    assert standing(jun)[fire.pk].valid_until == f.d("2027-02-01")
    assert list(differences()) == []


def test_a_reach_that_asks_for_completions_follows_them(today):
    basic, advanced = f.a_course("Basic", months=12), f.a_course("Advanced")
    jun = f.a_person("Jun Pellam")
    f.an_assignment(advanced, {"in": {"kind": "holds", "course": basic.pk}})
    assert status(jun, advanced) is None
    complete(jun, basic, "2026-05-10")
    assert status(jun, advanced) == "to do"
    assert list(differences()) == []


def test_a_reach_that_asks_for_completions_follows_the_terms_they_are_valid_by(
    today, django_capture_on_commit_callbacks
):
    basic, advanced = f.a_course("Basic", months=12), f.a_course("Advanced")
    jun = f.a_person("Jun Pellam")
    f.an_assignment(advanced, {"in": {"kind": "holds", "course": basic.pk}})
    complete(jun, basic, "2025-08-01")
    assert status(jun, advanced) == "to do"
    shorter = {"months": 6, "days": 0, "is_calendar_year": False, "window_days": 0, "grace_days": 0}
    with django_capture_on_commit_callbacks(execute=True):
        courses.set_terms(course=basic, **shorter, from_day=f.d("2020-01-01"), by=f.BY)
    assert status(jun, advanced) is None
    assert list(differences()) == []


@pytest.mark.parametrize(
    ("reach", "rule", "message"),
    [
        ({"in": None}, {}, "This reach names nobody"),
        ({"in": {"kind": "all", "parts": [{"kind": "any", "parts": []}]}}, {}, "has nothing in it"),
        (None, {"end": "2026-05-01"}, "would end before it starts"),
    ],
)
def test_what_cannot_be_meant_is_refused(today, reach, rule, message):
    course = f.a_course("Fire")
    if "end" in rule:
        rule = {"end": f.d(rule["end"])}
    with pytest.raises(AssignmentError, match=message):
        f.an_assignment(course, reach, **rule)
    assert Assignment.objects.count() == 0


def test_a_reach_may_not_ask_for_its_own_course(today):
    course = f.a_course("Fire")
    with pytest.raises(AssignmentError, match="the very course it assigns"):
        f.an_assignment(course, {"in": {"kind": "none", "parts": [{"kind": "holds", "course": course.pk}]}})


def test_a_draft_cannot_be_assigned(today):
    with pytest.raises(AssignmentError, match="is not released, so nobody could begin it"):
        f.an_assignment(f.a_draft("Fire"))


def test_ending_an_assignment_closes_what_it_asked_for_after_that_day(today):
    course = f.a_course("Fire")
    jun = f.a_person("Jun Pellam")
    assignment = f.an_assignment(course)
    actions.end_assignment(assignment=assignment, end=f.d("2026-05-31"), by=f.BY)
    assert (status(jun, course, f.d("2026-05-31")), status(jun, course, f.d("2026-06-01"))) == ("due soon", None)
    with pytest.raises(AssignmentError, match="it cannot end before"):
        actions.end_assignment(assignment=assignment, end=f.d("2026-01-01"), by=f.BY)


FORM = {
    "name": "All crews",
    "is_mandatory": "1",
    "is_one_off": "",
    "start": "2026-05-14",
    "due": "after",
    "due_days": "30",
    "due_after": "opening",
    "due_end": "quarter",
    "notice_days": "14",
    "parts": "1",
    "join": "all",
    "g0-mode": "any",
    "g0-below": "1",
    "message": "Why not",
}


def test_the_margin_shows_what_it_would_do_before_it_is_saved(today, client):
    client.force_login(f.an_account("administrator"))
    course = f.a_course("Fire", months=12)
    jun, ada, bo = f.a_person("Jun Pellam"), f.a_person("Ada Venn"), f.a_person("Bo Tarn", unit="Knot")
    f.a_person("Una Wick", hired="2026-06-01")
    complete(jun, course, "2026-02-02")
    data = FORM | {"course": course.public_id, "g0-unit": [f.a_unit().pk], "named_in": [bo.public_id]}
    page = " ".join(client.post(reverse("assignments:effect"), data).content.decode().split())
    assert '<b class="fig">3</b> people at its start, <b class="fig">1</b> more are known to come in' in page
    assert "13 Jun 2026" in page
    assert ada.name in page
    assert Reason.objects.count() == 0
    page = client.post(reverse("assignments:effect"), data | {"named_out": [ada.public_id]}).content.decode()
    assert ada.name not in page
    page = client.post(reverse("assignments:effect"), FORM | {"course": course.public_id}).content.decode()
    assert "This reach names nobody" in page


def test_groups_combine_as_the_form_says(today, client):
    client.force_login(f.an_account("administrator"))
    course = f.a_course("Fire")
    f.a_person("Jun Pellam", position="Deckhand")
    f.a_person("Ada Venn", position="Bosun")
    f.a_person("Bo Tarn", unit="Knot", position="Bosun")
    groups = {"parts": "2", "g0-unit": [f.a_unit().pk], "g1-mode": "none", "g1-position": [f.a_position("Bosun").pk]}
    client.post(reverse("assignments:new"), FORM | groups | {"course": course.public_id, "once": "a"})
    assert [r.person.name for r in Reason.objects.all()] == ["Jun Pellam"]
    client.post(reverse("assignments:new"), FORM | groups | {"course": course.public_id, "once": "a"})
    assert Assignment.objects.count() == 1
    page = client.get(reverse("assignments:assignment", args=[Assignment.objects.get().public_id])).content.decode()
    assert "in Dunlin; not Bosun" in page


@pytest.mark.parametrize(
    ("changes", "says"),
    [
        ({"end": "2026-05-01"}, "It would end before it starts"),
        ({"due": "day", "due_day": ""}, "Say which day."),
        ({"due": "day", "due_day": "2026-05-01"}, "It would be due before it starts"),
        ({"due": "none"}, "What is mandatory needs a day"),
        ({"start": "2026-02-30"}, "“2026-02-30” is not a day"),
    ],
)
def test_wrong_days_are_said_at_their_field_and_nothing_is_lost(today, client, changes, says):
    client.force_login(f.an_account("administrator"))
    course = f.a_course("Fire")
    data = FORM | {"course": course.public_id, "g0-unit": [f.a_unit().pk]} | changes
    answer = client.post(reverse("assignments:new"), data)
    page = answer.content.decode()
    assert answer.status_code == 422
    assert says in page
    assert 'value="All crews"' in page
    assert Assignment.objects.count() == 0


@pytest.mark.parametrize("count", [4, 24])
def test_looking_at_everybody_costs_the_same_number_of_queries(today, count, django_assert_num_queries):
    for n in range(count):
        f.a_person(f"Jun Number{n}")
    f.an_assignment(f.a_course("Fire"))
    with django_assert_num_queries(3):
        assert len(requirements(day=clock.today())) == count


def test_what_is_to_come_takes_effect_on_its_day(today):
    course = f.a_course("Fire")
    jun = f.a_person("Jun Pellam", hired="2026-06-01")
    f.an_assignment(course)
    end = resolve_day("end of this month", today=today, calendar=calendar())
    assert status(jun, course, end) is None
    assert status(jun, course, end + timedelta(days=1)) == "to do"


def test_a_revoked_completion_opens_its_place_again_whatever_other_assignments_ask(organisation, on):
    """Another assignment asks for completions of another course: that used to keep this one's place shut until the night."""
    on("2026-05-14")
    jun, fire, crowd = f.a_person("Jun Pellam"), f.a_course("Fire"), f.a_course("Crowd")
    f.an_assignment(f.a_course("Lines"), {"in": {"kind": "any", "parts": [{"kind": "holds", "course": crowd.pk}]}})
    f.an_assignment(fire)
    place = Enrolment.objects.get(person=jun, course=fire)
    completion = record_completion(
        person=jun, course=fire, edition=place.edition, enrolment=place, day=f.d("2026-05-14"), by=f.BY
    )
    Enrolment.objects.filter(pk=place.pk).update(completed_at=clock.now())
    revoke_completion(completion=completion, because="A slip", by=f.BY)
    assert Enrolment.objects.filter(person=jun, course=fire, completed_at=None, closed_on=None).count() == 1


def test_a_unit_that_is_moved_back_by_taking_back_takes_everybody_below_it_along(organisation, on):
    """Also those whose unit hangs below it on a later day only."""
    on("2026-05-14")
    fleet, shore, yard = f.a_unit("Fleet"), f.a_unit("Shore"), f.a_unit("Yard", "Fleet")
    f.a_unit("Crew", "Shore")
    jun = f.a_person("Jun Pellam", unit="Crew")
    f.an_assignment(f.a_course("Fire"), f.in_units(fleet))
    charts_actions.move_node(node=f.a_unit("Crew"), under=yard, from_day=f.d("2026-07-01"), by=f.BY)
    assert [str(r.first) for r in Reason.objects.filter(person=jun)] == ["2026-07-01"]
    charts_actions.move_node(node=yard, under=shore, from_day=f.d("2026-06-01"), by=f.BY)
    assert not Reason.objects.filter(person=jun, known_to=FOREVER).exists()
    take_back(Entry.objects.filter(verb="move_node").latest("number"), by=f.BY)
    assert [str(r.first) for r in Reason.objects.filter(person=jun, known_to=FOREVER)] == ["2026-07-01"]
    assert list(differences()) == []


def test_rows_that_stay_as_they_are_keep_their_keys_and_nobody_counts_as_moved(organisation, on):
    on("2026-05-14")
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    f.an_assignment(f.a_course("Fire"))
    keys = dict(Reason.objects.values_list("person_id", "pk"))
    moved = Moved.objects.aggregate(newest=Max("pk"))["newest"]
    actions.refresh_reasons(people=[jun.pk, ada.pk])
    assert dict(Reason.objects.values_list("person_id", "pk")) == keys
    assert Moved.objects.aggregate(newest=Max("pk"))["newest"] == moved
