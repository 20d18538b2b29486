"""Acts on sessions that are taken back, and what since stands against it."""

from datetime import time

import pytest
from django.urls import reverse
from icalendar import Calendar

from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.journal.undoing import CannotTakeBack, obstacles, take_back
from stepladder.learning.actions import enrol, revoke_completion
from stepladder.learning.models import Completion, Enrolment, StepDone
from stepladder.notices.models import Notice
from stepladder.timetable import actions
from stepladder.timetable.actions.planning import MeetingPlan
from stepladder.timetable.models import Booking, Session
from stepladder.timetable.snapshots import snapshot
from tests import factories as f
from tests.timetable.drills import some, standing

BY = f.BY


def now(session):
    return snapshot(Session.objects.select_related("room").get(pk=session.pk))


def move(session, day, start="09:00", room=None, **more):
    meetings = [MeetingPlan(f.d(day), time.fromisoformat(start), 120)]
    actions.reschedule(session=session, meetings=meetings, room=room or session.room, by=BY, **more)


def last(verb):
    return Entry.objects.filter(verb=verb).latest("number")


def told(person):
    return Notice.objects.filter(person=person).latest("pk")


def test_a_cancelled_session_takes_place_again_with_everybody_in_it(drill):
    ada, bea, cal = some("Ada Venn", "Bea Marsh", "Cal Dahl")
    # At the very same time: that they would leave it does not stand against coming back.
    to = f.a_session("2026-06-10", module=drill.module, room=f.a_room("Net loft"))
    actions.book_many(session=drill, people=[ada, bea, cal], by=BY)
    before = now(drill)
    actions.cancel_session(session=drill, because="No boat", move_to=to, by=BY)
    take_back(last("cancel_session"), by=BY)
    assert now(drill) == before
    assert standing(drill) == {"Ada": "booked", "Bea": "booked", "Cal": "waiting"}
    assert standing(to) == {}
    letters = Notice.objects.filter(person=ada).order_by("-pk")[:2]
    assert {letter.subject for letter in letters} == {
        f"You have a seat in “{drill.module}”",
        f"You no longer have a seat in “{drill.module}”",
    }
    una = told(drill.instructors.get())
    assert una.subject == f"You teach “{drill.module}”"
    (event,) = Calendar.from_ical(una.calendar).walk("VEVENT")
    assert (event["STATUS"], event["SEQUENCE"]) == ("CONFIRMED", 2)
    assert list(problems()) == []


def test_a_cancelled_session_stays_so_where_its_room_or_its_people_are_elsewhere_by_now(drill):
    ada, bea = some("Ada Venn", "Bea Marsh")
    actions.book_many(session=drill, people=[ada, bea], by=BY)
    actions.cancel_session(session=drill, because="No boat", by=BY)
    other = f.a_session("2026-06-10", "10:00", module=f.a_module("Ropes", kind="session"), room=drill.room)
    actions.book_seat(session=other, person=bea, by=BY)
    with pytest.raises(CannotTakeBack) as refused:
        take_back(last("cancel_session"), by=BY)
    assert refused.value.reasons == [
        f"{drill.room} is taken on 10 Jun 2026 from 10:00: “Ropes”.",
        "Bea Marsh learns elsewhere on 10 Jun 2026 from 10:00: “Ropes”.",
    ]
    assert standing(drill) == {"Ada": "cancelled", "Bea": "cancelled"}


def test_a_clash_that_was_planned_knowingly_does_not_stand_against_the_way_back(drill):
    una = drill.instructors.get()
    f.a_session("2026-06-10", "10:00", module=drill.module, instructors=[una], room=f.a_room("B"), despite_clashes=True)
    before = now(drill)
    move(drill, "2026-06-12")
    take_back(last("reschedule"), by=BY)
    assert now(drill) == before


