"""The grid: cells edited by keys, a block from a spreadsheet, what is wrong in its cell, undo; and a table that goes out and comes in."""

import csv
import io
import re

import pytest
from PIL import Image
from playwright.sync_api import expect

from tests.browser.conftest import axe

PASTE = """(text) => {
  const clip = new DataTransfer();
  clip.setData("text/plain", text);
  document.activeElement.dispatchEvent(new ClipboardEvent("paste", {clipboardData: clip, bubbles: true, cancelable: true}));
}"""


@pytest.fixture
def grid(open_page):
    """The grid of the binder of the office: two modules, by title."""
    page = open_page("Ines Okoro")
    page.goto("/library/grid/")
    page.get_by_role("link", name="Office 2").click()
    page.get_by_role("link", name="Edit these as a grid").click()
    expect(page.locator("[data-grid] tbody tr")).to_have_count(2)
    return page


def cell(page, heading, row):
    return (
        page.locator("[data-grid] tbody tr")
        .nth(row)
        .get_by_role("textbox", name=heading)
        .or_(page.locator("[data-grid] tbody tr").nth(row).get_by_role("combobox", name=heading))
    )


def test_cells_are_edited_by_keys_and_pasted_and_what_is_wrong_is_said_in_the_cell(grid):
    page = grid
    # What a screen reader is given: a table with heads, and in each cell what it is, of which column, and whose row it is.
    expect(page.locator("[data-grid] tbody tr").first).to_match_aria_snapshot("""
      - row:
        - cell:
          - textbox "Title Handling ticket data, the rules, Office": Handling ticket data, the rules
        - cell:
          - textbox "Description Handling ticket data, the rules, Office"
        - cell:
          - textbox "Minutes Handling ticket data, the rules, Office": "8"
        - cell:
          - combobox "Language Handling ticket data, the rules, Office": English
        - cell:
          - combobox "Topics Handling ticket data, the rules, Office"
        - cell:
          - textbox "Tags Handling ticket data, the rules, Office": data
        - cell:
          - combobox "Rights Handling ticket data, the rules, Office": play and keep
        - cell:
          - button "Picture Handling ticket data, the rules, Office"
        - cell
        - cell:
          - link "Handling ticket data, the rules, Office"
    """)
    for heading in (
        "Title",
        "Description",
        "Minutes",
        "Language",
        "Topics",
        "Tags",
        "Rights",
        "Picture",
        "Source",
        "Where",
    ):
        assert page.get_by_role("columnheader", name=heading, exact=True).count() == 1
    cell(page, "Minutes", 0).fill("9")
    page.keyboard.press("Enter")
    expect(page.locator("#saved")).to_have_text("saved")
    expect(cell(page, "Minutes", 1)).to_be_focused()
    page.keyboard.press("ArrowUp")
    page.evaluate(PASTE, "12\tEnglish\tData\n7 min\tKlingonish\tdata; Mooring\n")
    expect(page.locator("#saved")).to_have_text("4 saved, 1 to be put right")
    wrong = cell(page, "Language", 1)
    expect(wrong).to_have_attribute("aria-invalid", "true")
    expect(wrong).to_have_accessible_description(re.compile("is no language we know"))
    expect(cell(page, "Topics", 1)).to_have_value("Seamanship › Mooring; Working here › Data")
    expect(cell(page, "Minutes", 1)).to_have_value("7")
    assert axe(page) == []
    # Filled down by one key, which leaves the cell as it was; the rest is undone as it was done.
    cell(page, "Language", 0).click()
    page.keyboard.press("Alt+ArrowDown")
    expect(wrong).to_have_value("English")
    expect(wrong).not_to_have_attribute("aria-invalid", "true")
    page.get_by_role("button", name="Undo the last change").click()
    expect(cell(page, "Minutes", 0)).to_have_value("9")
    page.get_by_role("button", name="Undo the last change").click()
    expect(cell(page, "Minutes", 0)).to_have_value("8")
    # "Saved" is said once nothing waits any more: only then may the page be left without being asked.
    expect(page.locator("#saved")).to_have_text("saved")
    page.reload()
    expect(cell(page, "Minutes", 0)).to_have_value("8")
    expect(cell(page, "Topics", 1)).to_have_value("")


