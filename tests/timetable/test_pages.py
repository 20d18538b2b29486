"""The pages of sessions: what they show, to whom, and at which cost."""

import re
from datetime import timedelta

import pytest
from django.db import connection
from django.test.utils import CaptureQueriesContext
from django.urls import reverse

from stepladder.accounts import policy
from stepladder.journal.models import Entry
from stepladder.learning.models import Attempt, Completion, Enrolment
from stepladder.library.models import Module
from stepladder.timetable import actions, queries
from stepladder.timetable.models import Booking, CalendarKey, Presence, Session
from stepladder.timetable.views.attendance import sign_of
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def desk(organisation, media, on, client):
    """An administrator, signed in."""
    on("2026-05-14")
    client.force_login(f.an_account("administrator"))
    return client


def page(client, name, *args, **query):
    return client.get(reverse(f"timetable:{name}", args=args), query)


def meeting(day, start, minutes="120"):
    first = {"meetings-TOTAL_FORMS": "1", "meetings-INITIAL_FORMS": "0", "meetings-0-minutes": minutes}
    return first | {"meetings-0-day": day, "meetings-0-start": start}


def plan(client, module, room, *, day="2026-06-10", start="09:00", **more):
    sent = {"module": module.public_id, "room": room.public_id, "capacity": "8", "order": "need", **meeting(day, start)}
    return client.post(reverse("timetable:new"), sent | more)


def test_a_module_is_made_in_the_library_planned_and_shown_in_the_week(desk):
    binder = f.a_binder()
    asked = page_text(desk.get(reverse("timetable:new_module", args=[binder.public_id])))
    assert re.search(r'href="/library/" data-rung="2" aria-current="page"', asked)
    sent = {"title": "The drill", "minutes": "90", "share": "75", "description": ""}
    desk.post(reverse("timetable:new_module", args=[binder.public_id]), sent)
    module = Module.objects.get(title="The drill")
    assert module.versions.get().data == {"share": 75}
    room = f.a_room("Net loft")
    assert plan(desk, module, room).status_code == 302
    session = Session.objects.get()
    shown = page_text(page(desk, "week", on="2026-06-10"))
    assert "The drill 09:00 · 0 of 8 (09:00–11:00, Marram Quay, Net loft)" in shown
    assert "The drill" in page_text(page(desk, "week", on="2026-06-10", by="room", room=room.public_id))
    assert "The drill 09:00" not in page_text(page(desk, "week", on="2026-06-03"))
    sheet = page_text(desk.get(reverse("library:module", args=[module.public_id])))
    assert reverse("timetable:session", args=[session.public_id]) in sheet
    found = page_text(desk.get(reverse("search:results"), {"q": "drill net"}))
    assert "The drill, 10 Jun 2026" in found
    desk.post(reverse("timetable:threshold", args=[module.public_id]), {"share": "50"})
    assert module.versions.latest("number").data == {"share": 50}


def test_a_clash_is_said_first_refused_once_and_may_then_be_confirmed(desk):
    taken = f.a_session("2026-06-10", "10:00", room=f.a_room("Net loft"))
    room = taken.room
    effect = page_text(plan(desk, taken.module, room, effect="1"))
    assert "Net loft is taken on 10 Jun 2026 from 10:00: “The drill”" in effect
    assert Session.objects.count() == 1
    refused = plan(desk, taken.module, room)
    assert refused.status_code == 422
    assert "Plan it in spite of the clashes" in page_text(refused)
    assert 'value="10 Jun 2026"' in page_text(refused)
    assert plan(desk, taken.module, room, despite_clashes="on").status_code == 302
    assert "! clash" in page_text(page(desk, "list"))


@pytest.mark.parametrize(
    ("day", "start", "capacity", "says"),
    [
        ("2026-05-01", "09:00", "8", "1 May 2026, 09:00 is over. Choose a time to come."),
        ("2027-03-28", "01:30", "8", "01:30 does not exist on 28 Mar 2027"),
        ("2026-02-30", "09:00", "8", "“2026-02-30” is not a day"),
        ("", "", "8", "Say on which day it meets."),
        ("2026-06-10", "09:00", "13", "Net loft has 12 seats"),
    ],
)
def test_what_cannot_be_planned_is_said_beside_its_field_and_nothing_is_lost(desk, day, start, capacity, says):
    module = f.a_module("The drill", kind="session")
    more = {"meetings-0-minutes": "120" if day else ""}
    answer = plan(
        desk, module, f.a_room("Net loft"), day=day, start=start, capacity=capacity, note="Bring boots", **more
    )
    assert answer.status_code == 422
    assert says in page_text(answer)
    assert "Bring boots" in page_text(answer)
    assert not Session.objects.exists()


