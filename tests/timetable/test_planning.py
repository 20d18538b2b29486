"""Sessions planned: their times, rooms and instructors, and what stands against them."""

from datetime import UTC, datetime, time

import pytest

from stepladder.core.days import DayError
from stepladder.journal.models import Entry
from stepladder.journal.undoing import obstacles, take_back
from stepladder.timetable import actions
from stepladder.timetable.actions.planning import MeetingPlan
from stepladder.timetable.errors import Clashing, InThePast, LastDayTooLate, NoMeeting, RoomTooSmall
from stepladder.timetable.models import Session
from tests import factories as f


@pytest.fixture
def module(organisation, media, on):
    on("2026-05-14")
    return f.a_module("The drill", kind="session")


def plan(module, *meetings, **more):
    plans = [MeetingPlan(f.d(day), time.fromisoformat(start), minutes) for day, start, minutes in meetings]
    place = {} if "live_address" in more else {"room": f.a_room()}
    return actions.plan_session(module=module, meetings=plans, by=f.BY, **{"capacity": 8, **place, **more})


def test_meetings_are_wall_times_and_their_lengths_are_elapsed(module):
    # The clocks go back in the night to 25 October: two hours that begin at half past midnight end at half past one.
    session = plan(module, ("2026-10-25", "00:30", 120), ("2026-07-01", "09:00", 60))
    first, second = session.meetings.all()
    assert (first.starts_at, first.ends_at) == (
        datetime(2026, 7, 1, 8, 0, tzinfo=UTC),
        datetime(2026, 7, 1, 9, 0, tzinfo=UTC),
    )
    assert (second.starts_at, second.ends_at) == (
        datetime(2026, 10, 24, 23, 30, tzinfo=UTC),
        datetime(2026, 10, 25, 1, 30, tzinfo=UTC),
    )
    assert Entry.objects.get(verb="plan_session").data["when"] == "1 Jul 2026, 09:00"


@pytest.mark.parametrize(
    ("meetings", "more", "error", "says"),
    [
        ([], {}, NoMeeting, "A session needs at least one meeting"),
        (
            [("2026-06-10", "09:00", 60), ("2026-06-10", "09:30", 60)],
            {},
            NoMeeting,
            "Two meetings of this session overlap",
        ),
        ([("2026-05-14", "09:00", 60)], {}, InThePast, "14 May 2026, 09:00 is over"),
        ([("2027-03-28", "01:30", 60)], {}, DayError, "01:30 does not exist on 28 Mar 2027: the clocks skip it"),
        ([("2026-06-10", "09:00", 60)], {"capacity": 13}, RoomTooSmall, "Marram Quay, Simulator has 12 seats"),
    ],
)
def test_what_cannot_be_held_is_refused_and_nothing_is_planned(module, meetings, more, error, says):
    with pytest.raises(error, match=says):
        plan(module, *meetings, **more)
    assert not Session.objects.exists()


def test_a_room_or_an_instructor_taken_at_that_time_is_said_before_it_is_planned(module):
    ada = f.a_person("Ada Venn")
    plan(module, ("2026-06-10", "09:00", 120), instructors=[ada])
    with pytest.raises(Clashing) as refusal:
        plan(module, ("2026-06-10", "10:00", 60), instructors=[ada])
    assert refusal.value.lines == [
        "Marram Quay, Simulator is taken on 10 Jun 2026 from 09:00: “The drill”.",
        "Ada Venn teaches elsewhere on 10 Jun 2026 from 09:00: “The drill”.",
    ]
    plan(module, ("2026-06-10", "11:00", 60), instructors=[ada])
    plan(module, ("2026-06-10", "10:00", 60), live_address="https://meet.example/1")
    forced = plan(module, ("2026-06-10", "10:00", 60), instructors=[ada], despite_clashes=True)
    assert len(Entry.objects.get(verb="plan_session", object_id=forced.public_id).data["clashes"]) == 2


def test_a_cancelled_session_takes_nothing(module):
    session = plan(module, ("2026-06-10", "09:00", 120))
    Session.objects.filter(pk=session.pk).update(state="cancelled")
    assert plan(module, ("2026-06-10", "09:00", 120)).pk != session.pk


def test_a_series_is_planned_whole_or_not_at_all_and_taken_back_as_one(module):
    # Across the night in which the clocks go back, it begins at nine on each of its days.
    ada, room = f.a_person("Ada Venn"), f.a_room()
    plans = [MeetingPlan(f.d("2026-10-19"), time(9), 120)]
    more = {"module": module, "meetings": plans, "every": 1, "times": 3, "capacity": 8, "room": room, "by": f.BY}
    taken = plan(module, ("2026-11-02", "10:00", 60), room=room)
    with pytest.raises(Clashing, match="taken on 2 Nov 2026"):
        actions.plan_series(**more)
    assert list(Session.objects.all()) == [taken]
    with pytest.raises(LastDayTooLate):
        actions.plan_series(**more, last_booking_day=f.d("2026-10-20"))
    made = actions.plan_series(**{**more, "room": f.a_room("Net loft")}, last_booking_day=f.d("2026-10-17"))
    begins = [session.meetings.get().starts_at for session in made]
    assert [f"{at:%d %b %H}" for at in begins] == ["19 Oct 08", "26 Oct 09", "02 Nov 09"]
    assert [session.last_booking_day for session in made] == [
        f.d(day) for day in ("2026-10-17", "2026-10-24", "2026-10-31")
    ]
    actions.book_seat(session=made[2], person=ada, by=f.BY)
    series = Entry.objects.get(verb="plan_series")
    assert obstacles(series) == [
        "2 Nov 2026, 09:00: One person has a seat in it or waits for one by now: cancel it instead, and say why."
    ]
    take_back(Entry.objects.get(verb="plan_session", object_id=made[0].public_id), by=f.BY)
    take_back(Entry.objects.get(verb="book_seat"), by=f.BY)
    take_back(series, by=f.BY)
    states = [Session.objects.get(pk=session.pk).state for session in (taken, *made)]
    assert states == ["planned", "cancelled", "cancelled", "cancelled"]
