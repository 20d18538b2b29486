"""Seats that fall into leave are named on the person's sheet, and given back or changed there."""

import pytest
from django.urls import reverse

from stepladder.timetable import actions, queries
from stepladder.timetable.models import Booking
from tests import factories as f
from tests.reading import page_text


@pytest.fixture
def away(organisation, media, on, client):
    """Jun is booked for 28 May, and away from 25 May to 5 June; the same is held on 3 and on 10 June."""
    on("2026-05-14")
    drill = f.a_module("The drill", kind="session")
    f.an_assignment(f.a_course("Fire on board", [drill]), notice_days=0)
    jun, ada = f.a_person("Jun Pellam"), f.a_person("Ada Venn")
    sessions = [f.a_session(day, module=drill) for day in ("2026-05-28", "2026-06-03", "2026-06-10")]
    actions.book_seat(session=sessions[0], person=jun, by=f.BY)
    client.force_login(f.an_account("administrator"))
    return jun, ada, sessions


def leave(client, jun):
    sent = {"from_day": "25 May 2026", "to_day": "2026-06-05"}
    return page_text(client.post(reverse("people:absence", args=[jun.public_id]), sent, follow=True))


def test_the_seat_is_named_and_changed_for_one_after_the_leave(away, client):
    jun, _, (first, _, after) = away
    page = leave(client, jun)
    assert "Seats while away" in page
    assert "Thu 28 May 2026" in page
    assert "Change to 10 Jun 2026" in page
    assert "Change to 3 Jun 2026" not in page
    sheet = reverse("people:person", args=[jun.public_id])
    sent = {"person": jun.public_id, "to": after.public_id, "next": sheet}
    page = page_text(client.post(reverse("timetable:exchange", args=[first.public_id]), sent, follow=True))
    assert "Jun Pellam has a seat on 10 Jun 2026 instead." in page
    assert "Seats while away" not in page
    assert {b.session: b.state for b in Booking.objects.known_now()} == {first: "cancelled", after: "booked"}


def test_who_gave_a_seat_back_is_asked_last_for_the_same_session(away, client):
    jun, ada, (first, *_) = away
    leave(client, jun)
    sheet = reverse("people:person", args=[jun.public_id])
    back = client.post(reverse("timetable:release", args=[first.public_id]), {"person": jun.public_id, "next": sheet})
    assert back["Location"] == sheet
    found, _ = queries.candidates(queries.one_row(first), f.an_account("administrator"))
    assert [(one.person, one.gave_back) for one in found] == [(ada, None), (jun, f.d("2026-05-14"))]
    assert "gave a seat in it back on 14 May 2026" in page_text(
        client.get(reverse("timetable:book", args=[first.public_id]))
    )


def test_a_page_elsewhere_is_not_gone_back_to(away, client):
    jun, _, (first, *_) = away
    sent = {"person": jun.public_id, "next": "https://elsewhere.example/"}
    answer = client.post(reverse("timetable:release", args=[first.public_id]), sent)
    assert answer["Location"] == reverse("timetable:session", args=[first.public_id])
