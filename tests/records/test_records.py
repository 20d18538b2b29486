import io

import pypdfium2 as pdfium
import pytest
from django.urls import reverse
from python_calamine import CalamineWorkbook

from stepladder import clock
from stepladder.assignments import actions as assigning
from stepladder.assignments.queries import requirements
from stepladder.charts.models import Chart
from stepladder.core.columns import NO_DAY
from stepladder.core.requirements import WORST_FIRST
from stepladder.learning.actions import record_completion, revoke_completion
from stepladder.records.attending import requirement_columns
from stepladder.records.board import BoardAsked, board
from tests import factories as f
from tests.reading import page_text

BOARD, LATE, STANDING = (reverse(f"records:{name}") for name in ("board", "late", "standing"))


@pytest.fixture
def crew(organisation, on, client):
    """Four people: current, overdue, to do and waived; and somebody elsewhere."""
    on("2026-05-14")
    fire = f.a_course("Fire", months=12, window=30, grace=10)
    fleet, dunlin = f.a_unit("Fleet"), f.a_unit("Dunlin", "Fleet")
    knot = f.a_unit("Knot", "Fleet")
    people = [f.a_person(n) for n in ("Ada Venn", "Bo Tarn", "Cleo Wick", "Dario =Holt")]
    f.a_person("Una Elsewhere", unit="Shore")
    on("2026-03-01")
    f.an_assignment(fire, f.in_units(fleet), start=f.d("2026-03-01"))
    on("2026-05-14")
    record_completion(person=people[0], course=fire, edition=fire.editions.get(), day=f.d("2026-04-01"), by=f.BY)
    assigning.grant_waiver(
        person=people[3], course=fire, from_day=f.d("2026-05-01"), to_day=f.d("2026-05-31"), reason="Ashore", by=f.BY
    )
    late = f.a_person("Emil Moss", unit="Knot", hired="2026-05-10")
    client.force_login(f.an_account("auditor"))
    return {"fire": fire, "fleet": fleet, "dunlin": dunlin, "knot": knot, "people": people, "late": late}


def test_the_board_counts_each_person_once_in_every_unit_above(crew):
    today = clock.today()
    made = board(BoardAsked(day=today, known_on=today, chart=Chart.objects.get(kind="unit")))
    rows = {row.name: (row.depth, row.people, *figures(row)) for row in made.rows}
    assert rows == {
        "Fleet": (0, 5, 25, 2),
        "Dunlin": (1, 4, 33, 2),
        "Knot": (1, 1, 0, 0),
        "Shore": (0, 1),
        "Everyone": (0, 6, 25, 2),
    }


def figures(row):
    """The covered rate and how many are late of a row's first cell, nothing where nobody is asked."""
    cell = row.cells[0]
    return (cell.covered_rate, cell.late) if cell else ()


def test_any_day_past_or_future_and_as_known_then(crew, client):
    def rates(**query):
        page = client.get(BOARD, query)
        cells = {row.name: row.cells[0] for row in page.context["board"].rows if row.cells}
        on_time = query.get("rate") == "on time"
        return {name: cell.on_time_rate if on_time else cell.covered_rate for name, cell in cells.items() if cell}

    assert rates(day="2026-04-15")["Dunlin"] == 25
    assert rates(day="2026-04-15", known="2026-05-13") == {}
    assert rates(day="2028-01-01")["Dunlin"] == 0
    assert rates(rate="on time")["Dunlin"] == 50
    assert rates(day="2026-01-01") == {}


def test_a_day_that_cannot_be_read_is_said_and_today_is_shown(crew, client):
    answer = client.get(BOARD, {"day": "next tuesday"})
    assert answer.status_code == 422
    assert "“next tuesday” is not a day" in page_text(answer)


