"""A task signed off on deck: the page taken along opens without a line, what is signed is kept, and sent once."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import axe
from tests.browser.test_sheets import forgive


def sign_in_pad(page, number):
    """A few strokes, as a finger draws them."""
    field = page.locator("[data-pad-field]").nth(number)
    field.scroll_into_view_if_needed()
    box = field.bounding_box()
    left, middle = box["x"] + box["width"] * 0.2, box["y"] + box["height"] / 2
    page.mouse.move(left, middle)
    page.mouse.down()
    for step in range(12):
        page.mouse.move(left + step * 12, middle + (20 if step % 2 else -20))
    page.mouse.up()


@pytest.mark.timeout(300)
def test_signed_without_a_line_it_is_kept_on_the_device_and_sent_once(open_page):
    page = open_page("Manager")
    page.goto("/sign-off/")
    row = page.locator("tbody tr", has_text="Jun Pellam")
    expect(row).to_contain_text("The heaving line once more")
    # Its pages are taken along.
    expect(page.locator("[data-taken-along]")).to_contain_text("they open without a line")
    assert axe(page) == []
    page.context.set_offline(True)
    row.get_by_role("link", name="Jun Pellam").click()
    expect(page.get_by_role("heading", name="Jun Pellam")).to_be_visible()
    throw = page.locator(".seen-line", has_text="Passes the heaving line")
    throw.get_by_text("met", exact=True).click()
    page.get_by_label("Words to Jun").fill("That was it.")
    # What is missing is said here and now, not when both are gone.
    page.get_by_role("button", name="Sign it off").click()
    expect(page.locator("[data-faults] li")).to_have_count(2)
    expect(page.locator("[data-faults]")).to_contain_text("Let whoever did it sign")
    # A task that asks for a photo says so here as well, once all that it needs was met.
    sheet = page.locator("[data-sign]")
    sheet.evaluate("form => { form.dataset.asksPhoto = ''; }")
    page.get_by_role("button", name="Sign it off").click()
    expect(page.locator("[data-faults]")).to_contain_text("This task asks for a photo.")
    sheet.evaluate("form => { delete form.dataset.asksPhoto; }")
    sign_in_pad(page, 0)
    sign_in_pad(page, 1)
    expect(page.locator(".pad.has-ink")).to_have_count(2)
    page.get_by_role("button", name="Sign it off").click()
    expect(page.get_by_text("Signed, and kept on this device.")).to_be_visible()
    expect(page.locator("[data-outbox-rows] li")).to_have_count(1)
    # A reload without a line loses nothing.
    page.reload()
    expect(page.locator("[data-outbox-rows] li")).to_contain_text("It waits for a line, and is sent by itself.")
    page.context.set_offline(False)
    expect(page.get_by_text("of Jun Pellam is signed off.")).to_be_visible(timeout=40000)
    # Only now: a sending that was under way as the line came back is told of later than that.
    forgive(page, "ERR_INTERNET_DISCONNECTED")
    page.goto("/sign-off/")
    expect(page.locator("[data-outbox]")).to_be_hidden()
    expect(page.locator("tbody tr", has_text="Jun Pellam")).to_have_count(0)

    learner = open_page("Jun Pellam")
    learner.goto("/records/mine/")
    learner.get_by_role("link", name="Moor her, with the bosun beside you").first.click()
    expect(learner.get_by_text("That was it.")).to_be_visible()
    expect(learner.get_by_role("img", name="Signature of Tilda Pask")).to_be_visible()
    expect(learner.get_by_role("img", name="Signature of Jun Pellam")).to_be_visible()
    assert axe(learner) == []


@pytest.mark.timeout(300)
def test_what_is_refused_later_is_opened_again_with_all_that_was_noted(open_page):
    # Who asks beside Jun differs from day to day, and with it whose they are: an administrator signs for anybody.
    page = open_page("Ines Okoro")
    page.goto("/sign-off/")
    asks = page.locator("tbody tr", has_text="I am on the early boat all week.").get_by_role("link")
    name = asks.inner_text().strip()
    asks.click()
    expect(page.get_by_role("heading", name=name)).to_be_visible()
    page.get_by_role("button", name="All that is open was met").click()
    page.get_by_label("Words to").fill("Seen at the quay.")
    sign_in_pad(page, 0)
    page.context.set_offline(True)
    page.get_by_label("or type the name").nth(1).fill("x" * 3)
    # A day that the task does not take is refused only once it is sent.
    page.get_by_label("Seen on").fill("2020-01-01")
    page.get_by_label("Why it is signed off only now").fill("Found in a drawer")
    page.get_by_role("button", name="Sign it off").click()
    expect(page.get_by_text("Signed, and kept on this device.")).to_be_visible()
    page.context.set_offline(False)
    kept = page.locator("[data-outbox-rows] li")
    expect(kept).to_contain_text("does not count for it", timeout=40000)
    forgive(page, "ERR_INTERNET_DISCONNECTED")
    forgive(page, "422")
    kept.get_by_role("link", name="Open it").click()
    expect(page.get_by_label("Words to")).to_have_value("Seen at the quay.")
    expect(page.locator(".pad.has-ink")).to_have_count(1)
    expect(page.locator("[data-faults]")).to_contain_text("does not count for it")
    assert axe(page) == []
    page.set_viewport_size({"width": 360, "height": 740})
    assert page.evaluate("document.documentElement.scrollWidth") <= 360
    page.goto("/sign-off/")
    page.once("dialog", lambda dialog: dialog.accept())
    page.locator("[data-outbox-rows]").get_by_role("button", name="Put it away").click()
    expect(page.locator("[data-outbox]")).to_be_hidden()


@pytest.mark.timeout(300)
def test_a_task_is_written_from_a_pasted_list_and_somebody_named(open_page):
    page = open_page("Author")
    page.goto("/library/")
    page.locator(".index").get_by_role("link", name="Deck").click()
    page.get_by_role("link", name="New task…").click()
    page.get_by_label("Title").fill("Lower the boat")
    page.get_by_role("button", name="Go on").click()
    page.get_by_label("More, a line each").fill("1. Checks the falls\n2. Clears the deck\n3. Lowers on the word")
    page.get_by_role("button", name="Add them").click()
    expect(page.locator(".criterion")).to_have_count(3)
    page.locator(".criterion").nth(2).get_by_role("button", name=re.compile("^up")).click()
    expect(page.locator(".criterion textarea").nth(2)).to_have_value("Lowers on the word")
    page.get_by_role("searchbox", name="Named").press_sequentially("Wolff")
    page.locator("[data-found] label", has_text="Rhea Wolff").click()
    page.locator("#signers").get_by_role("button", name="Keep it").click()
    expect(page.get_by_text("It holds at once")).to_be_visible()
    assert axe(page) == []
    page.get_by_role("link", name="Release…").click()
    page.get_by_role("button", name="Release version 1").click()
    expect(page.get_by_text("That is version 1.")).to_be_visible()
