"""From nothing in ninety minutes: an empty installation, from the code that was printed, taken by one person to 40 people, three
uploads, and a course that is assigned to all of them. The house colour is left as it is.
"""

import re
import shutil
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.browser.acts import Acts
from tests.browser.conftest import Running, axe

FILES = Path(__file__).resolve().parents[2] / "src/stepladder/config/demo/files"
UNITS, POSITIONS = ("Yard", "Slipway", "Stores", "Office"), ("Fitter", "Rigger", "Storekeeper", "Clerk")
COUNT = 40
MOST_ACTS = 42


@pytest.fixture
def empty(tmp_path, demo):
    running = Running(tmp_path / "data", "serve")
    # The static files are the same for every installation of this code: collected and compressed once is enough here.
    shutil.copytree(demo.data / "static", running.data / "static")
    shutil.copy(demo.data / "static.stamp", running.data)
    running.start()
    yield running
    running.stop()


def people_file(folder):
    """Forty people of units and positions that no chart has yet."""
    lines = ["Number,Given name,Family name,E-mail,Unit,Position,Hired"]
    for n in range(COUNT):
        unit, position = UNITS[n % 4], POSITIONS[n // 4 % 4]
        lines.append(f"H{n:03d},Given{n},Family{n},h{n}@holm.example,{unit},{position},2024-01-{n % 28 + 1:02d}")
    made = folder / "people.csv"
    made.write_text("\n".join(lines))
    return made


def next_step(nele, text):
    """The desk says what comes next, and leads there."""
    nele.key("1")
    step = nele.page.get_by_role("complementary", name="Margin").locator("[aria-current=step]")
    expect(step).to_contain_text(text)
    nele.press(step.get_by_role("link"))


@pytest.mark.timeout(600)
def test_from_nothing_to_forty_people_who_are_asked_for_a_course(empty, open_at, tmp_path):
    code = next(found[1] for line in empty.said if (found := re.search(r"set it up with the code (\w+)", line)))
    page = open_at(empty)
    page.goto("/")
    expect(page.get_by_role("heading", name="Set Stepladder up")).to_be_visible()
    assert axe(page) == []
    nele = Acts(page)
    for label, text in {
        "Set-up code": code,
        "Organisation": "Holm Boatyard",
        "Your name": "Nele Brandt",
        "Your e-mail": "nele@holm.example",
        "A password": "a rope of many strands",
    }.items():
        nele.fill(page.get_by_label(label), text)
    nele.press(page.get_by_role("button", name="Begin"))
    expect(page.get_by_role("heading", name="Nothing waits for you")).to_be_visible()
    # Every list is empty, says what belongs there, and no page breaks for it.
    for address in ("/library/", "/courses/", "/people/", "/people/charts/", "/assign/", "/records/", "/records/late/"):
        page.goto(address)
        assert axe(page) == [], address

    # 40 people from a file; the charts are made of what it says.
    next_step(nele, "Bring your people in from a file")
    nele.choose_files(page.get_by_label("A file of people"), people_file(tmp_path))
    nele.press(page.get_by_role("button", name="Look at it"))
    nele.press(page.get_by_role("button", name="Look it through"))
    expect(page.get_by_role("heading", name="Words that mean nothing here yet")).to_be_visible(timeout=60000)
    nele.press(page.get_by_role("button", name="That is meant"))
    nele.press(page.get_by_role("button", name=f"Carry out {COUNT} rows"))
    expect(page.get_by_role("button", name=f"Invite the {COUNT} who are new")).to_be_visible(timeout=60000)

    # Three uploads.
    next_step(nele, "Drop packages, films and PDFs onto a binder")
    nele.fill(page.get_by_label("Name"), "Yard")
    nele.press(page.get_by_role("button", name="Make it"))
    names = ("season-briefing.pdf", "the-first-two-minutes.mp4", "extinguishers-and-blankets.zip")
    nele.choose_files(page.get_by_label("Drop files or whole folders here"), [FILES / name for name in names])
    table = page.get_by_role("table")
    expect(table.locator("tbody tr")).to_have_count(3, timeout=90000)

    # A course of them, released.
    next_step(nele, "Make a course of them and release it")
    nele.fill(page.get_by_label("Title"), "Yard induction")
    nele.press(page.get_by_role("button", name="Make it"))
    picker = page.get_by_role("region", name="Add modules")
    expect(picker.get_by_role("checkbox")).to_have_count(3)
    for n in range(3):
        nele.tick(picker.get_by_role("checkbox").nth(n))
    nele.press(picker.get_by_role("button", name="Add 3"))
    expect(page.locator("[data-step]")).to_have_count(3)
    nele.fill(page.get_by_label("Summary"), "What one must know before coming in.")
    page.get_by_label("Summary").blur()
    expect(page.locator("#before-release")).to_contain_text("says what it is about")
    nele.press(page.get_by_role("link", name="Release…"))
    nele.press(page.get_by_role("button", name="Release edition 1"))
    expect(page.get_by_role("heading", name="Released")).to_be_visible()

    # Assigned to all of them, and all of them invited.
    next_step(nele, "Assign the course")
    nele.done += 1
    page.get_by_label("Course or path").select_option(label="Yard induction")
    nele.fill(page.get_by_label("Called"), "Everybody in the yard")
    nele.tick(page.get_by_label("everyone", exact=True))
    expect(page.locator("#effect")).to_contain_text("40")
    nele.press(page.get_by_role("button", name="Assign it"))
    expect(page.get_by_role("link", name="Given0 Family0")).to_be_visible()
    next_step(nele, "Invite them to sign in")
    nele.tick(page.get_by_label("Choose all rows of this page"))
    nele.press(page.get_by_role("button", name="Invite"))
    nele.press(page.get_by_role("button", name="Send the invitations"))
    expect(page.get_by_text("40 invited")).to_be_visible()
    next_step(nele, "See who is covered on any day")
    expect(page.get_by_role("row", name="Everyone")).to_contain_text("40")
    assert nele.done <= MOST_ACTS, nele.done
