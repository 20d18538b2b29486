"""What was completed and attended in a period, and one person's transcript."""

import io

import pypdfium2 as pdfium
import pytest
from django.urls import reverse
from python_calamine import CalamineWorkbook

from stepladder.learning.actions import record_completion, revoke_completion
from stepladder.people import actions as people
from stepladder.people.models import Placement
from stepladder.timetable import actions as timetable
from tests import factories as f
from tests.reading import page_text

PERIOD = reverse("records:period")


@pytest.fixture
def done(organisation, media, on, client):
    """Ada completed Fire in April on the Dunlin, and moved to the Knot; Bo completed it in May; both had seats on 12 May."""
    on("2026-04-01")
    drill = f.a_module("The drill", kind="session")
    course = f.a_course("Fire", [f.a_module("Booklet"), drill], months=12)
    ada, bo = f.a_person("Ada Venn", number="MS1"), f.a_person("Bo Tarn", number="MS2")
    on("2026-04-30")
    record_completion(person=ada, course=course, edition=course.editions.get(), day=f.d("2026-04-30"), by=f.BY)
    session = f.a_session("2026-05-12", module=drill)
    timetable.book_many(session=session, people=[ada, bo], by=f.BY)
    on("2026-05-12", hour=13)
    whole = {session.meetings.get(): 120}
    timetable.keep_minutes(session=session, marks={bo: whole}, by=f.BY)
    timetable.sign_off(session=session, by=f.BY)
    record_completion(person=bo, course=course, edition=course.editions.get(), day=f.d("2026-05-12"), by=f.BY)
    on("2026-05-14")
    people.move(
        person=ada,
        unit=f.a_unit("Knot"),
        position=f.a_position(),
        from_day=f.d("2026-05-13"),
        ending=Placement.objects.known_now().filter(person=ada),
        by=f.BY,
    )
    client.force_login(f.an_account("administrator"))
    return ada, bo, course


def names(client, **asked):
    page = client.get(PERIOD, asked)
    return [row.person.given_name for row in page.context["page"].rows]


def test_completions_are_those_of_the_period_with_the_unit_of_their_day(done, client):
    ada, _, course = done
    assert names(client) == ["Bo"]
    assert names(client, **{"from": "1 Apr 2026", "to": "30 Apr 2026"}) == ["Ada"]
    year = {"from": "start of this year"}
    assert names(client, **year) == ["Bo", "Ada"]
    assert names(client, **year, unit=f.a_unit("Dunlin").public_id) == ["Bo", "Ada"]
    assert names(client, **year, unit=f.a_unit("Knot").public_id) == []
    assert names(client, **year, q="Venn, Ada", course=course.public_id) == ["Ada"]
    shown = page_text(client.get(PERIOD, year))
    assert "1 Jan 2026 to 14 May 2026" in shown
    revoke_completion(completion=ada.completions.get(), because="Another Ada", by=f.BY)
    assert names(client, **year) == ["Bo"]
    wrong = client.get(PERIOD, {"from": "14 May 2026", "to": "1 May 2026"})
    assert (wrong.status_code, "It would end before it begins" in page_text(wrong)) == (422, True)


def test_attendance_says_what_came_of_each_seat(done, client):
    rows = client.get(PERIOD, {"show": "attended"}).context["page"].rows
    assert {row.person.given_name: row.state for row in rows} == {"Ada": "absent", "Bo": "attended"}
    assert names(client, show="attended", to="11 May 2026") == []


def test_the_files_are_what_is_shown(done, client):
    asked = {"from": "start of this year"}
    lines = client.get(PERIOD, asked | {"as": "csv"}).getvalue().decode("utf-8-sig").splitlines()
    assert lines[0] == "Name,Number,Unit and position,Course,On,Score,Certificate"
    assert lines[2].startswith('"Venn, Ada",MS1,"Dunlin, Deckhand",Fire,2026-04-30,')
    book = client.get(PERIOD, asked | {"as": "xlsx", "show": "attended"})
    assert book["Content-Disposition"] == 'attachment; filename="attended-2026-01-01-to-2026-05-14.xlsx"'
    rows = CalamineWorkbook.from_filelike(io.BytesIO(book.getvalue())).get_sheet_by_index(0).to_python()
    assert sorted((row[0], row[6]) for row in rows[1:]) == [("Tarn, Bo", "attended"), ("Venn, Ada", "absent")]


def test_only_the_people_one_may_open_are_in_it(done, client):
    client.force_login(f.an_account("unit administrator", parts=(f.a_unit("Knot"),)))
    assert names(client, **{"from": "start of this year"}) == ["Ada"]
    client.force_login(f.an_account("learner", person=done[1]))
    assert client.get(PERIOD).status_code == 403


def test_a_transcript_is_a_document_and_a_table_of_what_was_known(done, client):
    ada, bo, _ = done
    pdf = client.get(reverse("records:transcript", args=[bo.public_id, "pdf"]))
    text = pdfium.PdfDocument(pdf.content)[0].get_textpage().get_text_range()
    for part in ("Transcript of Bo Tarn", "MS2 · Deckhand, Dunlin", "as of Thu 14 May 2026", "Fire", "12 May 2027"):
        assert part in text
    table = client.get(reverse("records:transcript", args=[bo.public_id, "csv"])).getvalue().decode("utf-8-sig")
    number = bo.completions.get().number
    assert table.splitlines()[1:] == [
        "The drill,2026-05-12,attended,,,",
        f"Fire,2026-05-12,completed,,2027-05-12,{number}",
    ]
    before = client.get(reverse("records:transcript", args=[bo.public_id, "csv"]), {"day": "1 May 2026"})
    assert len(before.getvalue().decode().splitlines()) == 1
    client.force_login(f.an_account("learner", person=ada))
    assert client.get(reverse("records:transcript", args=[ada.public_id, "pdf"])).status_code == 200
    assert client.get(reverse("records:transcript", args=[bo.public_id, "pdf"])).status_code == 404
