"""One message a person, whatever number of things it is about; an invitation says what is asked."""

import pytest
from django.core import mail
from django.urls import reverse

from stepladder.assignments import actions as assigning
from stepladder.notices.models import Notice
from stepladder.people.actions import hire, invite_many
from tests import factories as f
from tests.assignments.test_paths import a_path

BY = f.BY


@pytest.fixture
def crew(organisation, media, on):
    """Every deckhand of the Dunlin is asked for two courses and a path that has one of them."""
    on("2026-05-14")
    fire, lines, crowd = f.a_course("Fire"), f.a_course("Lines"), f.a_course("Crowd")
    path = a_path("New on deck", ("Safe", 30, [fire]), ("Trusted", None, [lines]))
    reach = f.in_units(f.a_unit())
    f.an_assignment(fire, reach, due_days=20, notice_days=0)
    f.an_assignment(crowd, reach, due_days=40, notice_days=0)
    rule = f.a_rule(reach, due_days=90, notice_days=0)
    assigning.assign(course=path, name="All new on deck", message="Stage by stage.", rule=rule, by=BY)
    return fire, lines, crowd


def hired(number, **more):
    place = {"unit": f.a_unit(), "position": f.a_position(), "hired_on": f.d("2026-05-14"), **more}
    return hire(given_name="Jun", family_name="Pellam", employee_number=number, by=BY, **place)


def test_a_new_starter_gets_one_message_of_courses_and_the_whole_path(crew):
    jun = hired("T1", email="jun@example.example")
    told = Notice.objects.get(person=jun)
    assert told.subject == "2 things are before you, the first by 3 Jun 2026"
    assert "“New on deck”, 2 courses, the first by 3 Jun 2026:" in told.text
    assert "1. Safe, by 3 Jun 2026: Fire\n" in told.text
    assert "2. Trusted, by 12 Aug 2026: Lines\n" in told.text
    assert "- “Crowd”, by 23 Jun 2026\n    All of them: Crowd: Because it matters." in told.text
    # To where all of it stands, not to a course that waits for others.
    assert told.path == reverse("desk:up_next")
    # Who cannot sign in yet would not get there by a letter.
    assert told.channel == Notice.Channel.HERE


def test_who_can_sign_in_has_it_by_mail(crew):
    jun = f.a_person("Jun Pellam", unit="Knot", email="jun@example.example")
    f.an_account("learner", person=jun)
    f.an_assignment(crew[0], {"in": None, "named_in": [jun.pk], "named_out": []})
    assert [n.channel for n in Notice.objects.filter(person=jun)] == [Notice.Channel.MAIL]


def test_an_invitation_says_what_is_asked_from_the_first_day(crew, django_capture_on_commit_callbacks):
    jun = hired("T1", email="jun@example.example", hired_on=f.d("2026-05-21"))
    with django_capture_on_commit_callbacks(execute=True):
        invite_many(people=[jun], by=BY)
    (letter,) = mail.outbox
    assert letter.to == ["jun@example.example"]
    assert "From your first day, Thu 21 May 2026, this is asked of you:" in letter.body
    assert "- “New on deck”, 2 courses, the first by 10 Jun 2026:" in letter.body
    assert "- “Crowd”, by 30 Jun 2026" in letter.body
    nobody = hired("T2", email="ada@example.example", unit=f.a_unit("Knot"))
    with django_capture_on_commit_callbacks(execute=True):
        invite_many(people=[nobody], by=BY)
    assert "asked of you" not in mail.outbox[-1].body