def needing(count):
    """A session of a step that so many people still need."""
    people = [f.a_person(f"Jun Number{n}") for n in range(count)]
    module = f.a_module("The drill", kind="session")
    f.an_assignment(f.a_course("Fire on board", [module]), {"in": None, "named_in": [p.pk for p in people]})
    return f.a_session(capacity=2, module=module), people


def test_who_still_needs_it_is_booked_soonest_first_and_the_rest_wait(desk):
    session, people = needing(3)
    shown = page_text(page(desk, "book", session.public_id))
    assert all(person.family_name in shown for person in people)
    assert "13 Jun 2026" in shown
    sent = {"chosen": [p.public_id for p in people], "may_wait": "1"}
    desk.post(reverse("timetable:book", args=[session.public_id]), sent)
    sheet = page_text(page(desk, "session", session.public_id))
    assert "2 of 2" in sheet
    assert "Waiting list" in sheet
    assert queries.needing(session.module) == [(people[2].pk, f.d("2026-06-13"))]
    assert "2 booked, 1 wait; each was told." in sheet
    desk.post(reverse("timetable:release", args=[session.public_id]), {"person": people[0].public_id})
    assert Booking.objects.known_now().get(person=people[2]).state == "booked"
    assert "booked 10 Jun 2026" in page_text(desk.get(reverse("records:standing"), {"q": "Number2"}))


def test_taking_attendance_saves_line_by_line_and_signs_off(desk, on):
    session, people = needing(2)
    actions.book_many(session=session, people=people, by=f.BY)
    on("2026-06-10", hour=13)
    only = session.meetings.get()
    keep = reverse("timetable:keep", args=[session.public_id])
    sent = {"person": people[0].public_id, f"m-{only.pk}": "120"}
    row = desk.post(keep, sent, headers={"HX-Request": "true"})
    assert "attended" in page_text(row)
    wrong = desk.post(keep, sent | {f"m-{only.pk}": "-5"}, headers={"HX-Request": "true"})
    assert (wrong.status_code, "“-5” is no number of minutes" in page_text(wrong)) == (422, True)
    stranger = desk.post(keep, sent | {"person": f.a_person("Cal Dahl").public_id}, headers={"HX-Request": "true"})
    assert "Cal Dahl has no seat in this session" in page_text(stranger)
    assert "Nothing is noted for 1: they count as absent." in page_text(page(desk, "roster", session.public_id))
    desk.post(reverse("timetable:sign_off", args=[session.public_id]))
    assert Completion.objects.get().person == people[0]
    assert "1 attended" in page_text(page(desk, "list", show="held"))
    journal = page_text(desk.get(reverse("records:journal")))
    assert "signed off: 1 attended, 0 partly, 1 absent" in journal


def test_who_was_not_there_is_absent_and_all_the_rest_were_there_in_one_act(desk, on):
    session, people = needing(3)
    actions.book_many(session=session, people=people[:2], by=f.BY)
    on("2026-06-10", hour=13)
    only = session.meetings.get()
    sent = {"person": people[0].public_id, f"m-{only.pk}": "0"}
    keep, rest = (reverse(f"timetable:{name}", args=[session.public_id]) for name in ("keep", "note_rest"))
    row = page_text(desk.post(keep, sent, headers={"HX-Request": "true"}))
    assert "absent" in row
    assert 'aria-pressed="true" aria-label="Not there: ' in row
    noted = desk.post(rest, follow=True)
    assert "1 person is noted as there the whole time." in page_text(noted)
    lines = {line.person: line for line in noted.context["people"]}
    assert (lines[people[0]].was_not_there, lines[people[1]].was_there) == (True, True)
    undone = desk.post(rest, {"undo": noted.context["noted"]["sign"]}, follow=True)
    assert {line.person: line.is_noted for line in undone.context["people"]} == {people[0]: True, people[1]: False}
    # A field that is emptied notes nothing.
    assert "not noted" in page_text(desk.post(keep, sent | {f"m-{only.pk}": ""}, headers={"HX-Request": "true"}))


