"""The administrator at nine on a Monday with 41 starters: from their file to all of them invited and one learning on a phone."""

from __future__ import annotations

import re
import sqlite3
from zoneinfo import ZoneInfo

import pytest
from playwright.sync_api import expect

from stepladder import clock
from stepladder.core.days import day_of
from tests import starters
from tests.browser.acts import Acts

MOST_ACTS = 30


def a_manager(demo):
    """The number of a bosun aboard."""
    with sqlite3.connect(demo.data / "stepladder.sqlite3") as rows:
        found = rows.execute(
            "select p.employee_number from people_person p join people_placement l on l.person_id = p.id "
            "join people_position o on o.id = l.position_id where o.name = 'Bosun' and l.revoked_on is null limit 1"
        ).fetchone()
    return found[0]


@pytest.mark.timeout(600)
def test_forty_one_starters_are_in_and_one_learns_on_a_phone(open_page, open_at, demo, tmp_path):
    today = day_of(clock.now(), ZoneInfo("Europe/London"))
    file = tmp_path / "starters.xlsx"
    file.write_bytes(starters.workbook(today, manager=a_manager(demo)))
    page = open_page("Ines Okoro")
    expect(page.get_by_role("heading", name="Desk", level=1)).to_be_visible()
    ines = Acts(page)
    ines.key("4")
    ines.press(page.get_by_role("link", name="Imports"))
    ines.choose_files(page.get_by_label("A file of people"), file)
    ines.press(page.get_by_role("button", name="Look at it"))
    # A title over the heads, and a sheet that only explains: both were seen.
    expect(page.get_by_text("Over the heads stands “New starters of next month”")).to_be_visible()
    ines.press(page.get_by_role("button", name="Look it through"))
    looked = page.get_by_role("button", name=re.compile("Carry out"))
    expect(looked).to_have_text("Carry out 39 rows", timeout=60000)
    expect(page.get_by_role("complementary", name="Margin")).to_contain_text("Fire on board")

    # A word that means nothing, a number twice, a day that could be another.
    expect(page.locator(".meanings select")).not_to_have_value("")
    ines.press(page.get_by_role("button", name="That is meant"))
    expect(looked).to_have_text("Carry out 40 rows", timeout=60000)
    twice = page.get_by_role("row", name="Row 6 has the number")
    ines.press(twice.get_by_text("Put it right"))
    ines.fill(twice.get_by_label("Personnel no."), "MS5003")
    ines.press(twice.get_by_role("button", name="Look again"))
    expect(looked).to_have_text("Carry out 41 rows", timeout=60000)
    doubt = page.get_by_role("row", name="it could be")
    ines.press(doubt.get_by_text("Put it right"))
    ines.fill(doubt.get_by_label("Start date"), f"{starters.day_of_start(today):%Y-%m-%d}")
    ines.press(doubt.get_by_role("button", name="Look again"))
    expect(page.get_by_text("it could be")).to_have_count(0, timeout=60000)

    ines.press(looked)
    invites = page.get_by_role("button", name="Invite the 41 who are new")
    expect(invites).to_be_visible(timeout=60000)
    ines.press(invites)
    expect(page.get_by_text("41 invited; each has a link")).to_be_visible()

    # One of them, on a phone: the letter says what is asked, and its link leads to it.
    phone = open_page(viewport={"width": 360, "height": 740})
    address = f"{starters.GIVEN[1]}.{starters.FAMILY[1]}.1@marram.example".lower()
    with sqlite3.connect(demo.data / "stepladder.sqlite3") as rows:
        query = 'select text from standins_traymail where "to" = ? order by id desc limit 1'
        for _ in range(120):
            letter = rows.execute(query, (address,)).fetchone()
            if letter:
                break
            page.wait_for_timeout(500)
    assert "From your first day" in letter[0]
    assert "“Fire on board”" in letter[0]
    arlo = Acts(phone, ines.done + 1)
    phone.goto(re.search(r"https?://\S+/account/link/\S+", letter[0])[0])
    arlo.fill(phone.get_by_label("password"), "a boat in the harbour")
    arlo.press(phone.get_by_role("button", name="Save it and go on"))
    expect(phone.get_by_text("you may begin before")).to_be_visible()
    arlo.press(phone.get_by_role("link", name=re.compile("^Begin")).first)
    expect(phone.get_by_role("heading", level=1)).to_be_visible()
    expect(phone.locator("[data-player], .stage-grid").first).to_be_visible()
    assert arlo.done <= MOST_ACTS, arlo.done