def test_everybody_at_once_is_what_one_by_one_gives(crew):
    for day in ("2026-03-31", "2026-05-14", "2026-06-15", "2027-04-05", "2027-04-20"):
        columns = requirement_columns(day=f.d(day), known_on=clock.today())
        together = {
            (int(p), int(c)): (WORST_FIRST[int(r)], int(due))
            for p, c, r, due in zip(columns.person, columns.course, columns.rank, columns.due, strict=True)
        }
        single = {
            (row.person, row.course): (
                row.requirement.status,
                row.requirement.due.toordinal() if row.requirement.due else NO_DAY,
            )
            for row in requirements(day=f.d(day))
        }
        assert together == single


def names(client, url=LATE, **query):
    return [row.person.family_name for row in client.get(url, query).context["page"].rows]


def test_who_is_late_filtered_sorted_and_by_relative_days(crew, client):
    assert names(client) == ["Tarn", "Wick"]
    assert names(client, q="bo") == ["Tarn"]
    assert names(client, unit=crew["knot"].public_id) == []
    assert names(client, day="end of next month", unit=crew["knot"].public_id) == ["Moss"]
    assert names(client, due_to="today-60d") == []
    assert names(client, STANDING, status="current") == ["Venn"]
    assert names(client, STANDING, sort="name", q="") == ["=Holt", "Moss", "Tarn", "Venn", "Wick"]
    assert names(client, STANDING, sort="-name")[0] == "Wick"
    assert client.get(LATE, {"due_from": "31/02"}).status_code == 422


def test_the_files_are_exactly_what_is_shown(crew, client):
    query = {"sort": "name", "status": ["overdue", "waived"]}
    shown = client.get(STANDING, query).context["page"].rows
    text = client.get(STANDING, query | {"as": "csv"}).getvalue().decode("utf-8-sig")
    lines = text.splitlines()
    assert (
        lines[0] == "Name,Number,Unit and position,Course,Status,Due,Valid until,Days late,Seat,"
        "Session ends on,In quizzes,As of,As known on"
    )
    assert len(lines) - 1 == len(shown) == 3
    assert lines[2].startswith('"Tarn, Bo",')
    assert lines[2].endswith("Fire,overdue,2026-03-31,,44,,,,2026-05-14,2026-05-14")
    assert '"\'=Holt, Dario"' in lines[1]
    book = client.get(STANDING, query | {"as": "xlsx"})
    assert book.headers["Content-Disposition"] == 'attachment; filename="standing-2026-05-14.xlsx"'
    workbook = CalamineWorkbook.from_filelike(io.BytesIO(book.getvalue()))
    rows = workbook.get_sheet_by_index(0).to_python()
    about = workbook.get_sheet_by_index(1).to_python()
    assert about == [["As of", "as of Thu 14 May 2026"], ["status", "overdue, waived"]]
    assert [row[0] for row in rows[1:]] == [f"{r.person.family_name}, {r.person.given_name}" for r in shown]
    assert rows[2][5] == f.d("2026-03-31")
    assert rows[2][7] == 44


def test_why_names_the_rule_the_facts_and_the_days(crew, client):
    ada, bo, _, dario = crew["people"]

    def page(person, **query):
        url = reverse("records:why", args=[person.public_id, crew["fire"].public_id])
        return page_text(client.get(url, query))

    late = page(bo)
    assert "It was due on 31 Mar 2026, and nothing valid is there." in late
    assert "in Fleet" in late
    assert "Opened on 1 Mar 2026." in late
    assert "The completion counts until 1 Apr 2027." in page(ada)
    assert "may be renewed now" in page(ada, day="2027-03-20")
    assert "grace excuses until 11 Apr 2027" in page(ada, day="2027-04-05")
    assert "Waived from 1 May 2026 to 31 May 2026: Ashore" in page(dario)
    assert "No assignment asks for it on this day." in page(bo, day="2026-02-01")


def test_a_training_record_shows_what_is_asked_held_and_completed(crew, client):
    ada = crew["people"][0]
    page = page_text(client.get(reverse("records:record", args=[ada.public_id])))
    assert ada.completions.get().number in page
    assert "When each course was held; Fire: 2026-04-01 to 2027-04-01" in page


