"""An empty installation, from the code that was printed to somebody who has something to learn."""

import re
import shutil
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Running, axe

FILES = Path(__file__).resolve().parents[2] / "src/stepladder/config/demo/files"


@pytest.fixture
def empty(tmp_path, demo):
    running = Running(tmp_path / "data", "serve")
    # The static files are the same for every installation of this code: collected and compressed once is enough here.
    shutil.copytree(demo.data / "static", running.data / "static")
    shutil.copy(demo.data / "static.stamp", running.data)
    running.start()
    yield running
    running.stop()


@pytest.mark.timeout(600)
def test_from_the_printed_code_to_the_first_requirement(empty, open_at):
    code = next(found[1] for line in empty.said if (found := re.search(r"set it up with the code (\w+)", line)))
    page = open_at(empty)
    page.goto("/")
    expect(page.get_by_role("heading", name="Set Stepladder up")).to_be_visible()
    assert axe(page) == []
    for label, text in {
        "Set-up code": code,
        "Organisation": "Holm Boatyard",
        "Your name": "Nele Brandt",
        "Your e-mail": "nele@holm.example",
        "A password": "a rope of many strands",
    }.items():
        page.get_by_label(label).fill(text)
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_role("heading", name="Nothing waits for you")).to_be_visible()
    # Every list is empty, says what belongs there, and no page breaks for it.
    for address in ("/library/", "/courses/", "/people/", "/people/charts/", "/assign/", "/records/", "/records/late/"):
        page.goto(address)
        assert axe(page) == [], address

    page.goto("/people/charts/")
    page.get_by_role("link", name="Positions", exact=True).click()
    page.get_by_role("link", name="New position…").click()
    page.get_by_label("Name").fill("Fitter")
    page.get_by_role("button", name="Add it").click()
    page.goto("/people/hire/")
    for label, text in {"Given name": "Jun", "Family name": "Pellam", "Employee number": "H1"}.items():
        page.get_by_label(label).fill(text)
    page.get_by_label("Unit").select_option(label="Holm Boatyard")
    page.get_by_label("Position").select_option(label="Fitter")
    page.get_by_label("First day", exact=True).fill("2026-01-05")
    page.get_by_role("button", name="Hire").click()
    person = page.url

    page.goto("/library/binders/new/")
    page.get_by_label("Name").fill("Yard")
    page.get_by_role("button", name="Make it").click()
    page.get_by_label("Drop files here").set_input_files([FILES / "season-briefing.pdf"])
    page.locator("#uploads").get_by_role("link", name="New season briefing").click(timeout=90000)
    page.get_by_role("link", name="Try it").click()
    expect(page.get_by_text("Nothing is kept here.")).to_be_visible()
    expect(page.locator("[data-page-now]")).to_have_text("1")
    page.goto("/courses/new/")
    page.get_by_label("Title").fill("Yard induction")
    page.get_by_label("Binder").select_option(label="Yard")
    page.get_by_role("button", name="Make it").click()
    picker = page.get_by_role("region", name="Add modules")
    picker.get_by_label("New season briefing").check()
    picker.get_by_role("button", name="Add 1").click()
    expect(page.locator("[data-step]")).to_have_count(1)
    page.get_by_label("Summary").fill("What one must know before coming in.")
    page.get_by_label("Summary").blur()
    expect(page.locator("#before-release")).to_contain_text("says what it is about")
    page.get_by_role("link", name="Release…").click()
    page.get_by_role("button", name="Release edition 1").click()
    page.get_by_role("link", name="Assign…").click()
    page.get_by_label("Called").fill("Everybody in the yard")
    page.get_by_label("everyone", exact=True).check()
    expect(page.locator("#effect")).to_contain_text("1")
    page.get_by_role("button", name="Assign it").click()
    expect(page.get_by_role("link", name="Jun Pellam")).to_be_visible()
    page.goto(person)
    expect(page.get_by_role("complementary", name="Margin")).to_contain_text("Yard induction")
