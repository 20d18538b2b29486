"""The board of units, positions or people by courses or paths, and what its cells lead to. Rule: 5."""

import json
import re

import pytest
from django.urls import reverse

from stepladder.core.requirements import Status
from stepladder.learning.actions import record_completion
from stepladder.records.board import BoardAsked, board
from tests import factories as f
from tests.assignments.test_paths import a_path
from tests.reading import page_text

BOARD = reverse("records:board")


@pytest.fixture
def fleet(organisation, on, client):
    """Fire and Lines are asked of a bosun and two deckhands; a path of both of all but the bosun. The bosun has both, Fire to 9 August;
    Ada has Fire to 1 July. Today is 14 May 2026."""
    on("2026-05-12")
    fire, lines = f.a_course("Fire", months=3, window=10, grace=5), f.a_course("Lines")
    bosun = f.a_person("Rhea Wolff", position="Bosun")
    ada, bo = f.a_person("Ada Venn"), f.a_person("Bo Tarn", unit="Knot")
    for course in (fire, lines):
        f.an_assignment(course, start=f.d("2026-01-01"), due_trigger="", due_day=f.d("2026-05-01"), notice_days=0)
    path = a_path("On deck", ("First", 30, [fire, lines]))
    both = {"in": None, "named_in": [ada.pk, bo.pk], "named_out": []}
    f.an_assignment(path, both, start=f.d("2026-05-01"))
    for person, course, day in ((bosun, fire, "2026-05-10"), (bosun, lines, "2026-05-10"), (ada, fire, "2026-04-02")):
        record_completion(person=person, course=course, edition=course.editions.get(), day=f.d(day), by=f.BY)
    client.force_login(f.an_account("auditor"))
    on("2026-05-14")
    return {"fire": fire, "lines": lines, "path": path, "bosun": bosun, "ada": ada, "bo": bo}


def asked(**said):
    day = f.d("2026-05-14")
    return board(BoardAsked(**{"day": day, "known_on": day, "chart": f.a_chart("unit"), **said}))


def told(made, *statuses):
    """Row → how many of which column have one of these statuses; None where nobody is asked."""
    return {row.name: [cell and cell.of(*statuses) for cell in row.cells] for row in made.rows}


def test_positions_stand_in_place_of_units_and_a_cell_leads_to_their_people(fleet, client):
    made = asked(of="positions", chart=f.a_chart("position"))
    assert told(made, *Status)["Bosun"] == [1, 1]
    assert told(made, Status.CURRENT)["Deckhand"] == [1, 0]
    page = page_text(client.get(BOARD, {"of": "positions"}))
    bosun = f.a_position("Bosun")
    address = f"at/{bosun.public_id}/{fleet['fire'].public_id}/"
    assert address in page
    people = client.get(BOARD + address, follow=True)
    assert [row.person.name for row in people.context["page"].rows] == ["Rhea Wolff"]
    assert "position: Bosun" in page_text(people)
    beside = page_text(
        client.get(reverse("records:cell"), {"unit": bosun.public_id, "course": fleet["fire"].public_id})
    )
    assert "Bosun · Fire" in beside


def test_people_stand_by_name_each_with_their_status_and_in_pages(fleet, client, monkeypatch):
    made = asked(of="people")
    assert [row.name for row in made.rows] == ["Tarn, Bo", "Venn, Ada", "Wolff, Rhea"]
    assert told(made, Status.CURRENT)["Venn, Ada"] == [1, 0]
    assert [row.name for row in asked(of="people", unit=f.a_unit("Knot")).rows] == ["Tarn, Bo"]
    assert [row.name for row in asked(of="people", scope=frozenset({fleet["ada"].pk})).rows] == ["Venn, Ada"]
    monkeypatch.setattr("stepladder.records.board.PEOPLE", 2)
    second = asked(of="people", people_page=9)
    assert ([row.name for row in second.rows], second.people_page, second.people_pages) == (["Wolff, Rhea"], 2, 2)
    page = page_text(client.get(BOARD, {"of": "people", "known": "13 May 2026"}))
    assert "people after" in page
    address = re.search(rf"at/{fleet['ada'].public_id}/{fleet['fire'].public_id}/[^\"]*", page).group()
    # As known stands in what a cell leads to as well.
    assert address.endswith("?known=13+May+2026")
    assert client.get(BOARD + address).url == (
        reverse("records:why", args=[fleet["ada"].public_id, fleet["fire"].public_id]) + "?known=13+May+2026"
    )