def test_a_plan_is_taken_back_as_long_as_nobody_has_a_seat_and_nothing_of_it_was_changed(drill):
    una, planned = drill.instructors.get(), last("plan_session")
    (ada,) = some("Ada Venn")
    actions.book_seat(session=drill, person=ada, by=BY)
    assert obstacles(planned) == [
        "One person has a seat in it or waits for one by now: cancel it instead, and say why."
    ]
    actions.cancel_seat(booking=Booking.objects.known_now().get(), by=BY)
    actions.set_capacity(session=drill, capacity=3, by=BY)
    assert obstacles(planned) == ["The drill has 3 seats instead of 2 since: take that back first."]
    take_back(last("set_capacity"), by=BY)
    take_back(planned, by=BY)
    assert (now(drill)["state"], now(drill)["cancelled_because"]) == ("cancelled", "planning it was taken back")
    assert told(una).subject == "You do not teach, it is cancelled: “The drill”"
    assert "METHOD:CANCEL" in told(una).calendar
    # Its room and its instructor are free for another.
    f.a_session("2026-06-10", "10:00", module=drill.module, instructors=[una], room=drill.room)
    assert list(problems()) == []


def test_a_moved_session_goes_back_and_everybody_is_told_unless_it_was_moved_again_or_that_time_is_over(drill, on):
    (ada,) = some("Ada Venn")
    actions.book_seat(session=drill, person=ada, by=BY)
    before = now(drill)
    move(drill, "2026-06-12", room=f.a_room("Net loft"))
    first = last("reschedule")
    move(drill, "2026-06-15")
    assert obstacles(first) == [
        f"The drill moved from 12 Jun 2026, 09:00 to 15 Jun 2026, 09:00, {drill.room} since: take that back first."
    ]
    take_back(last("reschedule"), by=BY)
    # Other things may be others by now: seats were added since, and stay.
    actions.set_capacity(session=drill, capacity=5, by=BY)
    take_back(first, by=BY)
    assert now(drill) == before | {"capacity": 5}
    assert told(ada).subject == "New time: “The drill”"
    assert "METHOD:REQUEST" in told(ada).calendar
    move(drill, "2026-06-12")
    on("2026-06-11")
    assert obstacles(last("reschedule")) == ["It began on 10 Jun 2026 at 09:00 then, and that is over."]
    assert list(problems()) == []


def test_seats_and_details_go_back_where_nobody_sits_on_them_by_now(drill):
    ada, bea, cal = some("Ada Venn", "Bea Marsh", "Cal Dahl")
    actions.book_many(session=drill, people=[ada, bea, cal], by=BY)
    actions.set_capacity(session=drill, capacity=3, by=BY)
    assert obstacles(last("set_capacity")) == ["It had 2 seats, and 3 are booked now."]
    same = {"language": "", "last_booking_day": None, "order": "need", "note": "", "by": BY}
    una, before = drill.instructors.get(), now(drill)
    dee = some("Dee Hale")[0]
    actions.change_details(session=drill, instructors=[dee], **same | {"last_booking_day": f.d("2026-06-01")})
    take_back(last("change_session"), by=BY)
    assert now(drill) == before
    assert (told(una).subject, told(dee).subject) == ("You teach “The drill”", "You no longer teach “The drill”")
    actions.change_details(session=drill, instructors=[dee], **same)
    actions.cancel_seat(booking=Booking.objects.known_now().get(person=cal), by=BY)
    actions.book_seat(session=drill, person=una, by=BY)
    assert obstacles(last("change_session")) == ["Una Finch learns in it by now."]


def test_a_sign_off_is_taken_back_with_its_steps_unless_a_completion_rests_on_it(drill, on):
    ada, bea = some("Ada Venn", "Bea Marsh")
    course = f.a_course("Fire on board", [drill.module, f.a_module("Theory")])
    f.an_assignment(course, {"in": None, "named_in": [ada.pk, bea.pk]})
    actions.book_many(session=drill, people=[ada, bea], by=BY)
    on("2026-06-12")
    meeting = drill.meetings.get()
    actions.keep_minutes(session=drill, marks={ada: {meeting: 120}}, by=BY)
    letters = Notice.objects.count()
    actions.sign_off(session=drill, by=BY)
    first = last("sign_off")
    # It is corrected, and the correction is taken back: the step is done again.
    actions.keep_minutes(session=drill, marks={ada: {meeting: 0}}, by=BY)
    actions.sign_off(session=drill, by=BY)
    assert not StepDone.objects.known_now().exists()
    assert "since: take that back first." in obstacles(first)[0]
    take_back(last("sign_off"), by=BY)
    assert StepDone.objects.known_now().get().enrolment.person == ada
    take_back(first, by=BY)
    assert standing(drill) == {"Ada": "booked", "Bea": "booked"}
    assert now(drill)["state"] == "planned"
    assert not StepDone.objects.known_now().exists()
    assert Notice.objects.count() == letters
    assert list(problems()) == []


