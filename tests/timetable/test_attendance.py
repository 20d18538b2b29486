"""Who was there: minutes, check-in, signing off and putting a mistake right."""

from datetime import datetime

import pytest

from stepladder import clock
from stepladder.journal.queries import problems
from stepladder.learning.actions import revoke_completion
from stepladder.learning.errors import CountedSince
from stepladder.learning.models import Completion, Enrolment, StepDone
from stepladder.people.models import Person
from stepladder.timetable import actions
from stepladder.timetable.actions.planning import MeetingPlan
from stepladder.timetable.errors import HasSeat, NotBooked, NotHere, NotOver, SessionFull
from stepladder.timetable.models import Booking, Presence
from tests import factories as f

BY = f.BY


@pytest.fixture
def drill(organisation, media, on):
    """Two meetings on 10 June, 9:00-10:00 and 11:00-12:00, with Ada and Bea in them; a step of Fire on board."""
    on("2026-05-14")
    module = f.a_module("The drill", kind="session")
    meetings = [
        MeetingPlan(f.d("2026-06-10"), datetime.fromisoformat(f"2026-06-10T{h}:00").time(), 60) for h in ("09", "11")
    ]
    session = actions.plan_session(module=module, meetings=meetings, capacity=3, room=f.a_room(), by=BY)
    f.an_assignment(f.a_course("Fire on board", [module]), {"in": None, "named_in": [p.pk for p in people()]})
    for person in people():
        actions.book_seat(session=session, person=person, by=BY)
    return session


def people():
    found = list(Person.objects.order_by("pk"))
    return found or [f.a_person("Ada Venn"), f.a_person("Bea Marsh")]


def note(session, person, *minutes):
    marks = dict(zip(session.meetings.all(), minutes, strict=True))
    actions.keep_minutes(session=session, marks={person: marks}, by=BY)


def state(session, person):
    return Booking.objects.known_now().get(session=session, person=person).state


def test_signing_off_does_the_step_as_of_the_last_meetings_end(drill, on):
    ada, bea = people()
    on("2026-06-12")
    note(drill, ada, 48, 48)
    note(drill, bea, 48, 47)
    assert actions.sign_off(session=drill, by=BY) == {"attended": 1, "partly attended": 1, "absent": 0}
    assert (state(drill, ada), state(drill, bea)) == ("attended", "partly attended")
    completion = Completion.objects.get()
    assert (completion.person, completion.day) == (ada, f.d("2026-06-10"))
    assert completion.at.astimezone(clock.zone()).isoformat() == "2026-06-10T12:00:00+01:00"
    assert Enrolment.objects.get(person=bea).is_open
    assert list(problems()) == []
    # Again changes nothing.
    actions.sign_off(session=drill, by=BY)
    assert Completion.objects.count() == StepDone.objects.count() == 1


def test_a_late_sign_off_does_the_step_in_every_open_place_and_nowhere_else(drill, on):
    ada, bea = people()
    second = f.a_course("Season", [drill.module])
    f.an_assignment(second, {"in": None, "named_in": [ada.pk]})
    on("2026-07-20")
    note(drill, ada, 60, 60)
    actions.sign_off(session=drill, by=BY)
    assert set(Completion.objects.values_list("person", "course__title", "day")) == {
        (ada.pk, "Fire on board", f.d("2026-06-10")),
        (ada.pk, "Season", f.d("2026-06-10")),
    }
    assert state(drill, bea) == "absent"


def test_a_mistake_is_put_right_unless_a_completion_rests_on_it(drill, on):
    ada, bea = people()
    on("2026-06-12")
    note(drill, ada, 60, 60)
    note(drill, bea, 0, 60)
    actions.sign_off(session=drill, by=BY)
    note(drill, bea, 60, 60)
    actions.sign_off(session=drill, by=BY)
    assert state(drill, bea) == "attended"
    assert Completion.objects.count() == 2
    note(drill, ada, 0, 0)
    with pytest.raises(CountedSince, match="Ada Venn has completed “Fire on board” by it"):
        actions.sign_off(session=drill, by=BY)
    assert state(drill, ada) == "attended"
    revoke_completion(completion=Completion.objects.get(person=ada), because="was not there", by=BY)
    actions.sign_off(session=drill, by=BY)
    assert state(drill, ada) == "absent"
    assert not StepDone.objects.known_now().filter(enrolment__person=ada).exists()
    assert list(problems()) == []


def test_who_is_not_booked_is_not_noted_and_who_came_all_the_same_is_given_a_seat(drill, on):
    ada = people()[0]
    cal, dee = f.a_person("Cal Dahl"), f.a_person("Dee Hale")
    with pytest.raises(NotOver, match="Attendance is taken from the day of the session on"):
        note(drill, ada, 60, 60)
    on("2026-06-10")
    with pytest.raises(NotBooked, match="Cal Dahl has no seat in this session"):
        note(drill, cal, 60, 60)
    assert not Presence.objects.exists()
    actions.admit(session=drill, person=cal, by=BY)
    note(drill, cal, 60, 60)
    with pytest.raises(SessionFull):
        actions.admit(session=drill, person=dee, by=BY)
    with pytest.raises(HasSeat):
        actions.admit(session=drill, person=ada, by=BY)


def test_nothing_is_signed_off_before_it_is_over_or_once_it_is_cancelled(drill, on):
    on("2026-06-10", hour=11)
    with pytest.raises(NotOver, match="The session ends on 10 Jun 2026 at 12:00; it is signed off after that"):
        actions.sign_off(session=drill, by=BY)
    on("2026-05-20")
    actions.cancel_session(session=drill, because="No boat", by=BY)
    on("2026-06-11")
    with pytest.raises(NotOver, match="cancelled"):
        actions.sign_off(session=drill, by=BY)


def test_checking_in_counts_to_the_meetings_end_and_twice_is_as_once(drill, on):
    ada = people()[0]
    with pytest.raises(NotHere, match="“The drill” does not meet now"):
        actions.check_in(session=drill, person=ada, by=BY)
    on("2026-06-10", hour=9)
    actions.check_in(session=drill, person=ada, by=BY)
    actions.check_in(session=drill, person=ada, by=BY)
    assert Presence.objects.count() == 1
    with pytest.raises(NotBooked):
        actions.check_in(session=drill, person=f.a_person("Cal Dahl"), by=BY)
    on("2026-06-10", hour=13)
    # One of the two hours.
    assert actions.sign_off(session=drill, by=BY)["partly attended"] == 1


def test_an_online_room_counts_by_coming_and_going(drill, on):
    ada, bea = people()
    on("2026-06-10", hour=9)
    actions.join_online(session=drill, person=ada, by=BY)
    on("2026-06-10", hour=10)
    actions.leave_online(session=drill, person=ada, by=BY)
    on("2026-06-10", hour=11)
    actions.join_online(session=drill, person=ada, by=BY)
    on("2026-06-10", hour=13)
    actions.leave_online(session=drill, person=ada, by=BY)
    actions.sign_off(session=drill, by=BY)
    assert (state(drill, ada), state(drill, bea)) == ("attended", "absent")


def test_whoever_still_waits_when_it_is_signed_off_waits_no_longer(drill, on):
    cal, dee = f.a_person("Cal Dahl"), f.a_person("Dee Hale")
    actions.book_seat(session=drill, person=cal, by=BY)
    actions.join_waiting_list(session=drill, person=dee, by=BY)
    on("2026-06-11")
    actions.sign_off(session=drill, by=BY)
    assert state(drill, dee) == "cancelled"