def test_a_picture_is_chosen_in_its_cell_filled_down_and_undone(grid):
    page, shown = grid, "[data-grid] tbody tr td.pictured button"
    own = page.locator(f"{shown} img[src^='/library/pictures/']")
    first = page.locator(shown).first
    with page.expect_file_chooser() as asked:
        first.click()
    asked.value.set_files({"name": "wrong.png", "mimeType": "image/png", "buffer": b"no picture at all"})
    expect(first).to_have_attribute("aria-invalid", "true")
    image = io.BytesIO()
    Image.new("RGB", (300, 200), "teal").save(image, "PNG")
    with page.expect_file_chooser() as asked:
        first.click()
    asked.value.set_files({"name": "own.png", "mimeType": "image/png", "buffer": image.getvalue()})
    expect(own).to_have_count(1)
    expect(first).not_to_have_attribute("aria-invalid", "true")
    expect(page.locator("#saved")).to_have_text("saved")
    page.keyboard.press("Alt+ArrowDown")
    expect(own).to_have_count(2)
    expect(page.locator("#saved")).to_have_text("saved")
    page.reload()
    expect(own).to_have_count(2)
    expect(first).to_have_accessible_name("Picture Handling ticket data, the rules, Office")
    expect(first).to_have_accessible_description("its own")
    for n in (0, 1):
        page.locator(shown).nth(n).press("Delete")
        expect(page.locator("#saved")).to_have_text("saved")
        expect(own).to_have_count(1 - n)
    page.get_by_role("button", name="Undo the last change").click()
    expect(own).to_have_count(1)
    page.get_by_role("button", name="Undo the last change").click()
    expect(own).to_have_count(2)
    expect(page.locator("#saved")).to_have_text("saved")


def test_a_table_goes_out_is_edited_and_comes_in_with_every_change_shown_first(grid, tmp_path):
    page = grid
    with page.expect_download() as coming:
        page.get_by_role("link", name="As CSV").click()
    rows = list(csv.DictReader(io.StringIO(coming.value.path().read_text(encoding="utf-8-sig"))))
    assert [row["Title"] for row in rows] == ["Handling ticket data, the rules", "New season, what is new"]
    rows[0] |= {"Description": "Whose the names are.", "Minutes": "11"}
    rows[1] |= {"Minutes": "soon", "Tags": "season, spring"}
    edited = tmp_path / "edited.csv"
    with edited.open("w", newline="", encoding="utf-8") as out:
        writer = csv.DictWriter(out, [*rows[0], "Mood"])
        writer.writeheader()
        writer.writerows([*rows, rows[0]])
    page.get_by_label("A table that was edited elsewhere").set_input_files(edited)
    page.get_by_role("button", name="See what it changes").click()
    expect(page.get_by_text("It would change 2 modules")).to_be_visible(timeout=20000)
    said = page.locator("main").inner_text()
    for words in ("“Mood”", "is no number of minutes", "as row 2 is"):
        assert words in said
    assert axe(page) == []
    page.get_by_role("button", name="Make these changes").click()
    expect(page.get_by_role("button", name="Take all of it back")).to_be_visible(timeout=20000)
    page.get_by_role("link", name="New season, what is new").click()
    expect(page.get_by_label("Tags")).to_have_value("season, spring")
    page.go_back()
    page.get_by_role("button", name="Take all of it back").click()
    expect(page.get_by_text("Taken back.")).to_be_visible(timeout=20000)
    page.get_by_role("link", name="Handling ticket data, the rules").click()
    expect(page.get_by_label("Minutes")).to_have_value("8")
