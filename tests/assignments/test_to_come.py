"""People to come: what will be asked of them from when, seats booked ahead, and begun where that is allowed. Rule: 4."""

import pytest
from django.urls import reverse

from stepladder.accounts.models import Organisation
from stepladder.accounts.organisation import forget
from stepladder.assignments.actions import keep_true
from stepladder.assignments.queries import asked_of, requirements
from stepladder.learning.actions import begin_step, record_completion
from stepladder.learning.errors import NotHereYet
from stepladder.timetable import actions as timetable
from stepladder.timetable import queries
from stepladder.timetable.errors import NotOpen
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def jun(organisation, media, on):
    """Starts on 21 May; a course with a session is asked for within 30 days of coming in."""
    on("2026-05-14")
    f.a_person("Ada Venn")
    course = f.a_course("Fire on board", [f.a_module("Booklet"), f.a_module("The drill", kind="session")])
    f.an_assignment(course, notice_days=0)
    return f.a_person("Jun Pellam", hired="2026-05-21")


def test_what_will_be_asked_is_reckoned_as_of_the_first_day(jun):
    assert requirements(people=[jun.pk], day=f.d("2026-05-14")) == []
    (row,) = asked_of([jun.pk], f.d("2026-05-14"))
    assert (str(row.requirement.status), row.requirement.due) == ("to do", f.d("2026-06-20"))
    assert len(asked_of(None, f.d("2026-05-14"))) == 2
    # Again and again, the place stays.
    assert keep_true() == 0
    assert jun.enrolments.get().is_open


def test_seats_are_booked_ahead_but_not_before_the_first_day(jun):
    drill = jun.enrolments.get().edition.steps.get(module__kind="session").module
    session, early = f.a_session("2026-05-28", module=drill), f.a_session("2026-05-20", module=drill)
    assert jun.pk in dict(queries.needing(drill))
    found, _ = queries.candidates(queries.one_row(session), f.an_account("administrator"))
    (mine,) = [one for one in found if one.person == jun]
    assert (mine.where, mine.stands_against) == ("Dunlin, Deckhand, from 21 May 2026", "")
    with pytest.raises(NotOpen, match="Jun Pellam starts on 21 May 2026, after this session"):
        timetable.book_seat(session=early, person=jun, by=f.BY)
    assert timetable.book_many(session=early, people=[jun], by=f.BY).passed_over == [
        "Jun Pellam: starts on 21 May 2026"
    ]
    assert timetable.book_seat(session=session, person=jun, by=f.BY).state == "booked"


def test_they_begin_where_it_is_allowed_and_what_they_do_counts_from_its_day(jun, on):
    place = jun.enrolments.get()
    step = place.edition.steps.get(module__kind="document")
    Organisation.objects.update(begins_early=False)
    forget()
    with pytest.raises(NotHereYet, match="“Fire on board” opens on your first day, 21 May 2026"):
        begin_step(enrolment=place, step=step, by=f.BY)
    Organisation.objects.update(begins_early=True)
    forget()
    begin_step(enrolment=place, step=step, by=f.BY)
    record_completion(person=jun, course=place.course, edition=place.edition, day=f.d("2026-05-15"), by=f.BY)
    (row,) = requirements(people=[jun.pk], day=f.d("2026-05-21"))
    assert str(row.requirement.status) == "current"


def test_a_course_may_say_it_otherwise_than_the_organisation(jun, client):
    place = jun.enrolments.get()
    step = place.edition.steps.get(module__kind="document")
    admin = f.an_account("administrator")
    client.force_login(admin)
    offer = reverse("courses:course_offer", args=[place.course.public_id])
    sent = {"admission": "assigned only", "who": "all", "level": "", "language": "", "contact": "", "wish_days": ""}
    client.post(offer, sent | {"begins_early": "no", "once": "a"})
    with pytest.raises(NotHereYet):
        begin_step(enrolment=place, step=step, by=f.BY)
    f.an_account("learner", person=jun)
    client.force_login(jun.account)
    assert "it opens on that day" in page_text(client.get(reverse("desk:up_next")))
    Organisation.objects.update(begins_early=False)
    forget()
    client.force_login(admin)
    client.post(offer, sent | {"begins_early": "yes", "once": "b"})
    client.force_login(jun.account)
    assert "you may begin before" in page_text(client.get(reverse("desk:up_next")))
    begin_step(enrolment=place, step=step, by=f.BY)


def test_they_are_shown_with_unit_position_and_day(jun, client):
    client.force_login(f.an_account("administrator"))
    assert "1 to come" in page_text(client.get(reverse("people:list")))
    listed = page_text(client.get(reverse("people:list"), {"state": "to come", "unit": f.a_unit().public_id}))
    assert "Pellam" in listed
    assert "from 21 May 2026" in listed
    assert "no placement today" not in listed
    assert "Asked of them from 21 May 2026" in page_text(client.get(reverse("people:person", args=[jun.public_id])))
    record = page_text(client.get(reverse("records:record", args=[jun.public_id])))
    assert "Starts on Thu 21 May 2026" in record
    assert "Fire on board" in record
    client.force_login(f.an_account("learner", person=jun))
    own = page_text(client.get(reverse("desk:up_next")))
    assert "You start on Thu 21 May 2026, in 7 days: Deckhand, Dunlin." in own
    assert "From then on this is asked of you; you may begin before." in own
    assert "Begin" in own
