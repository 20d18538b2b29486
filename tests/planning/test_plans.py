"""Plans of sessions: asked for, worked out by the queue, changed by hand, taken over in one act, and taken back."""

from datetime import time

import pytest
from django.db import transaction
from django.urls import reverse

from stepladder.journal.models import Entry
from stepladder.planning.models import Plan
from stepladder.queue.actions import at_once
from stepladder.timetable import actions as timetable
from stepladder.timetable.errors import Clashing
from stepladder.timetable.models import Booking, Room, Session
from tests import factories as f
from tests.reading import page_text

NEW = reverse("planning:new")


@pytest.fixture
def drill(organisation, media, on, client):
    """Six of Dunlin and one of Holm need the drill by 28 May; one room of four seats, and Tilda teaches on Tuesdays. Today is Thursday,
    14 May 2026; an administrator is signed in.
    """
    on("2026-05-14")
    for name in ("Ada Venn", "Bo Tarn", "Cy Morrow", "Di Pask", "Ed Wolff", "Flo Reed"):
        f.a_person(name)
    f.a_person("Gus Holm", unit="Holm")
    module = f.a_module("The drill", kind="session")
    course = f.a_course("Fire", modules=[module])
    reach = f.in_units(f.a_unit("Dunlin"), f.a_unit("Holm"))
    f.an_assignment(course, reach, due_trigger="", due_day=f.d("2026-05-28"), notice_days=0)
    f.a_room("Upper room", seats=4)
    client.force_login(f.an_account("administrator"))
    return module


def asked(module, **more):
    return {
        "module": module.public_id,
        "first": "2026-05-18",
        "last": "2026-05-29",
        "by_site": "1",
        "minutes": "120",
        "everyone": "1",
        "parts": "1",
        **more,
    }


def made(client, module, **more):
    with transaction.atomic(), at_once():
        answer = client.post(NEW, asked(module, **more))
    assert answer.status_code == 302, page_text(answer)
    plan = Plan.objects.latest("pk")
    assert plan.state == "found", plan.trouble
    return plan, reverse("planning:plan", args=[plan.public_id])


def change(client, plan, **said):
    with transaction.atomic(), at_once():
        return client.post(reverse("planning:change", args=[plan.public_id]), said, follow=True)


def seats():
    return Booking.objects.known_now().filter(state=Booking.State.BOOKED).count()


def test_the_fewest_sessions_are_found_and_taken_over_in_one_act_and_taken_back(drill, client):
    plan, address = made(client, drill)
    assert (plan.people, plan.late, plan.sessions.count(), plan.is_best) == (7, 0, 2, True)
    page = page_text(client.get(address))
    assert "Nobody is late; no plan has fewer sessions." in page
    assert "of nobody it is said when they teach" in page
    assert "Upper room" in page
    answer = change(client, plan, act="take")
    assert "2 sessions are being planned and their people booked." in page_text(answer)
    assert (Session.objects.filter(state="planned").count(), seats()) == (2, 7)
    assert list(plan.sessions.values_list("trouble", flat=True)) == [[], []]
    # Once: who presses again is told.
    assert "taken over already" in page_text(change(client, plan, act="take"))
    assert Entry.objects.filter(verb="take_over_plan").count() == 1
    change(client, plan, act="return")
    plan.refresh_from_db()
    assert (plan.state, seats(), Session.objects.filter(state="planned").count()) == ("returned", 0, 0)


def test_what_was_changed_since_stays_and_is_named(drill, client):
    plan, address = made(client, drill)
    change(client, plan, act="take")
    first, other = plan.sessions.all()
    person = Booking.objects.known_now().filter(session=first.session).first().person
    timetable.cancel_seat(booking=Booking.objects.known_now().get(session=first.session, person=person), by=f.BY)
    change(client, plan, act="return")
    assert Session.objects.get(pk=other.session_id).state == "cancelled"
    assert Session.objects.get(pk=first.session_id).state == "planned"
    first.refresh_from_db()
    assert first.trouble
    assert first.trouble[0] in page_text(client.get(address)).replace("&#x27;", "'")


def test_a_session_is_taken_out_with_who_becomes_late_and_nobody_is_moved(drill, client):
    plan, address = made(client, drill)
    row = plan.sessions.first()
    change(client, plan, out=row.pk)
    page = client.get(address)
    assert (page.context["out"], page.context["became_late"]) == (1, len(row.people))
    assert "more become late" in page_text(page)
    change(client, plan, act="take")
    assert (Session.objects.filter(state="planned").count(), seats()) == (1, 7 - len(row.people))
    answer = change(client, plan, back=row.pk)
    assert "taken over already" in page_text(answer)