def test_who_comes_to_the_door_is_found_by_name_and_a_seat_once_used_stays_taken(desk, on):
    session, people = needing(1)
    actions.book_seat(session=session, person=people[0], by=f.BY)
    cal = f.a_person("Cal Dahl", unit="Knot")
    f.a_person("Cal Gone", unit="Knot")
    on("2026-06-10", hour=13)
    door, admit = (reverse(f"timetable:{name}", args=[session.public_id]) for name in ("door", "admit"))
    assert "Give Cal Dahl a seat" in page_text(desk.get(door, {"who": "dahl, cal"}))
    assert "Nobody without a seat here" in page_text(desk.get(door, {"who": people[0].name}))
    assert "Several people are found by “Cal”" in page_text(desk.post(admit, {"who": "Cal"}, follow=True))
    desk.post(admit, {"person": cal.public_id})
    desk.post(reverse("timetable:note_rest", args=[session.public_id]))
    desk.post(reverse("timetable:sign_off", args=[session.public_id]))
    assert "0 free" in page_text(page(desk, "roster", session.public_id))
    assert queries.one_row(Session.objects.get(pk=session.pk)).free == 0


def test_the_sheet_to_sign_has_a_sign_by_which_one_checks_in(desk, on, client):
    session, (ada, bea) = needing(2)
    actions.book_seat(session=session, person=ada, by=f.BY)
    sheet = page(desk, "sign_in_sheet", session.public_id)
    assert "Scan it to check in" in page_text(sheet)
    address = reverse("timetable:check_in", args=[sign_of(session)])
    assert address in page_text(sheet)
    client.force_login(f.an_account("learner", person=ada))
    assert "You can check in here from 45 minutes before it begins" in page_text(client.get(address))
    on("2026-06-10", hour=9)
    assert f"I am here: {ada.name}" in page_text(client.get(address))
    assert "You are checked in" in page_text(client.post(address))
    assert Presence.objects.get().person == ada
    client.force_login(f.an_account("learner", person=bea))
    assert "has no seat in this session" in page_text(client.post(address))
    assert client.get(address + "x").status_code in (403, 404)


def test_an_instructor_sees_and_signs_their_own_sessions_and_no_others(organisation, media, on, client):
    on("2026-05-14")
    una = f.a_person("Una Finch")
    account = f.an_account("learner", person=una)
    mine, other = f.a_session(instructors=[una]), f.a_session("2026-06-11")
    assert "instructor" in policy.roles_of(account)
    client.force_login(account)
    assert client.get("/", follow=True).redirect_chain[-1][0] == reverse("timetable:week")
    assert page_text(page(client, "list")).count("The drill") == 1
    for name in ("session", "roster", "sign_in_sheet"):
        assert page(client, name, mine.public_id).status_code == 200
        assert page(client, name, other.public_id).status_code == 404
    for name in ("new", "rooms"):
        assert page(client, name).status_code == 403
    assert page(client, "reschedule", mine.public_id).status_code == 403
    on("2026-06-11", hour=13)
    client.post(reverse("timetable:sign_off", args=[mine.public_id]))
    client.post(reverse("timetable:sign_off", args=[other.public_id]))
    assert set(Session.objects.filter(state="held")) == {mine}


def test_a_unit_administrator_books_their_people_and_does_not_see_who_else_is_in(organisation, media, on, client):
    on("2026-05-14")
    session, (ada, _) = needing(2)
    outside = f.a_person("Cal Dahl", unit="Knot")
    actions.book_seat(session=session, person=outside, by=f.BY)
    client.force_login(f.an_account("unit administrator", parts=(f.a_unit(),)))
    sheet = page_text(page(client, "session", session.public_id))
    assert "somebody outside your part" in sheet
    assert "Dahl" not in sheet
    book = reverse("timetable:book", args=[session.public_id])
    client.post(book, {"chosen": [ada.public_id, f.a_person("Dee Hale", unit="Knot").public_id]})
    assert set(Booking.objects.known_now().values_list("person", flat=True)) == {outside.pk, ada.pk}
    assert (
        client.post(reverse("timetable:release", args=[session.public_id]), {"person": outside.public_id}).status_code
        == 404
    )
    assert client.get(reverse("timetable:cancel", args=[session.public_id])).status_code == 403


