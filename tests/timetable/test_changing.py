"""Sessions that are moved or do not take place; who is told, and what their calendars are told."""

from datetime import time

import pytest
from icalendar import Calendar

from stepladder import clock
from stepladder.journal.models import Entry
from stepladder.journal.queries import problems
from stepladder.journal.undoing import take_back
from stepladder.notices.models import Notice
from stepladder.people.models import Person
from stepladder.timetable import actions, queries
from stepladder.timetable.actions.planning import MeetingPlan
from stepladder.timetable.errors import Clashing, InThePast, LastDayTooLate, Learns, NoLiveService, NotOpen, RoomThere
from stepladder.timetable.invitations import feed
from stepladder.timetable.models import Session
from tests import factories as f
from tests.timetable.drills import some, standing

BY = f.BY


def at(day, start="09:00", minutes=120):
    return [MeetingPlan(f.d(day), time.fromisoformat(start), minutes)]


def move(session, day, start="09:00", **more):
    return actions.reschedule(session=session, meetings=at(day, start), room=session.room, by=BY, **more)


def told(person):
    return list(Notice.objects.filter(person=person).order_by("pk").values_list("subject", flat=True))


def events_of(notice):
    return list(Calendar.from_ical(notice.calendar).walk("VEVENT"))


def test_moving_keeps_bookings_tells_everybody_and_says_who_is_elsewhere(drill):
    ada, bea, cal = some("Ada Venn", "Bea Marsh", "Cal Dahl")
    module = drill.module
    actions.book_many(session=drill, people=[ada, bea, cal], by=BY)
    elsewhere = f.a_session("2026-06-12", "10:00", module=f.a_module("Ropes", kind="session"))
    actions.book_seat(session=elsewhere, person=bea, by=BY)
    lines = move(drill, "2026-06-12")
    assert lines == ["Bea Marsh learns elsewhere on 12 Jun 2026 from 10:00: “Ropes”."]
    assert standing(drill) == {"Ada": "booked", "Bea": "booked", "Cal": "waiting"}
    assert told(ada) == [f"You have a seat in “{module}”", f"New time: “{module}”"]
    assert told(cal)[-1] == f"New time: “{module}”"
    una = Person.objects.get(given_name="Una")
    assert told(una) == [f"You teach “{module}”", f"You teach at a new time: “{module}”"]
    first, second = Notice.objects.filter(person=ada).order_by("pk")
    (was,), (now,) = events_of(first), events_of(second)
    assert was["UID"] == now["UID"]
    assert (was["SEQUENCE"], now["SEQUENCE"]) == (0, 1)
    assert now["DTSTART"].dt.isoformat() == "2026-06-12T09:00:00+01:00"
    assert "METHOD:REQUEST" in second.calendar
    assert "BEGIN:VTIMEZONE" in second.calendar
    assert list(problems()) == []


def test_fewer_meetings_than_were_told_take_the_others_out_of_calendars(organisation, media, on):
    on("2026-05-14")
    (ada,) = some("Ada Venn")
    session = actions.plan_session(
        module=f.a_module("Ropes", kind="session"),
        meetings=at("2026-06-10") + at("2026-06-11"),
        capacity=4,
        room=f.a_room(),
        by=BY,
    )
    actions.book_seat(session=session, person=ada, by=BY)
    move(session, "2026-06-15")
    held, gone = events_of(Notice.objects.filter(person=ada).latest("pk"))
    assert (held["STATUS"], gone["STATUS"]) == ("CONFIRMED", "CANCELLED")


@pytest.mark.parametrize(
    ("day", "error", "says"),
    [
        ("2026-05-01", InThePast, "1 May 2026, 09:00 is over"),
        ("2026-06-20", Clashing, "is taken on 20 Jun 2026 from 10:00"),
        ("2026-05-20", LastDayTooLate, "The session begins on 20 May 2026"),
    ],
)
def test_where_it_cannot_be_it_stays(drill, day, error, says):
    f.a_session("2026-06-20", "10:00", module=drill.module, room=drill.room)
    Session.objects.filter(pk=drill.pk).update(last_booking_day=f.d("2026-06-01"))
    with pytest.raises(error, match=says):
        move(drill, day)
    assert drill.meetings.get().starts_at.date() == f.d("2026-06-10")
    assert Session.objects.get(pk=drill.pk).sequence == 0


def test_a_clash_may_be_planned_knowingly_and_the_journal_keeps_it(drill):
    una = drill.instructors.get()
    with pytest.raises(Clashing, match="Una Finch teaches elsewhere on 10 Jun 2026") as refused:
        f.a_session("2026-06-10", "10:00", module=drill.module, instructors=[una])
    assert refused.value.may_be_accepted
    f.a_session("2026-06-10", "10:00", module=drill.module, instructors=[una], despite_clashes=True)
    assert "Una Finch teaches elsewhere" in Entry.objects.filter(verb="plan_session").latest("pk").data["clashes"][0]