def test_paths_stand_in_place_of_courses_with_who_is_asked_for_them(fleet, client):
    made = asked(by_paths=True)
    assert [one.title for one in made.courses] == ["On deck"]
    assert {name: cells for name, cells in told(made, *Status).items() if cells != [None]} == {
        "Dunlin": [1],
        "Knot": [1],
        "Everyone": [2],
    }
    page = page_text(client.get(BOARD, {"by": "paths"}))
    address = f"at/everyone/{fleet['path'].public_id}/"
    assert address in page
    people = client.get(BOARD + address, follow=True)
    assert {row.person.name for row in people.context["page"].rows} == {"Ada Venn", "Bo Tarn"}
    assert "path: On deck" in page_text(people)
    # What a row leads to is their record: how one stands with a path is told by its courses.
    assert reverse("records:record", args=[fleet["ada"].public_id]) in page_text(people)
    csv = b"".join(
        client.get(reverse("records:standing"), {"course": fleet["path"].public_id, "as": "csv"}).streaming_content
    )
    assert csv.decode().count("On deck") == 2
    assert "2</b> asked" in page_text(client.get(reverse("records:cell"), {"course": fleet["path"].public_id}))


def test_what_runs_out_by_a_day_is_counted_and_opens_exactly_those(fleet, client):
    by_july = asked(until=f.d("2026-07-02"))
    assert {row.name: list(row.runs_out) for row in by_july.rows if row.name in ("Dunlin", "Everyone")} == {
        "Dunlin": [1, 0],
        "Everyone": [1, 0],
    }
    assert list(asked(until=f.d("2026-08-10")).rows[-1].runs_out) == [2, 0]
    page = page_text(client.get(BOARD, {"rate": "running out", "until": "2 Jul 2026"}))
    assert "what runs out by 2 Jul 2026" in page
    address = re.search(rf"at/everyone/{fleet['fire'].public_id}/[^\"]*", page).group().replace("&amp;", "&")
    people = client.get(BOARD + address, follow=True)
    assert [row.person.name for row in people.context["page"].rows] == ["Ada Venn"]
    for until in ("14 May 2026", "sometime"):
        refused = client.get(BOARD, {"rate": "running out", "until": until})
        assert refused.status_code == 422
    # Counted from the day that is shown.
    assert "what runs out by 30 Jun 2026" in page_text(client.get(BOARD, {"rate": "running out", "day": "1 Apr 2026"}))


def test_days_before_the_first_fact_and_years_from_now_have_a_board(fleet, client):
    for day in ("1 Jan 1999", "1 Jan 2036"):
        for of in ("units", "positions", "people"):
            for by in ("courses", "paths"):
                answer = client.get(BOARD, {"day": day, "of": of, "by": by, "if": "booked"})
                assert answer.status_code == 200
    assert "Nothing is asked of anybody" in page_text(client.get(BOARD, {"day": "1 Jan 1999"}))
    # Lines has no validity: whoever has it has it for ever, and it runs out by no day.
    made = asked(day=f.d("2036-01-01"), until=f.d("2040-01-01"))
    everyone = made.rows[-1]
    assert [cell.covered for cell in everyone.cells] == [0, 1]
    assert list(everyone.runs_out) == [0, 0]


def test_all_columns_stand_in_one_drawing_with_what_each_cell_leads_to(fleet, client, monkeypatch):
    monkeypatch.setattr("stepladder.records.board.COLUMNS", 1)
    paged = page_text(client.get(BOARD, {"known": "13 May 2026"}))
    assert "courses 1 to 1 of 2" in paged
    assert "view=all" in paged
    answer = client.get(BOARD, {"known": "13 May 2026", "view": "all"})
    whole, board = answer.context["whole"], answer.context["board"]
    assert [one.title for one in board.courses] == ["Fire", "Lines"]
    assert json.loads(whole.columns) == [fleet["fire"].public_id, fleet["lines"].public_id]
    assert json.loads(whole.rows) == [*(row.public_id for row in board.rows[:-1]), "everyone"]
    # A bar a part of a cell: those of three units, and of everyone, of two courses.
    drawing = str(whole.drawing)
    covered = re.search(r'class="k" d="([^"]*)"', drawing)[1]
    asked = sum(1 for row in board.rows for cell in row.cells if cell and cell.covered)
    assert covered.count("M") == asked > 0
    page = page_text(answer)
    assert 'data-more="?known=13+May+2026"' in page
    assert f"?course={fleet['fire'].public_id}&amp;known=13+May+2026" in page
