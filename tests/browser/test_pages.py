"""Every main page: axe in light and dark, nothing wider than 360 px, and what the keys do."""

import os
import re

import pytest
from playwright.sync_api import expect

from stepladder import clock
from tests.browser.conftest import axe

# Walked once more, on another day, for what a day changes: that every page is there. How they look was asked on the first.
IS_AGAIN = "STEPLADDER_TEST_AGAIN" in os.environ

ADMIN = [
    "/desk/",
    "/desk/queue/",
    "/library/",
    "/library/binders/new/",
    "/library/topics/",
    "/library/grid/",
    "/library/sources/",
    "/library/sources/new/",
    "/library/?topic=&language=en&q=fire",
    "/learn/confirm/",
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
    "/records/?view=all",
    "/records/?of=people&rate=running+out",
    "/records/?of=positions&by=paths",
    "/people/keeping/",
    "/records/late/",
    "/records/standing/",
    "/records/reports/",
    "/records/reports/ready/covered/",
    "/records/reports/ready/covered/?rows=late",
    "/records/reports/ready/on-time/",
    "/records/reports/ready/on-time/?then=course",
    "/records/reports/ready/on-time/?then=course&view=all",
    "/records/reports/ready/days/",
    "/records/reports/ready/completions/",
    "/records/reports/courses/",
    "/records/reports/paths/",
    "/records/reports/skills/",
    "/records/reports/watched/",
    "/standins/mail/",
    "/notices/unsent/",
    "/account/organisation/",
    "/search/?q=fire",
    "/account/settings/",
    "/parts/",
    "/courses/paths/",
    "/courses/paths/new/",
    "/courses/paths/builders/",
    "/courses/skills/",
    "/courses/skills/new/",
    "/courses/programmes/",
    "/courses/programmes/new/",
    "/what-is-told/",
    "/what-is-told/new/",
    "/what-is-told/quiet-days/",
    "/notices/words/",
    "/notices/words/assigned/",
    "/messages/",
    "/messages/answers/",
    "/catalogue/noticeboard/",
    "/catalogue/noticeboard/new/",
    "/records/evidence/",
    "/records/evidence/new/?day=today",
    "/records/outside/",
    "/records/outside/files/",
    "/sessions/",
    "/sessions/?by=room",
    "/sessions/list/",
    "/sessions/list/?show=held",
    "/sessions/new/",
    "/sessions/rooms/",
    "/sessions/plans/",
    "/sessions/plans/new/",
    "/sessions/instructors/",
]
FOLLOWED = {
    "/library/": "tbody th a",
    "/library/sources/": "tbody th a",
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
    "/courses/paths/": "tbody th a",
    "/courses/skills/": "tbody th a",
    "/courses/programmes/": "tbody th a",
    "/what-is-told/": "tbody th a",
    "/messages/": "tbody th a",
    "/messages/answers/": "tbody th a",
    "/sessions/list/?show=to+sign+off": "tbody th a",
    "/records/": ".index li a[href*=kept]",
    "/records/evidence/": "tbody th a",
    "/sessions/rooms/": "tbody td a",
    "/sessions/instructors/": "tbody th a",
}
LEARNER = ["/desk/next/", "/records/mine/", "/sessions/own/", "/learn/notes/"]
CATALOGUE = ["/catalogue/", "/catalogue/?topics=all&length=10", "/catalogue/?order=new", "/catalogue/?q=bight"]