def test_the_certificate_is_a_pdf_with_its_number_and_the_same_bytes_each_time(crew, client):
    completion = crew["people"][0].completions.get()
    url = reverse("records:certificate", args=[completion.public_id])
    first, second = client.get(url), client.get(url)
    assert first.content == second.content
    document = pdfium.PdfDocument(first.content)
    text = document[0].get_textpage().get_text_range()
    document.close()
    for part in (
        "Ada Venn",
        "Fire",
        completion.number,
        "1 Apr 2026",
        "1 Apr 2027",
        f"/records/check/{completion.number}/",
    ):
        assert part in text


def certificate_text(client, name, title):
    """What the certificate of somebody by that name in a course of that title says."""
    course = f.a_course(title, [f.a_module("The booklet")])
    person = f.a_person(name)
    completion = record_completion(
        person=person, course=course, edition=course.editions.get(), day=f.d("2026-04-01"), by=f.BY
    )
    document = pdfium.PdfDocument(client.get(reverse("records:certificate", args=[completion.public_id])).content)
    assert len(document) == 1
    page = document[0].get_textpage()
    boxes = [page.get_rect(n) for n in range(page.count_rects())]
    right, text = document[0].get_width(), page.get_text_range()
    page.close()
    document.close()
    assert max(box[2] for box in boxes) <= right - 40, "something is drawn over the edge"
    return " ".join(text.split()), person


@pytest.mark.parametrize(
    ("name", "title"),
    [
        ("Łucja Żółć", "Ünïcode – “quotes” & <b>bold</b> " * 4),
        ("Олена Шевчук", "Пожежа на борту"),
        ("Anna-Maria " + "Long" * 19, "W" * 120),
    ],
)
def test_a_certificate_draws_every_letter_and_cuts_nothing(crew, client, name, title):
    text, _ = certificate_text(client, name, title)
    assert name.split()[0] in text
    whole = text.replace(" ", "")
    assert name.replace(" ", "") in whole
    assert title.replace(" ", "") in whole
    assert "Valid without end" in text


def test_a_name_that_cannot_be_drawn_is_not_left_blank(crew, client):
    text, person = certificate_text(client, "李 明", "Fire 🚢")
    assert f"This certifies that the holder of employee number {person.employee_number} has completed Fire □" in text


def test_anybody_can_check_a_number_but_sees_the_name_only_with_the_surname(crew, client, on):
    client.logout()
    completion = crew["people"][0].completions.get()
    url = reverse("records:check_any")

    def page(**query):
        return page_text(client.get(url, query))

    shown = page(number=completion.number.lower())
    assert "✓ valid" in shown
    assert "Fire" in shown
    assert "Venn" not in shown
    assert "Ada Venn" in page(number=completion.number, surname="venn")
    assert "not of that surname" in page(number=completion.number, surname="Tarn")
    assert "There is no certificate with the number NOPE" in page(number="nope")
    renewed = record_completion(
        person=completion.person, course=crew["fire"], edition=completion.edition, day=f.d("2026-05-13"), by=f.BY
    )
    on("2027-05-01")
    # What was renewed since has a certificate of its own: the old number does not count for it.
    assert "✗ not valid any more" in page(number=completion.number)
    assert "✓ valid" in page(number=renewed.number)
    revoke_completion(completion=completion, because="A mistake", by=f.BY)
    assert "✗ revoked" in page(number=completion.number)


@pytest.mark.parametrize("count", [3, 30])
def test_board_and_list_cost_the_same_number_of_queries_however_many(
    organisation, client, on, count, django_assert_max_num_queries
):
    on("2026-05-14")
    for n in range(count):
        f.a_person(f"Jun Number{n}")
    f.an_assignment(f.a_course("Fire"))
    client.force_login(f.an_account("auditor"))
    with django_assert_max_num_queries(26):
        client.get(BOARD)
    with django_assert_max_num_queries(26):
        client.get(STANDING)
