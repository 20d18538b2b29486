"""Every main page: axe in light and dark, nothing wider than 360 px, and what the keys do."""

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import axe

ADMIN = [
    "/desk/",
    "/library/",
    "/library/binders/new/",
    "/courses/",
    "/courses/new/",
    "/people/",
    "/people/charts/",
    "/people/hire/",
    "/people/leads/",
    "/people/leads/new/",
    "/people/leads/nobody/",
    "/people/groups/new/",
    "/people/fields/",
    "/people/fields/new/",
    "/people/charts/new/",
    "/records/journal/?verb=move",
    "/assign/",
    "/assign/new/",
    "/records/",
    "/records/late/",
    "/records/standing/",
    "/standins/mail/",
    "/notices/unsent/",
    "/account/organisation/",
    "/search/?q=fire",
    "/account/settings/",
    "/parts/",
]
FOLLOWED = {
    "/library/": "tbody th a",
    "/courses/": "tbody th a",
    "/people/": "tbody th a",
    "/assign/": "tbody th a",
    "/people/charts/": "[data-node] a",
    "/people/groups/": "tbody th a",
    "/people/imports/": "tbody th a",
    "/records/journal/": "tbody th a",
    "/records/late/": "tbody th a",
    "/records/standing/": "td[data-label=Status] a",
    "/courses/?state=draft": "tbody th a",
}
LEARNER = ["/desk/next/", "/records/mine/"]


def pages_of(page):
    """The main pages, and behind the lists the sheet of their first row."""
    found = list(ADMIN)
    for address, link in FOLLOWED.items():
        page.goto(address)
        found.append(page.locator(link).first.get_attribute("href"))
    page.goto("/library/")
    found.append(page.locator(".index li a[href*=binders]").first.get_attribute("href"))
    page.goto("/people/")
    person = page.locator("tbody th a").first.get_attribute("href")
    found += [person + more for more in ("move/", "away/", "more/", "sign-in/")]
    page.goto("/people/charts/")
    found.append(page.locator("[data-node]").first.get_attribute("data-move-url"))
    return found


@pytest.mark.timeout(600)
@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_axe_finds_nothing_on_any_page(open_page, scheme):
    page = open_page("Ines Okoro", color_scheme=scheme)
    found = {}
    for address in pages_of(page):
        page.goto(address)
        if wrong := axe(page):
            found[address] = wrong
    learner = open_page("Jun Pellam", color_scheme=scheme)
    places = list(LEARNER)
    learner.goto("/desk/next/")
    places += [learner.locator(".next-thing h2 a").first.get_attribute("href")]
    manager = open_page("Manager", color_scheme=scheme)
    places += ["/desk/team/", "/records/", "/assign/new/"]
    for address in places:
        shown = manager if address in places[-3:] else learner
        shown.goto(address)
        if wrong := axe(shown):
            found[address] = wrong
    outside = open_page(color_scheme=scheme)
    for address in ("/account/sign-in/", "/records/check/"):
        outside.goto(address)
        if wrong := axe(outside):
            found[address] = wrong
    assert found == {}


@pytest.mark.timeout(600)
@pytest.mark.parametrize("width", [360, 820])
def test_nothing_is_wider_than_a_telephone_or_a_tablet(open_page, width):
    page = open_page("Ines Okoro", viewport={"width": width, "height": 740})
    learner = open_page("Jun Pellam", viewport={"width": width, "height": 740})
    wide = {}
    manager = open_page("Manager", viewport={"width": width, "height": 740})
    for shown, addresses in ((page, pages_of(page)), (learner, LEARNER), (manager, ["/desk/team/"])):
        for address in addresses:
            shown.goto(address)
            if (needed := shown.evaluate("document.documentElement.scrollWidth")) > width:
                wide[address] = needed
    assert wide == {}


def test_keys_climb_search_and_list_themselves(open_page):
    page = open_page("Ines Okoro")
    page.wait_for_load_state("networkidle")
    page.keyboard.press("4")
    expect(page.get_by_role("heading", name="People", level=1)).to_be_visible()
    page.wait_for_load_state("networkidle")
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_contain_text("climb to Records")
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    expect(page.get_by_label("Search everything")).to_be_focused()
    page.keyboard.type("7")
    assert page.url.endswith("/people/")
    page.goto("/records/")
    page.wait_for_load_state("networkidle")
    page.locator("[data-cell]").first.focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("[data-cell]:focus")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Who stands how", level=1)).to_be_visible()


def test_leaving_with_unsaved_work_asks(open_page):
    page = open_page("Ines Okoro")
    page.goto("/people/hire/")
    page.wait_for_load_state("networkidle")
    asked = []
    page.on("dialog", lambda dialog: (asked.append(dialog.type), dialog.accept()))
    page.get_by_label("Given name").press_sequentially("Nele")
    page.goto("/desk/")
    assert asked == ["beforeunload"]


def test_a_printed_table_has_no_frame_around_it(open_page):
    page = open_page("Ines Okoro")
    page.goto("/records/late/")
    page.emulate_media(media="print")
    for part in (".rail", ".index", ".filters"):
        expect(page.locator(part).first).to_be_hidden()
    expect(page.locator("table")).to_be_visible()
