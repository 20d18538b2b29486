"""Sheets that save themselves: what they say when two save one, and when the connection is gone."""

import re

import pytest
from playwright.sync_api import expect


@pytest.fixture
def leaflet(open_page):
    """The sheet of a module, opened by two people."""
    one, two = open_page("Ines Okoro"), open_page("Ines Okoro")
    one.goto("/library/?q=yard+induction")
    address = one.locator("tbody th a").first.get_attribute("href")
    for page in (one, two):
        page.goto(address)
        page.wait_for_load_state("networkidle")
    return one, two


def write(page, text):
    page.get_by_label("Description").fill(text)
    page.get_by_label("Description").blur()


def forgive(page, what):
    """The browser reports an answer that is not a success; here it is the one that was wanted."""
    for _ in range(50):
        if any(what in text for text in page.trouble):
            break
        page.wait_for_timeout(100)
    else:
        raise AssertionError(f"{what} was never reported: {page.trouble}")
    page.trouble[:] = [text for text in page.trouble if what not in text]


def test_somebody_elses_newer_change_is_shown_side_by_side_and_not_overwritten(leaflet):
    one, two = leaflet
    write(one, "Before one comes into the yard.")
    expect(one.locator("#saved")).to_contain_text(re.compile(r"saved \d\d:\d\d"))
    write(two, "For divers and electricians.")
    conflict = two.locator("#saved")
    expect(conflict).to_contain_text("Not saved. Ines Okoro changed this sheet in the meantime.")
    expect(conflict.get_by_role("row", name="Description")).to_contain_text("Before one comes into the yard.")
    expect(conflict.get_by_role("row", name="Description")).to_contain_text("For divers and electricians.")
    forgive(two, "409")
    conflict.get_by_role("button", name="Save mine over it").click()
    expect(two.locator("#saved")).to_contain_text(re.compile(r"saved \d\d:\d\d"))
    # Now the first has the older one.
    write(one, "Nobody comes in without it.")
    one.locator("#saved").get_by_role("button", name="Take theirs").click()
    expect(one.get_by_label("Description")).to_have_value("For divers and electricians.")
    forgive(one, "409")


def test_an_error_stands_at_its_field_and_the_sheet_says_not_saved(leaflet):
    page, _ = leaflet
    page.get_by_label("Minutes").fill("-4")
    page.get_by_label("Minutes").blur()
    expect(page.locator("[data-error-for=minutes]")).to_contain_text("greater than or equal to 0")
    expect(page.locator("#saved")).to_contain_text("not saved")
    page.get_by_label("Title").fill("")
    page.get_by_label("Title").blur()
    expect(page.locator("[data-error-for=title]")).to_be_visible()
    page.get_by_label("Title").fill("Yard induction, the leaflet")
    page.get_by_label("Minutes").fill("6")
    page.get_by_label("Minutes").blur()
    expect(page.locator("#saved")).to_contain_text(re.compile(r"saved \d\d:\d\d"))
    expect(page.locator("[data-error-for=minutes]")).to_be_hidden()


def test_without_a_connection_it_says_so_and_saves_by_itself_once_it_is_back(leaflet):
    page, _ = leaflet
    page.context.set_offline(True)
    write(page, "Typed while the line was down.")
    expect(page.locator("#saved")).to_contain_text("not saved: no connection")
    forgive(page, "ERR_INTERNET_DISCONNECTED")
    page.trouble[:] = [text for text in page.trouble if not text.startswith("htmx:")]
    asked = []
    page.on("dialog", lambda dialog: (asked.append(dialog.type), dialog.dismiss()))
    with page.expect_event("dialog"):
        page.get_by_role("link", name="Desk").click()
    assert asked == ["beforeunload"]
    expect(page.get_by_label("Description")).to_have_value("Typed while the line was down.")
    # Once the line is back it is saved by itself.
    page.context.set_offline(False)
    expect(page.locator("#saved")).to_contain_text(re.compile(r"saved \d\d:\d\d"))
    page.reload()
    expect(page.get_by_label("Description")).to_have_value("Typed while the line was down.")