def test_cancelling_moves_people_as_far_as_there_is_room_in_the_order_of_need(drill, on):
    ada, bea, cal, dee = some("Ada Venn", "Bea Marsh", "Cal Dahl", "Dee Hale")
    to = f.a_session("2026-06-17", capacity=2, module=drill.module)
    actions.book_many(session=drill, people=[ada, bea, cal], by=BY)
    actions.book_seat(session=to, person=dee, by=BY)
    # Bea needs it by a day, so she comes before Ada, who asked first.
    f.an_assignment(f.a_course("Fire on board", [drill.module]), {"in": None, "named_in": [bea.pk]})
    assert [row.session for row in queries.next_with_room(drill)] == [to]
    moved = actions.cancel_session(session=drill, because="No boat", move_to=to, by=BY)
    assert ([p.given_name for p in moved.seated], [p.given_name for p in moved.waiting]) == (["Bea"], ["Ada", "Cal"])
    assert standing(drill) == {"Ada": "cancelled", "Bea": "cancelled", "Cal": "cancelled"}
    assert standing(to) == {"Dee": "booked", "Bea": "booked", "Ada": "waiting", "Cal": "waiting"}
    title = drill.module.title
    assert told(bea)[-2:] == [f"Cancelled: “{title}”", f"You have a seat in “{title}”"]
    cancelled = Notice.objects.get(person=bea, subject__startswith="Cancelled")
    assert "No boat" in cancelled.text
    assert "METHOD:CANCEL" in cancelled.calendar
    with pytest.raises(NotOpen, match="cancelled already"):
        actions.cancel_session(session=drill, because="Again", by=BY)
    assert list(problems()) == []


def test_many_are_booked_at_once_told_and_taken_back_whole(drill):
    ada, bea, cal = some("Ada Venn", "Bea Marsh", "Cal Dahl")
    una = drill.instructors.get()
    done = actions.book_many(session=drill, people=[una, ada, bea, cal, ada], by=BY)
    assert [p.given_name for p in done.booked] == ["Ada", "Bea"]
    assert [p.given_name for p in done.waiting] == ["Cal"]
    assert done.passed_over == ["Una Finch: teaches this session", "Ada Venn: booked here already"]
    entry = Entry.objects.get(verb="book_many")
    assert (entry.data["booked"], entry.data["waiting"]) == (2, 1)
    take_back(entry, by=BY)
    assert standing(drill) == {}
    assert told(ada)[-1].startswith("You no longer have a seat")
    assert list(problems()) == []


def test_booking_many_without_waiting_leaves_out_who_finds_no_seat(drill):
    ada, bea, cal = some("Ada Venn", "Bea Marsh", "Cal Dahl")
    done = actions.book_many(session=drill, people=[ada, bea, cal], by=BY, may_wait=False)
    assert done.passed_over == ["Cal Dahl: no seat is free"]
    assert standing(drill) == {"Ada": "booked", "Bea": "booked"}


def test_who_learns_in_a_session_does_not_teach_it(drill):
    (ada,) = some("Ada Venn")
    actions.book_seat(session=drill, person=ada, by=BY)
    same = {"language": "", "last_booking_day": None, "order": "need", "note": "", "by": BY}
    with pytest.raises(Learns, match="Ada Venn has a seat in this session, and cannot teach it too"):
        actions.change_details(session=drill, instructors=[ada], **same)
    assert [p.given_name for p in drill.instructors.all()] == ["Una"]
    bea = some("Bea Marsh")[0]
    actions.change_details(session=drill, instructors=[bea], **same)
    assert told(bea) == [f"You teach “{drill.module.title}”"]
    assert told(Person.objects.get(given_name="Una"))[-1] == f"You no longer teach “{drill.module.title}”"
    with pytest.raises(LastDayTooLate):
        actions.change_details(session=drill, instructors=[], **same | {"last_booking_day": f.d("2026-06-11")})


def test_changing_a_seat_is_both_or_neither(drill):
    ada, bea = some("Ada Venn", "Bea Marsh")
    full = f.a_session("2026-06-17", capacity=1, module=drill.module)
    free = f.a_session("2026-06-10", "10:00", capacity=1, module=drill.module)
    actions.book_seat(session=full, person=bea, by=BY)
    mine = actions.book_seat(session=drill, person=ada, by=BY)
    with pytest.raises(Exception, match="The session is full"):
        actions.change_seat(booking=mine, to=full, by=BY)
    assert standing(drill) == {"Ada": "booked"}
    # It overlaps the one that is given back, which stands in nobody's way.
    actions.change_seat(booking=mine, to=free, by=BY)
    assert (standing(drill), standing(free)) == ({"Ada": "cancelled"}, {"Ada": "booked"})


def test_a_calendar_reads_what_one_attends_teaches_and_what_was_cancelled(drill, on):
    ada, una = some("Ada Venn")[0], drill.instructors.get()
    later = f.a_session("2026-06-17", module=drill.module)
    actions.book_seat(session=drill, person=ada, by=BY)
    actions.book_seat(session=later, person=ada, by=BY)
    actions.cancel_session(session=later, because="No boat", by=BY)
    mine = list(Calendar.from_ical(feed(queries.feed_of(ada))).walk("VEVENT"))
    assert [(str(e["SUMMARY"]), str(e["STATUS"])) for e in mine] == [
        ("The drill", "CONFIRMED"),
        ("The drill", "CANCELLED"),
    ]
    (teaches,) = Calendar.from_ical(feed(queries.feed_of(una))).walk("VEVENT")
    assert str(teaches["SUMMARY"]) == "The drill (you teach)"
    assert teaches["DTEND"].dt.astimezone(clock.zone()).hour == 11


def test_a_session_is_online_at_the_services_room_and_a_room_is_there_once(organisation, media, on, monkeypatch):
    on("2026-05-14")
    live = f.a_session(live_address="")
    assert live.live_address == f"/standins/meeting/{live.public_id}/"
    assert live.join_address.startswith("http")
    f.a_room("Net loft")
    with pytest.raises(RoomThere, match="Marram Quay has a room “Net loft” already"):
        actions.add_room(venue="Marram Quay", name="Net loft", seats=3, by=BY)
    monkeypatch.setattr("stepladder.timetable.live._services", [])
    with pytest.raises(NoLiveService, match="Give the address to join at"):
        f.a_session(live_address="", module=live.module)
