"""Bringing much in: a whole folder with its tree, paused, gone on with from a window of its own, and what is like something there."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import axe
from tests.library import files


@pytest.fixture
def papers(tmp_path):
    """A folder as it lies on a disk: nine texts in three folders, and what a file manager left."""
    for number in range(9):
        folder = tmp_path / "Deck papers" / f"Part {number % 3}"
        folder.mkdir(parents=True, exist_ok=True)
        (folder / f"Paper {number}.md").write_text(
            f"# Paper number {number}\n\nWhat stands in {number}. " + "Word. " * 60
        )
    (tmp_path / "Deck papers" / ".DS_Store").write_text("x")
    return tmp_path / "Deck papers"


@pytest.mark.timeout(300)
def test_a_whole_folder_is_brought_in_with_its_tree_and_goes_on_in_a_window_of_its_own(open_page, papers):
    page = open_page("Ines Okoro")
    page.goto("/library/binders/new/")
    page.get_by_label("Name").fill("Of the disk")
    page.get_by_role("button", name="Make it").click()
    held = []
    page.route("**/library/uploads/*/", lambda route: held.append(route) if len(held) < 3 else route.continue_())
    page.get_by_label("or a whole folder").set_input_files(papers)
    whole = page.locator("[data-sending-whole]")
    expect(whole).to_contain_text("0 of 9 files")
    page.get_by_role("button", name="Pause").click()
    expect(whole).to_contain_text("paused")
    for route in held:
        route.continue_()
    held.extend([None] * 3)
    with page.expect_popup() as opened:
        page.get_by_role("button", name="Go on in a window of its own").click()
    other = opened.value
    expect(other.get_by_role("heading", name="Sending to “Of the disk”")).to_be_visible()
    # All of them: the page of a folder opened while some are still on their way shows those that are there by then.
    expect(other.locator("#uploads")).to_contain_text("9 files have arrived and can be used", timeout=60000)
    # The first page is free for other work, and what came is there, in folders.
    expect(page.locator("[data-sending]")).to_be_hidden()
    page.reload()
    page.get_by_role("list", name="Folders here").get_by_role("link", name="Deck papers").click()
    inner = page.get_by_role("list", name="Folders here")
    expect(inner.get_by_role("link")).to_have_count(3)
    inner.get_by_role("link", name="Part 1").click()
    expect(page.locator("tbody tr")).to_have_count(3, timeout=30000)
    assert axe(page) == []
    # Words inside are found, and opened at their place.
    page.get_by_label("with").fill("paper number 4 stands")
    page.keyboard.press("Enter")
    hit = page.locator(".hit")
    expect(hit).to_contain_text("What stands in 4.")
    hit.get_by_role("link", name="section 1").click()
    expect(page.get_by_text("You are trying version 1")).to_be_visible()


@pytest.mark.timeout(300)
def test_a_file_of_the_same_name_is_asked_about_and_becomes_a_newer_version(open_page, tmp_path):
    page = open_page("Ines Okoro")
    page.goto("/library/binders/new/")
    page.get_by_label("Name").fill("Asked about")
    page.get_by_role("button", name="Make it").click()
    given = tmp_path / "Slides of the week.pptx"
    given.write_bytes(files.a_pptx())
    page.get_by_label("Drop files or whole folders here").set_input_files(given)
    expect(page.locator("#uploads")).to_contain_text("has arrived and can be used", timeout=30000)
    given.write_bytes(files.a_pptx()[:-22] + files.a_pptx()[-22:] + b"newer")
    page.get_by_label("Drop files or whole folders here").set_input_files(given)
    # It stands as a module of its own until that is answered: one row before that would be the list of a moment ago.
    expect(page.locator("tbody tr")).to_have_count(2, timeout=30000)
    page.get_by_role("button", name=re.compile("It is a newer version of")).click(timeout=30000)
    expect(page.locator("tbody tr")).to_have_count(1)
    page.locator("tbody th a").click()
    expect(page.locator("tbody tr")).to_have_count(2)
    page.get_by_role("link", name="Try it").click()
    expect(page.get_by_text("Never stand in the bight")).to_be_visible()