@pytest.fixture
def learner(organisation, media, on, client):
    on("2026-05-14")
    session, (jun,) = needing(1)
    client.force_login(f.an_account("learner", person=jun))
    return client, session, jun


def post(client, name, session, **sent):
    return page_text(client.post(reverse(f"timetable:{name}", args=[session.public_id]), sent, follow=True))


def test_a_learner_books_at_the_step_changes_and_gives_back(learner):
    client, session, _ = learner
    later = f.a_session("2026-06-20", module=session.module)
    step = reverse("playing:step", args=[Enrolment.objects.get().public_id, session.module.public_id])
    shown = page_text(client.get(step))
    assert shown.count(">Book<") == 2
    # Looking at the step begins nothing.
    assert not Attempt.objects.exists()
    assert "You have a seat." in post(client, "take", session)
    assert "Change to this" in page_text(client.get(step))
    post(client, "take", later, instead=session.public_id)
    assert Booking.objects.known_now().get(state="booked").session == later
    assert "Booked late" in page_text(client.get(reverse("desk:up_next")))
    assert "20 Jun 2026" in page_text(page(client, "own"))
    assert "You gave it back." in post(client, "give_back", later)
    assert not Booking.objects.known_now().filter(state="booked").exists()
    assert "Needs a seat" in page_text(client.get(reverse("desk:up_next")))


def test_a_full_session_is_waited_for_and_a_clash_is_said(learner):
    client, session, jun = learner
    for name in ("Ada Venn", "Bea Marsh"):
        actions.book_seat(session=session, person=f.a_person(name), by=f.BY)
    assert "Your place on the waiting list is 1; nothing was booked" in post(client, "take", session)
    assert "You wait, as number 1" in post(client, "take", session, wait="1")
    beside = f.a_session(start="10:00", module=f.a_module("Ropes", kind="session"))
    actions.book_seat(session=beside, person=jun, by=f.BY)
    another = f.a_session(start="10:30", module=session.module)
    assert "Jun Number0 learns elsewhere" in page_text(page(client, "seat", another.public_id))
    assert "learns elsewhere" in post(client, "take", another)


def test_sessions_of_what_is_not_before_one_are_not_there(learner):
    client, _, _ = learner
    other = f.a_session(module=f.a_module("Ropes", kind="session"))
    assert page(client, "seat", other.public_id).status_code == 404
    assert client.post(reverse("timetable:take", args=[other.public_id])).status_code == 404
    assert not Booking.objects.exists()


def test_ones_calendar_answers_at_its_newest_secret_address_only(learner):
    client, session, jun = learner
    actions.book_seat(session=session, person=jun, by=f.BY)
    client.post(reverse("timetable:renew_feed"))
    first = reverse("timetable:feed", args=[CalendarKey.objects.get().key])
    client.logout()
    answer = client.get(first)
    assert answer["Content-Type"].startswith("text/calendar")
    assert "SUMMARY:The drill" in page_text(answer)
    actions.renew_key(person=jun, by=f.BY)
    assert client.get(first).status_code == 404


def test_coming_and_going_online_counts_and_the_recording_is_there_afterwards(organisation, media, on, client):
    on("2026-05-14")
    jun, una = f.a_person("Jun Pellam"), f.a_person("Una Finch")
    live = f.a_session(live_address="", instructors=[una])
    actions.book_seat(session=live, person=jun, by=f.BY)
    client.force_login(f.an_account("learner", person=jun))
    on("2026-06-10", hour=9)
    room = f"/standins/meeting/{live.public_id}/"
    assert "Join" in page_text(client.get(room))
    assert "Jun Pellam" in page_text(client.post(room + "join/", follow=True))
    on("2026-06-10", hour=11)
    client.post(room + "leave/")
    assert client.get(room + "recording/").status_code == 404
    client.force_login(f.an_account("learner", person=una))
    on("2026-06-10", hour=12)
    client.post(room + "close/")
    actions.sign_off(session=live, by=f.BY)
    assert Booking.objects.known_now().get().state == "attended"
    client.force_login(jun.account)
    film = client.get(room + "recording/")
    assert b"".join(film.streaming_content)[:4] == b"\x1aE\xdf\xa3"
    assert "Recording" in page_text(page(client, "seat", live.public_id))
    cal = f.a_person("Cal Dahl")
    client.force_login(f.an_account("learner", person=cal))
    assert client.get(room).status_code == 404
    # Who may book it knows of the room, though the film is of those who had a seat.
    f.an_assignment(f.a_course("Fire on board", [live.module]), {"in": None, "named_in": [cal.pk]})
    assert client.get(room).status_code == 200
    assert client.get(room + "recording/").status_code == 403