def pages_of(page):
    """The main pages, and behind the lists the sheet of their first row."""
    found = list(ADMIN)
    for address, link in FOLLOWED.items():
        page.goto(address)
        found.append(page.locator(link).first.get_attribute("href"))
    page.goto("/library/")
    found.append(page.locator(".index li a[href*=binders]").first.get_attribute("href"))
    page.goto("/courses/skills/")
    skill = page.locator("tbody th a").first.get_attribute("href").strip("/").split("/")[-1]
    page.goto("/courses/")
    course = page.locator("tbody th a", has_text="Guiding a crowd").get_attribute("href")
    found += [course, f"{course}offer/", f"/records/skills/{skill}/"]
    page.goto("/assign/")
    found.append(f"{page.locator('tbody th a').first.get_attribute('href')}year/")
    page.goto("/courses/paths/")
    path = page.locator("tbody th a").first.get_attribute("href").strip("/").split("/")[-1]
    found += [f"/catalogue/embed/{path}/", f"/messages/write/?course={course.strip('/').split('/')[-1]}"]
    page.goto("/people/")
    person = page.locator("tbody th a").first.get_attribute("href")
    found += [person + more for more in ("move/", "away/", "more/", "sign-in/")]
    page.goto("/people/charts/")
    found.append(page.locator("[data-node]").first.get_attribute("data-move-url"))
    page.get_by_role("link", name="Positions", exact=True).click()
    position = page.locator("[data-node] a").first.get_attribute("href")
    found += [position, f"/people/positions/{position.strip('/').split('/')[-1]}/roles/"]
    page.goto("/library/?q=how+a+fire+grows")
    lesson = page.locator("tbody th a").first.get_attribute("href")
    page.goto(lesson)
    found += [link.get_attribute("href") for link in page.locator(".lines a").all()]
    page.get_by_role("link", name="Write on").click()
    found += [f"{page.url.split('?')[0]}release/", page.locator("[data-index-section]").first.get_attribute("href")]
    found += [lesson, f"/learn/try/{lesson.strip('/').split('/')[-1]}/"]
    found += quiz_pages(page, person) + task_pages(page)
    page.goto("/sessions/list/?show=to+sign+off")
    over = page.locator("tbody th a").first.get_attribute("href")
    page.goto("/sessions/list/?show=waiting")
    full = page.locator("tbody th a").first.get_attribute("href")
    found += [over + more for more in ("roster/", "sign-in-sheet/")]
    found += [full + more for more in ("", "book/", "reschedule/", "cancel/", "details/")]
    return found


def quiz_pages(page, person):
    """Banks and a question of every look, a quiz as it is planned and tried, what its answers tell, what waits to be marked."""
    page.goto("/library/banks/")
    bank = page.locator("tbody th a", has_text="Galley hygiene").get_attribute("href")
    found = ["/library/banks/", "/library/banks/new/", bank, f"{bank}text/"]
    found += [f"{bank}new/?kind={kind}" for kind in ("one", "order", "match", "true_false", "number", "text", "long")]
    page.goto("/library/?q=galley+quiz")
    sheet = page.locator("tbody th a").first.get_attribute("href")
    quiz = sheet.strip("/").split("/")[-1]
    found += [sheet, f"/learn/try/{quiz}/"]
    found += [f"/library/quizzes/{quiz}/{more}" for more in ("", "choose/", "release/", "answers/")]
    page.goto("/marking/")
    return [*found, "/marking/", page.locator("tbody th a").first.get_attribute("href"), f"{person}quizzes/"]


def task_pages(page):
    """A task as it is written and tried, who waits for a signature, the check list of one, and what was signed."""
    page.goto("/library/?q=moor+her")
    sheet = page.locator("tbody th a").first.get_attribute("href")
    task = sheet.strip("/").split("/")[-1]
    found = [sheet, f"/learn/try/{task}/", f"/library/tasks/{task}/", f"/library/tasks/{task}/release/"]
    page.goto("/sign-off/")
    place = page.locator("tbody th a", has_text="Jun Pellam").get_attribute("href")
    return [*found, "/sign-off/", "/sign-off/?show=all", place]


@pytest.mark.timeout(900)
def test_every_page_can_be_read_narrow_and_in_the_dark(open_page):
    """Each page is opened once: axe finds nothing, in the dark neither; nothing is wider than a telephone or a tablet."""
    admin = open_page("Ines Okoro")
    learner = open_page("Jun Pellam")
    outside = open_page()
    learner.goto("/desk/next/")
    course = learner.locator(".next-thing h2 a").first.get_attribute("href")
    seat = learner.locator("p", has_text="Needs a seat").get_by_role("link").first.get_attribute("href")
    learner.goto(course)
    steps = [link.get_attribute("href") for link in learner.locator(".lstep .what a").all()]
    walks = [
        (admin, pages_of(admin)),
        (learner, [*LEARNER, course, *steps, seat, *CATALOGUE, *things_of(learner)]),
        (
            open_page("Manager"),
            ["/catalogue/requests/", "/desk/team/", "/desk/team/?by=course", "/records/", "/assign/new/"],
        ),
        (open_page("Instructor"), ["/sessions/", "/sessions/list/"]),
        (outside, ["/account/sign-in/", "/records/check/"]),
    ]
    found = {}
    for page, addresses in walks:
        for number, address in enumerate(addresses):
            if wrong := missing(page, address) if IS_AGAIN else wrong_with(page, address, themes_of(number)):
                found[address] = wrong
    assert found == {}


def things_of(page):
    """A thing that is asked for, one that is open, a path, a module by itself, and a programme."""
    page.goto("/catalogue/")
    programme = page.locator(".programmes a").first.get_attribute("href")
    page.goto("/catalogue/?order=new")
    titles = ("Entering closed spaces", "Guiding a crowd", "The first 90 days on deck", "Words on the deck")
    found = [page.get_by_role("link", name=title, exact=True).get_attribute("href") for title in titles]
    return [programme, *found]


