"""What an administrator does weekly takes three acts or fewer, nine times of ten, from the page that one is on.

docs/weekly.md lists the same things with the same counts.
"""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.browser.acts import Acts

ROOT = Path(__file__).resolve().parents[2]
FEW = 3


def begin(page, address, *links):
    """On the page that one is on: what led there is not counted."""
    page.goto(address)
    for link in links:
        page.get_by_role("main").get_by_role("link", name=link).first.click()
    page.wait_for_load_state()
    return Acts(page)


def said(page, text):
    expect(page.locator(".toast")).to_contain_text(re.compile(text))


def remind_whoever_is_late(page):
    ines = begin(page, "/desk/")
    ines.press(page.get_by_role("link", name=re.compile("late with something mandatory")))
    ines.tick(page.get_by_label("Choose all rows of this page"))
    ines.press(page.get_by_role("button", name="Remind them"))
    said(page, "reminders on the way")
    return ines


def book_who_needs_a_seat_soonest(page):
    ines = begin(page, "/sessions/list/", "Sea survival, in the pool")
    ines.press(page.get_by_role("link", name="Book people…").first)
    ines.tick(page.get_by_role("checkbox", name="Choose Jun Pellam"))
    ines.press(page.get_by_role("button", name=re.compile("^Book")))
    said(page, "booked")
    return ines


def move_somebody(page):
    ines = begin(page, "/people/?q=Abara", "Dario")
    ines.press(page.get_by_role("link", name="Move…"))
    ines.choose(page.get_by_label("New unit"), index=3)
    ines.press(page.get_by_role("button", name="Move"))
    said(page, "moves to")
    return ines


def write_down_sickness(page):
    ines = begin(page, "/people/?q=Brack", "Ines")
    ines.press(page.get_by_role("link", name="Away…"))
    ines.press(page.get_by_role("button", name="Record it"))
    said(page, "leave is recorded")
    return ines


def plan_another_session_like_one(page):
    ines = begin(page, "/sessions/list/", "Fire drill on board")
    ines.press(page.get_by_role("link", name="Another like this…"))
    ines.fill(page.get_by_label("Day", exact=True).first, "today+60d")
    ines.press(page.get_by_role("button", name="Plan it"))
    said(page, "is planned")
    return ines


def bring_a_file_in(page):
    ines = begin(page, "/library/binders/new/")
    page.get_by_label("Name").fill("Of this week")
    page.get_by_role("button", name="Make it").click()
    ines.choose_files(
        page.get_by_label("Drop files or whole folders here"),
        ROOT / "src/stepladder/config/demo/files/season-briefing.pdf",
    )
    expect(page.get_by_role("table").get_by_role("link", name="New season briefing")).to_be_visible(timeout=90000)
    return ines


def see_who_is_covered_next_month(page):
    ines = begin(page, "/records/")
    ines.fill(page.get_by_role("textbox", name="as of"), "end of next month")
    ines.key("Enter")
    expect(page).to_have_url(re.compile("day=end"))
    return ines


def see_why_something_is_asked(page):
    ines = begin(page, "/people/?q=Pellam", "Jun")
    ines.press(page.get_by_role("complementary", name="Margin").get_by_role("link", name="Fire on board"))
    expect(page.get_by_role("heading", level=1)).to_contain_text("Fire on board")
    return ines


def take_back_what_one_just_did(page):
    ines = begin(page, "/people/?q=Ambley", "Cleo")
    page.get_by_role("link", name="Away…").click()
    page.get_by_role("button", name="Record it").click()
    ines.press(page.get_by_role("status").get_by_role("button", name="Take it back"))
    said(page, "taken back")
    return ines


def assign_a_course_to_a_unit(page):
    ines = begin(page, "/courses/", "Radio words")
    ines.press(page.get_by_role("link", name="Assign…"))
    ines.fill(page.get_by_label("Called"), "Radio words in the workshop")
    ines.fill(page.get_by_label("in", exact=True), "Workshop")
    ines.key("Enter")
    expect(page.locator("#effect")).to_contain_text("12")
    ines.press(page.get_by_role("button", name="Assign it"))
    return ines


WEEKLY = {
    "Remind everybody who is late": remind_whoever_is_late,
    "Book whoever needs a seat soonest": book_who_needs_a_seat_soonest,
    "Move somebody to another unit": move_somebody,
    "Write down that somebody is ill": write_down_sickness,
    "Plan another session like one": plan_another_session_like_one,
    "Bring a file into the library": bring_a_file_in,
    "See who is covered at the end of next month": see_who_is_covered_next_month,
    "See why something is asked of somebody": see_why_something_is_asked,
    "Take back what one just did": take_back_what_one_just_did,
    "Assign a course to a unit": assign_a_course_to_a_unit,
}


@pytest.mark.timeout(600)
def test_nine_of_ten_weekly_things_take_three_acts_or_fewer(open_page):
    page = open_page("Ines Okoro")
    counts = {what: do(page).done for what, do in WEEKLY.items()}
    assert sum(count <= FEW for count in counts.values()) >= 9, counts
    listed = re.findall(r"^\| (.+?) \|.*\| (\d+) \|$", (ROOT / "docs/weekly.md").read_text(), re.MULTILINE)
    assert {what: int(count) for what, count in listed} == counts
