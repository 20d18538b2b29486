"""Both clocks of a view: said by every head, link, file and print that follows from it, and nothing later is shown."""

from urllib.parse import parse_qs, urlsplit

import pytest
from django.urls import reverse

from stepladder.learning.actions import record_completion
from stepladder.timetable import actions as timetable
from tests import factories as f
from tests.reading import page_text

CLOCKS = {"day": "2026-04-15", "known": "2026-05-01"}


@pytest.fixture
def ada(organisation, on, client):
    """Asked since March; done in June, in which her seat for another session was booked too."""
    on("2026-03-01")
    course = f.a_course("Fire", modules=[f.a_module("The drill", kind="session")])
    person = f.a_person("Ada Venn")
    f.an_assignment(course, f.in_units(f.a_unit("Dunlin")), start=f.d("2026-03-01"))
    on("2026-06-10")
    timetable.book_seat(
        session=f.a_session("2026-06-20", module=course.editions.get().steps.get().module), person=person, by=f.BY
    )
    client.force_login(f.an_account("administrator"))
    return person


def test_every_link_head_and_file_that_follows_keeps_both_clocks(ada, client):
    course = ada.enrolments.get().course
    said = "as of Wed 15 Apr 2026, as known on 1 May 2026"
    board = client.get(reverse("records:board"), CLOCKS)
    assert said in page_text(board)
    assert f"?course={course.public_id}&amp;day=2026-04-15&amp;known=2026-05-01" in board.content.decode()
    cell = client.get(reverse("records:at", args=["everyone", course.public_id]), CLOCKS)
    assert parse_qs(urlsplit(cell["Location"]).query) == {name: [value] for name, value in CLOCKS.items()} | {
        "course": [course.public_id]
    }
    listed = client.get(reverse("records:standing"), CLOCKS)
    assert said in page_text(listed)
    for name in ("records:record", "records:why"):
        args = [ada.public_id] if name == "records:record" else [ada.public_id, course.public_id]
        follows = f"{reverse(name, args=args)}?day=2026-04-15&amp;known=2026-05-01"
        assert follows in listed.content.decode()
        assert said in page_text(client.get(follows.replace("&amp;", "&")))
    file = client.get(reverse("records:standing"), CLOCKS | {"as": "csv"})
    assert file["Content-Disposition"] == 'attachment; filename="standing-2026-04-15-known-2026-05-01.csv"'
    assert file.getvalue().decode().splitlines()[1].endswith("2026-04-15,2026-05-01")


def test_a_print_says_the_filters_that_a_page_shows_as_fields(ada, client):
    page = page_text(client.get(reverse("records:standing"), {"unit": f.a_unit("Dunlin").public_id, "due_to": "today"}))
    assert "unit and below: Dunlin; due to: 10 Jun 2026" in page


def test_a_past_view_shows_nothing_later(ada, client, on):
    course = ada.enrolments.get().course
    address = reverse("records:record", args=[ada.public_id])
    assert "booked late 20 Jun 2026" in page_text(client.get(address))
    assert "booked" not in page_text(client.get(address, CLOCKS))
    assert "booked" not in page_text(client.get(reverse("records:standing"), {"day": "2026-04-15"}))
    on("2026-06-11")
    record_completion(person=ada, course=course, edition=course.editions.get(), day=f.d("2026-06-11"), by=f.BY)
    now, then = (client.get(address, {"day": day}) for day in ("today", "2026-04-15"))
    assert [len(page.context["completions"]) for page in (now, then)] == [1, 0]
    assert [len(page.context["strips"].strips) for page in (now, then)] == [1, 0]
    # The seat as it was known before the course was done.
    assert "booked late 20 Jun 2026" in page_text(client.get(address, {"day": "2026-06-10", "known": "2026-06-10"}))


def test_what_will_be_known_is_not_known_yet(ada, client):
    page = client.get(reverse("records:board"), {"known": "today+1d"})
    assert page.status_code == 422
    assert "What will be known is not known yet" in page_text(page)