def test_completions_that_a_sign_off_gave_go_with_it_and_the_place_is_open_again(drill, on):
    ada, bea = some("Ada Venn", "Bea Marsh")
    theory = f.a_module("Theory", kind="session")
    f.an_assignment(f.a_course("Fire on board", [drill.module]), {"in": None, "named_in": [ada.pk]})
    f.an_assignment(f.a_course("Season", [drill.module, theory]), {"in": None, "named_in": [bea.pk]})
    actions.book_many(session=drill, people=[ada, bea], by=BY)
    on("2026-06-12")
    meeting = drill.meetings.get()
    actions.keep_minutes(session=drill, marks={ada: {meeting: 120}, bea: {meeting: 120}}, by=BY)
    actions.sign_off(session=drill, by=BY)
    assert Completion.objects.known_now().get().person == ada
    # Bea comes to complete her course by it afterwards.
    later = f.a_session("2026-06-20", module=theory)
    actions.book_seat(session=later, person=bea, by=BY)
    on("2026-06-22")
    actions.keep_minutes(session=later, marks={bea: {later.meetings.get(): 120}}, by=BY)
    actions.sign_off(session=later, by=BY)
    first = Entry.objects.get(verb="sign_off", object_id=drill.public_id)
    assert obstacles(first) == ["Bea Marsh has completed “Season” by it: revoke that completion first."]
    take_back(last("sign_off"), by=BY)
    take_back(first, by=BY)
    assert not Completion.objects.known_now().exists()
    assert not StepDone.objects.known_now().exists()
    places = Enrolment.objects.order_by("pk")
    assert [(p.person, p.is_open, p.begun_at) for p in places] == [(ada, True, None), (bea, True, None)]
    # The roster is put right and signed off anew.
    actions.keep_minutes(session=drill, marks={bea: {meeting: 0}}, by=BY)
    actions.sign_off(session=drill, by=BY)
    assert Completion.objects.known_now().get().enrolment == places[0]
    assert list(problems()) == []


def test_a_completion_after_which_somebody_learns_it_again_is_revoked_by_hand(drill, on):
    (ada,) = some("Ada Venn")
    course = f.a_course("Fire on board", [drill.module])
    f.an_assignment(course, {"in": None, "named_in": [ada.pk]})
    actions.book_seat(session=drill, person=ada, by=BY)
    on("2026-06-12")
    actions.keep_minutes(session=drill, marks={ada: {drill.meetings.get(): 120}}, by=BY)
    actions.sign_off(session=drill, by=BY)
    enrol(people=[ada], course=course, origin="own", by=BY)
    assert obstacles(last("sign_off")) == [
        "Ada Venn has completed “Fire on board” by it: revoke that completion first."
    ]
    revoke_completion(completion=Completion.objects.get(), because="another day", by=BY)
    take_back(last("sign_off"), by=BY)
    assert standing(drill) == {"Ada": "booked"}


def test_what_cannot_be_taken_back_from_the_start_is_not_offered(drill, client):
    client.force_login(f.an_account("administrator"))
    ada, bea, cal = some("Ada Venn", "Bea Marsh", "Cal Dahl")
    actions.book_many(session=drill, people=[ada, bea, cal], by=BY)
    address = reverse("timetable:seats", args=[drill.public_id])
    # Cal has the third seat at once.
    page = client.post(address, {"capacity": 3}, follow=True).content.decode()
    assert "The seats are changed." in page
    assert "Take it back" not in page
    assert "Take it back" in client.post(address, {"capacity": 4}, follow=True).content.decode()


def test_the_toast_offers_the_way_back_and_the_entry_shows_before_and_after(drill, client):
    client.force_login(f.an_account("administrator"))
    address = reverse("timetable:cancel", args=[drill.public_id])
    page = client.post(address, {"because": "No boat"}, follow=True).content.decode()
    entry = last("cancel_session")
    assert reverse("records:take_back", args=[entry.number]) in page
    sheet = client.get(reverse("records:entry", args=[entry.number])).content.decode()
    before, after = sheet.index("<li>Planned</li>"), sheet.index("<li>Cancelled</li>")
    assert before < after < sheet.index("<li>No boat</li>")
    client.post(reverse("records:take_back", args=[entry.number]))
    assert now(drill)["state"] == "planned"