def missing(page, address):
    """What an address answers where that is no page."""
    answer = page.request.get(address)
    return None if answer.ok else (answer.status, answer.text()[:500])


def themes_of(number):
    """In which themes a page is asked about its colours, half of axe's work: its neighbour in the other, tomorrow it as well."""
    if os.environ.get("STEPLADDER_LONG"):
        return ["light", "dark"]
    return [("light", "dark")[(number + clock.now().toordinal()) % 2]]


def wrong_with(page, address, themes):
    """What axe finds, colours in these themes; and the widths at which the page is wider than its window."""
    page.goto(address)
    found = axe(page, without="color-contrast")
    for theme in themes:
        page.emulate_media(color_scheme=theme)
        found += [(theme, *wrong) for wrong in axe(page, only="color-contrast")]
    for width in (820, 360):
        page.set_viewport_size({"width": width, "height": 740})
        if (needed := page.evaluate("document.documentElement.scrollWidth")) > width:
            found.append((width, needed))
    page.set_viewport_size({"width": 1280, "height": 800})
    return found


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
    page.locator("[data-board] td > a").first.focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("[data-board] td > a:focus")).to_have_count(1)
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Who stands how", level=1)).to_be_visible()


def test_cells_of_a_drawing_are_gone_through_by_keys(open_page):
    """The whole board says who is in a cell; a report that becomes a board by its sentence, without a new page, what a cell comes to."""
    page = open_page("Ines Okoro")
    page.goto("/records/?view=all")
    page.wait_for_load_state("networkidle")
    page.locator("[data-whole-board]").focus()
    page.keyboard.press("ArrowRight")
    expect(page.locator("#cell")).to_contain_text("Fire on board")
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="Who stands how", level=1)).to_be_visible()
    page.goto("/records/reports/ready/on-time/")
    page.wait_for_load_state("networkidle")
    page.get_by_label("Second grouping").select_option("course")
    cells = page.locator("[data-board] td > a")
    cells.first.focus()
    page.keyboard.press("ArrowRight")
    expect(cells.nth(1)).to_be_focused()
    page.get_by_role("link", name="All in one drawing").click()
    page.wait_for_load_state("networkidle")
    page.locator("[data-whole-board]").focus()
    page.keyboard.press("ArrowRight")
    said = page.locator("[data-cell-said]")
    expect(said).to_have_text(re.compile(r"^Sandpiper, Fire on board: \d+ %, \d+ of \d+$"))
    of = said.inner_text().split(" of ")[-1]
    page.keyboard.press("Enter")
    expect(page.get_by_role("heading", name="On-time rate: Sandpiper, Fire on board")).to_contain_text(of)


def test_leaving_with_unsaved_work_asks(open_page):
    page = open_page("Ines Okoro")
    page.goto("/people/hire/")
    page.wait_for_load_state("networkidle")
    asked = []
    page.on("dialog", lambda dialog: (asked.append(dialog.type), dialog.accept()))
    page.get_by_label("Given name").press_sequentially("Nele")
    page.get_by_role("textbox", name="First day").press_sequentially("3 Dec 2029")
    page.goto("/desk/")
    assert asked == ["beforeunload"]
    # Whoever comes back finds what was typed.
    page.go_back()
    expect(page.get_by_label("Given name")).to_have_value("Nele")
    expect(page.get_by_role("textbox", name="First day")).to_have_value("3 Dec 2029")


def test_a_printed_table_has_no_frame_around_it(open_page):
    page = open_page("Ines Okoro")
    page.goto("/records/late/")
    page.emulate_media(media="print")
    for part in (".rail", ".index", ".filters"):
        expect(page.locator(part).first).to_be_hidden()
    expect(page.locator("table")).to_be_visible()


def test_a_list_that_is_pasted_names_people(open_page):
    page = open_page("Ines Okoro")
    page.goto("/assign/new/")
    box = page.locator("[data-paste]").first
    box.locator("input[type=search]").focus()
    page.evaluate(
        """() => { const data = new DataTransfer(); data.setData("text", "Jun Pellam\\nBo Tarn\\nNobody Atall");
            const pasted = new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true });
            document.activeElement.dispatchEvent(pasted); }"""
    )
    expect(box.locator("[data-named] input:checked")).to_have_count(2)
    expect(box.locator("[data-paste-trouble]")).to_contain_text("Nobody Atall")
    expect(page.locator("#reach-sentence")).to_contain_text("Jun Pellam")