def cost(client, session):
    """How many queries each page takes."""
    asked = []
    for name, args in (
        ("week", ()),
        ("list", ()),
        ("session", (session,)),
        ("book", (session,)),
        ("roster", (session,)),
    ):
        with CaptureQueriesContext(connection) as queries_of:
            assert page(client, name, *args, on="2026-06-10").status_code == 200
        asked.append(len(queries_of))
    return asked


def test_the_number_of_queries_grows_neither_with_sessions_nor_with_seats(desk):
    session, people = needing(8)
    una = f.a_person("Una Finch")
    actions.book_many(session=session, people=people[:3], by=f.BY)
    page(desk, "week")
    few = cost(desk, session.public_id)
    for n in range(1, 9):
        day = f"{f.d('2026-06-10') + timedelta(days=n % 5)}"
        more = f.a_session(
            day, f"{8 + n:02d}:00", capacity=6, module=session.module, instructors=[una], despite_clashes=True
        )
        crowd = [f.a_person(f"Kit Number{n}{m}") for m in range(3)]
        actions.book_many(session=more, people=crowd, by=f.BY)
    actions.set_capacity(session=session, capacity=5, by=f.BY)
    actions.book_many(session=session, people=[f.a_person(f"Lee Number{m}") for m in range(6)], by=f.BY)
    assert [n for n, before in zip(cost(desk, session.public_id), few, strict=True) if n > before + 2] == []


def test_a_day_to_come_is_foretold_with_and_without_those_booked(desk):
    session, (ada, bea) = needing(2)
    actions.book_seat(session=session, person=ada, by=f.BY)
    board = page_text(desk.get(reverse("records:board"), {"day": "today+60d"}))
    assert '<b class="fig">0 %</b> if nobody learns anything more, <b class="fig">50 %</b> if everyone booked' in board
    listed = desk.get(reverse("records:standing"), {"day": "today+60d", "if": "booked"}).context["page"].rows
    assert {(row.person.pk, str(row.status)) for row in listed} == {(ada.pk, "current"), (bea.pk, "overdue")}
    # Nothing of it was kept, and it is not foretold of a past day.
    assert not Completion.objects.exists()
    assert "if nobody learns" not in page_text(desk.get(reverse("records:board"), {"day": "today"}))


def test_a_series_like_another_session_is_foretold_planned_and_taken_back(desk):
    session = f.a_session("2026-05-20", capacity=6)
    sheet = page_text(page(desk, "session", session.public_id))
    assert "Another like this…" in sheet
    form = desk.get(reverse("timetable:new"), {"like": session.public_id})
    assert form.context["form"].initial["capacity"] == 6
    assert form.context["meetings"].initial[0]["day"] == f.d("2026-05-27")
    sent = {"day": "2026-05-27", "capacity": "6", "every": "2"}
    asked = plan(desk, session.module, session.room, **sent, effect="1")
    assert "Say how many sessions there are in all." in page_text(asked)
    asked = plan(desk, session.module, session.room, **sent, times="3", effect="1")
    days = re.findall(r"nowrap\">(\w+ \d+ \w+)", page_text(asked))
    assert days == ["Wed 27 May", "Wed 10 Jun", "Wed 24 Jun"]
    assert Session.objects.count() == 1
    plan(desk, session.module, session.room, **sent, times="3")
    assert Session.objects.count() == 4
    desk.post(reverse("records:take_back", args=[Entry.objects.get(verb="plan_series").number]))
    assert Session.objects.filter(state="cancelled").count() == 3