def test_a_path_is_drawn_as_one_types_and_ticks(open_page):
    page = open_page("Ines Okoro")
    page.goto("/courses/paths/new/")
    page.get_by_label("Title").fill("Ashore for good")
    page.get_by_label("Binder").select_option(label="Office")
    page.get_by_role("button", name="Make it").click()
    page.get_by_label("Title of stage 1").fill("In the office")
    with page.expect_response("**/stages/"):
        page.get_by_label("Title of stage 1").blur()
    page.get_by_label("day by which stage 1 is to be done").fill("30")
    with page.expect_response("**/stages/"):
        page.get_by_label("day by which stage 1 is to be done").blur()
    page.get_by_label("Shown for somebody who starts on").first.fill("1 Mar 2027")
    page.get_by_label("Shown for somebody who starts on").first.press("Enter")
    expect(page.locator(".stage-day")).to_contain_text("31 Mar 2027")
    page.get_by_role("button", name="Another stage").click()
    expect(page.locator("[data-part-name]")).to_have_text("stage 2")
    # In the order of ticking, into the stage that is said; what is in is named, and the days stay as they were asked for.
    picker = page.get_by_role("region", name="Put courses into the path")
    picker.get_by_label("Radio words course").check()
    picker.get_by_label("Handling ticket data course").check()
    picker.get_by_role("button", name="Add 2").click()
    expect(page.locator(".path-stage").nth(1).locator("li b")).to_have_text(["Radio words", "Handling ticket data"])
    expect(picker.get_by_text("Radio words is in stage 2")).to_be_visible()
    expect(page.locator(".stage-day").first).to_contain_text("31 Mar 2027")
    page.get_by_role("button", name="Take Radio words out").click()
    expect(picker.get_by_label("Radio words course")).to_be_visible()
    expect(page.get_by_label("Title of stage 1")).to_have_value("In the office")


def test_what_is_typed_before_the_scripts_came_is_saved_once_they_are_there(open_page):
    page = open_page("Ines Okoro")
    page.goto("/library/?q=yard+induction")
    address = page.locator("tbody th a").first.get_attribute("href")
    held = []
    page.route("**/htmx*.js", lambda route: held.append(route))
    page.goto(address, wait_until="commit")
    write(page, "Typed on a slow line.")
    now = re.compile(r"saved \d\d:\d\d")
    expect(page.locator("#saved")).not_to_contain_text(now)
    (htmx,) = held
    htmx.continue_()
    expect(page.locator("#saved")).to_contain_text(now)
    page.unroute_all()
    page.reload()
    expect(page.get_by_label("Description")).to_have_value("Typed on a slow line.")


def test_on_a_slow_line_the_last_of_two_taps_on_the_roster_counts(open_page):
    page = open_page("Ines Okoro")
    page.goto("/sessions/list/?show=to+sign+off")
    page.locator("tbody th a").first.click()
    page.get_by_role("link", name="Roster").click()
    line = page.locator("[data-person]").first
    expect(line).to_be_visible()
    page.wait_for_load_state("networkidle")
    held, answers = [], []
    page.route("**/roster/keep/", lambda route: route.continue_() if held else held.append(route))
    page.on("response", lambda answer: answers.append(answer.status) if answer.url.endswith("/roster/keep/") else None)
    line.locator("[data-not-there]").click()
    until(page, lambda: held)
    line.locator("[data-there]").click()
    # Longer than a tap waits before it is sent: the second waits for the first, whose answer comes late and is old.
    page.wait_for_timeout(400)
    held[0].continue_()
    until(page, lambda: answers == [200, 200])
    page.unroute_all()
    page.reload()
    expect(line.locator("[data-there]")).to_have_attribute("aria-pressed", "true")


def until(page, holds):
    for _ in range(200):
        if holds():
            return
        page.wait_for_timeout(100)
    raise AssertionError("It never came to that.")