def test_hours_instructors_units_and_open_seats_are_heeded(drill, client):
    room, tilda = Room.objects.get(name="Upper room"), f.a_person("Tilda Pask", unit="Office")
    timetable.set_room_hours(room=room, hours={1: (time(9), time(13)), 3: (time(9), time(13))}, site=None, by=f.BY)
    timetable.set_teaching(person=tilda, weekdays=[1], most_a_day=1, languages=[], modules=[drill], by=f.BY)
    there = f.a_session("2026-05-20", module=drill, room=f.a_room("Net loft", seats=2))
    plan, _ = made(client, drill, away_most="3")
    new = [row for row in plan.sessions.all() if row.room_id]
    assert all((row.day.weekday(), row.start >= time(9), row.instructor) == (1, True, tilda) for row in new)
    filled = plan.sessions.get(room=None)
    assert (filled.session, len(filled.people)) == (there, 2)
    dunlin = set(f.a_unit("Dunlin").placements.values_list("person_id", flat=True))
    assert max(len(dunlin & set(row.people)) for row in plan.sessions.all()) <= 3
    assert (plan.late, len(new)) == (0, 2)
    assert ["units", 0, 1] in plan.costs
    change(client, plan, act="take")
    assert Session.objects.filter(instructors=tilda).count() == 2
    assert seats() == 7


def test_what_cannot_be_met_is_said_with_what_would_help(drill, client):
    tilda = f.a_person("Tilda Pask", unit="Office")
    other = f.a_module("The pool", kind="session")
    timetable.set_teaching(person=tilda, weekdays=[1], most_a_day=1, languages=[], modules=[other], by=f.BY)
    plan, address = made(client, drill)
    assert (plan.late, plan.sessions.count()) == (7, 0)
    page = page_text(client.get(address))
    assert "No instructor may teach it on any of these days, for 7 people. Say of somebody that they do." in page
    assert "no instructor can teach then" in page
    assert "With as many instructors as it takes" in page
    assert "7 fewer would be late" in page


def test_wrong_questions_are_refused_and_nothing_is_lost(drill, client):
    for said, why in (
        (asked(drill, first="2026-05-14"), "from tomorrow on"),
        (asked(drill, last="2026-05-10"), "lies before the first one"),
        (asked(drill, last="2027-05-10"), "120 days at most"),
        ({**asked(drill), "everyone": ""}, "names nobody"),
        (asked(f.a_module("The pool", kind="session")), "Nobody of them needs a seat"),
    ):
        answer = client.post(NEW, said)
        assert answer.status_code == 422
        assert why in answer.content.decode()
        assert 'value="120"' in answer.content.decode()
        assert why in client.post(reverse("planning:effect"), said).content.decode()
    assert client.post(reverse("planning:effect"), asked(drill)).context["in_span"] == 7
    assert client.post(reverse("planning:effect"), asked(drill, last="2026-05-20")).context["later"] == 7


def test_planning_by_hand_says_what_stands_against_it(drill, client):
    room, tilda = Room.objects.get(name="Upper room"), f.a_person("Tilda Pask", unit="Office")
    answer = client.post(
        reverse("timetable:room", args=[room.public_id]), {"opens1": "09:00", "closes1": "13:00", "site": ""}
    )
    assert answer.status_code == 302
    answer = client.post(
        reverse("timetable:teacher", args=[tilda.public_id]), {"weekdays": ["1"], "most_a_day": "1", "languages": ""}
    )
    assert answer.status_code == 302
    said = {"module": drill, "capacity": 4, "room": room, "instructors": [tilda], "by": f.BY}
    with pytest.raises(Clashing) as refusal:
        timetable.plan_session(meetings=[timetable.MeetingPlan(f.d("2026-05-20"), time(12), 120)], **said)
    assert refusal.value.lines == [
        "Marram Quay, Upper room can’t be had on a Wednesday.",
        "Tilda Pask does not teach on a Wednesday.",
    ]
    timetable.plan_session(meetings=[timetable.MeetingPlan(f.d("2026-05-19"), time(9), 120)], **said)
    with pytest.raises(Clashing, match="teaches one session a day at most"):
        timetable.plan_session(meetings=[timetable.MeetingPlan(f.d("2026-05-19"), time(11), 120)], **said)
    page = client.post(reverse("timetable:room", args=[room.public_id]), {"opens1": "13:00", "closes1": "09:00"})
    assert "On a Tuesday it closes before it opens." in page.content.decode()
    assert "Tuesday" in page_text(client.get(reverse("timetable:teachers")))


def test_only_who_plans_sessions_sees_plans(drill, client):
    plan, address = made(client, drill)
    client.force_login(f.an_account("unit administrator"))
    assert client.get(address).status_code == 403
    assert client.post(reverse("planning:change", args=[plan.public_id]), {"act": "take"}).status_code == 403
