"""The seven steps of the story, on the demo's data, with real files, as people do them."""

from __future__ import annotations

import io
import re
import sqlite3
from contextlib import contextmanager
from datetime import timedelta
from pathlib import Path
from zoneinfo import ZoneInfo

import pypdfium2 as pdfium
import pytest
from playwright.sync_api import expect
from python_calamine import CalamineWorkbook

from stepladder import clock
from stepladder.core.days import day_of
from tests import factories as f

FILES = Path(__file__).resolve().parents[2] / "src/stepladder/config/demo/files"
ANSWERS = ("The blanket", "Carbon dioxide", "About 20 seconds", "The alarm", "Watch it, cool it, report it")


@pytest.mark.timeout(600)
def test_from_a_file_to_proof(open_page, demo, tmp_path):
    # 1. Sign in: the administrator lands on the desk, which lists the first steps.
    page = open_page("Ines Okoro")
    expect(page.get_by_role("heading", name="Desk", level=1)).to_be_visible()
    expect(page.get_by_role("heading", name="First steps")).to_be_visible()
    expect(page.get_by_text("late with something mandatory")).to_be_visible()

    # 2. Library: a package, a film and a PDF at once; a broken package says what is wrong.
    page.get_by_role("link", name="New binder…").click() if page.url.endswith("/library/") else page.goto(
        "/library/binders/new/"
    )
    page.get_by_label("Name").fill("Fire drills")
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_role("heading", name="Fire drills")).to_be_visible()
    binder = page.url
    broken = tmp_path / "broken.zip"
    broken.write_bytes(f.a_zip(href="gone.html"))
    names = ("extinguishers-and-blankets.zip", "passengers-on-the-stair.mp4", "season-briefing.pdf")
    page.get_by_label("Drop files or whole folders here").set_input_files([*(FILES / n for n in names), broken])
    for title in ("Extinguishers and blankets", "Passengers on the stair", "New season briefing"):
        expect(page.locator("#uploads").get_by_role("link", name=title)).to_be_visible(timeout=90000)
    expect(page.locator("#uploads")).to_contain_text("“gone.html”, is not in the archive")
    expect(page.locator("#modules")).to_contain_text("New season briefing")
    page.locator("#uploads").get_by_role("link", name="New season briefing").click()
    page.get_by_label("Title").fill("Drill briefing")
    page.get_by_label("Title").blur()
    expect(page.locator("#saved")).to_contain_text(re.compile(r"saved \d\d:\d\d"))
    page.goto(binder)
    page.get_by_role("link", name="New session to teach…").click()
    page.get_by_label("Title").fill("Drill in the yard")
    page.get_by_label("Minutes").fill("60")
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_text("done by attending a session")).to_be_visible()
    page.get_by_label("Search everything").fill("drill brief")
    page.keyboard.press("Enter")
    expect(page.get_by_role("link", name="Drill briefing")).to_be_visible()

    # 3. Courses: made from those modules, ordered, valid for 12 months, released.
    page.goto("/courses/new/")
    page.get_by_label("Title").fill("Drill season")
    page.get_by_label("Binder").select_option(label="Fire drills")
    page.get_by_role("button", name="Make it").click()
    expect(page.locator("#before-release")).to_contain_text("learners can’t see it")
    picker = page.get_by_role("region", name="Add modules")
    picker.get_by_label("Filter modules").fill("blankets")
    picker.get_by_label("Extinguishers and blankets package · 25 min · Fire drills").check()
    picker.get_by_label("Filter modules").fill("drill brief")
    picker.get_by_label("Drill briefing").check()
    expect(picker.get_by_role("button", name="Add 2")).to_be_enabled()
    picker.get_by_role("button", name="Add 2").click()
    steps = page.locator("[data-step]")
    expect(steps).to_have_count(2)
    page.wait_for_load_state("networkidle")
    first = steps.nth(0).locator(".what b").inner_text()
    with ordered(page):
        page.get_by_role("button", name=f"Move {first} down").click()
    expect(page.locator("[data-step]").nth(1).locator(".what b")).to_have_text(first)
    page.locator("[data-step]").nth(1).focus()
    with ordered(page):
        page.keyboard.press("Alt+ArrowUp")
    expect(page.locator("[data-step]").nth(0).locator(".what b")).to_have_text(first)
    with ordered(page):
        steps.nth(0).locator(".kind").drag_to(steps.nth(1).locator(".mins"))
    expect(page.locator("[data-step]").nth(1).locator(".what b")).to_have_text(first)
    picker.get_by_label("Filter modules").fill("in the yard")
    picker.get_by_label("Drill in the yard").check()
    picker.get_by_role("button", name="Add 1").click()
    expect(steps).to_have_count(3)
    page.get_by_label("Summary").fill("What one does in a drill.")
    page.get_by_label("Summary").blur()
    expect(page.locator("#before-release")).to_contain_text("says what it is about")
    page.get_by_label("Preparation in").select_option("any order")
    page.get_by_label("main part in").select_option("any order")
    expect(page.locator("#saved")).to_contain_text("saved")
    page.get_by_text("How long it is valid", exact=True).click()
    page.get_by_label("Valid", exact=True).select_option("months")
    page.get_by_label("How many").fill("12")
    page.get_by_label("Renewal window, days").fill("60")
    page.get_by_label("Grace, days").fill("14")
    page.get_by_role("button", name="Save how long it is valid").click()
    expect(page.get_by_text("renew from 60 days before").first).to_be_visible()
    page.get_by_role("link", name="See it as a learner").click()
    expect(page.get_by_text("once it is released")).to_be_visible()
    page.get_by_role("link", name="Back to the course").click()
    page.get_by_role("link", name="Release…").click()
    page.get_by_role("button", name="Release edition 1").click()
    expect(page.get_by_text("is what learners see. It stays as it is")).to_be_visible()
    course = page.url

    # 4. People: charts as trees; a person's sheet; somebody is hired.
    page.goto("/people/charts/")
    page.get_by_role("link", name="Emergency plan, by island").click()
    expect(page.get_by_role("heading", name="Emergency plan, by island")).to_be_visible()
    page.goto("/people/hire/")
    page.get_by_label("Given name").fill("Nele")
    page.get_by_label("Family name").fill("Brandt")
    page.get_by_label("Employee number").fill("MS9001")
    page.get_by_label("Unit").select_option(label="\u2003Dunlin")
    page.get_by_label("Position").select_option(label="\u2003\u2003\u2003Deckhand")
    today = day_of(clock.now(), ZoneInfo("Europe/London"))
    page.get_by_label("First day", exact=True).fill(str(today - timedelta(days=10)))
    page.get_by_role("button", name="Hire").click()
    expect(page.get_by_role("heading", name="Nele Brandt")).to_be_visible()
    nele = page.url
    expect(page.get_by_role("complementary", name="Margin")).to_contain_text("Fire on board")

    # 5. Assign: the margin shows whom it touches before it is saved.
    page.goto(course)
    page.get_by_role("link", name="Assign…").click()
    page.get_by_label("Called").fill("Dunlin drills")
    page.get_by_role("combobox", name="in", exact=True).fill("dunl")
    page.get_by_role("checkbox", name="Dunlin").check()
    effect = page.locator("#effect")
    expect(effect).to_contain_text("people at its start")
    expect(effect).to_contain_text("to do")
    before = int(effect.locator("b.fig").first.inner_text())
    page.get_by_label("Never these people").press_sequentially("MS9001")
    page.locator("[data-found]").get_by_role("checkbox").check()
    expect(effect.locator("b.fig").first).to_have_text(str(before - 1))
    page.locator("[data-named]").get_by_role("checkbox").click()
    expect(effect.locator("b.fig").first).to_have_text(str(before))
    page.get_by_label("Days", exact=True).fill("10")
    page.get_by_label("Minimum notice, days").fill("5")
    page.get_by_label("Why").fill("The drill is in two weeks.")
    page.get_by_role("button", name="Assign it").click()
    expect(page.get_by_text("Whoever needs it has been told.")).to_be_visible()
    expect(page.get_by_role("link", name="Nele Brandt")).to_be_visible()

    page.locator(".rail summary").click()
    page.get_by_role("link", name="Mail tray").click()
    expect(page.get_by_role("heading", name="Mail tray")).to_be_visible()

    # The worker sends the notices in the order they were made; the tray shows the newest first.
    def arrived():
        page.goto("/standins/mail/?q=jun.pellam")
        return page.get_by_role("link", name="Drill season").count() > 0

    for _ in range(120):
        if arrived():
            break
        page.wait_for_timeout(500)
    page.get_by_role("link", name="Drill season").first.click()
    expect(page.get_by_text("The drill is in two weeks.")).to_be_visible()
    link = page.locator(".page-text a").get_attribute("href")
    # A session of the drill is drawn into the week, and a path leads over the course.
    plan_a_drill(page, today)
    make_a_path(page)
    # Moved away, Nele no longer needs it, and the record says why.
    page.goto(nele)
    page.get_by_role("link", name="Move…").click()
    page.get_by_label("New unit").select_option(label="\u2003Knot")
    page.get_by_label("From", exact=True).fill(str(today))
    page.get_by_role("button", name="Move").click()
    margin = page.get_by_role("complementary", name="Margin")
    expect(margin).to_contain_text("no longer needs “Drill season”: no assignment asks for it any more")
    expect(margin).to_contain_text("Fire on board")

    # 6. Learner: the direct link leads in; package and PDF are played in the page, and progress is climbed.
    jun = open_page("Jun Pellam")
    expect(jun.get_by_role("heading", name="Drill season")).to_be_visible()
    jun.goto(link)
    jun.get_by_role("link", name="Begin").click()
    # Which is first is known once the player is there: a count does not wait.
    expect(jun.locator("[data-pages], [data-frame]").first).to_be_attached()
    if jun.locator("[data-pages]").count():
        read(jun, 3)
        jun.get_by_role("link", name="On to").click()
        answer(jun)
    else:
        answer(jun)
        jun.get_by_role("link", name="On to").click()
        read(jun, 3)
    jun.goto(link)
    jun.get_by_role("link", name="Drill in the yard").click()
    jun.get_by_role("button", name="Book").click()
    expect(jun.get_by_text("You have a seat").first).to_be_visible()
    jun.goto("/desk/next/")
    climbed = jun.locator(".next-path", has_text="Ready for the season")
    expect(climbed).to_contain_text("0 of 1 courses")
    expect(jun.get_by_role("article").filter(has_text="Drill season")).to_contain_text("Booked")
    # The day comes and passes; the roster is taken by keys and signed off.
    a_week_later(demo)
    page.goto("/sessions/list/?show=to+sign+off")
    page.get_by_role("link", name="Drill in the yard").click()
    page.get_by_role("link", name="Roster").click()
    expect(page.get_by_role("heading", name="Roster", level=1)).to_be_visible()
    page.wait_for_load_state("networkidle")
    page.keyboard.press("j")
    page.keyboard.press("p")
    expect(page.locator("[data-roster]")).to_contain_text("attended")
    page.get_by_role("button", name="Sign off").click()
    expect(page.get_by_text("Signed off: 1 attended.")).to_be_visible()
    jun.goto(link)
    expect(jun.get_by_text("Completed on")).to_be_visible()
    expect(jun.get_by_text("3 of 3 steps, 100 %")).to_be_visible()
    with jun.expect_request(re.compile("certificates")) as asked:
        jun.get_by_role("link", name="Get the certificate").click()
    document = pdfium.PdfDocument(jun.request.get(asked.value.url).body())
    text = document[0].get_textpage().get_text_range()
    document.close()
    number = re.search(r"[A-Z0-9]{4}-[A-Z0-9]{4}-[A-Z0-9]{4}", text)[0]
    assert "Jun Pellam" in text
    outside = open_page()
    outside.goto(f"/records/check/{number}/")
    expect(outside.get_by_text("✓ valid")).to_be_visible()
    expect(outside.get_by_text("Pellam")).to_have_count(0)
    outside.get_by_label("Surname").fill("Pellam")
    outside.get_by_role("button", name="Check").click()
    expect(outside.get_by_text("Jun Pellam")).to_be_visible()

    # 7. Records: the board on any day, its people, why, and who is late as files.
    auditor = open_page("Auditor")
    expect(auditor.get_by_role("heading", name="Board", level=1)).to_be_visible()
    cell = auditor.locator("tr", has_text="Dunlin").locator("td > a").first
    cell.focus()
    expect(auditor.locator("#cell")).to_contain_text("asked, as of")
    auditor.get_by_label("as of", exact=True).fill("today+90d")
    auditor.get_by_role("button", name="Show", exact=True).click()
    expect(auditor.locator("[data-board]")).to_be_visible()
    auditor.get_by_role("link", name="Who is late").click()
    rows = auditor.locator("tbody tr")
    # As of the day that the board showed.
    expect(auditor.locator(".headline")).to_contain_text("as of")
    count = int(auditor.locator(".headline .fig").inner_text())
    assert count > 3
    with auditor.expect_download() as download:
        auditor.get_by_role("link", name="XLSX").click()
    sheet = CalamineWorkbook.from_filelike(io.BytesIO(Path(download.value.path()).read_bytes())).get_sheet_by_index(0)
    assert len(sheet.to_python()) == count + 1
    rows.first.get_by_role("link").nth(1).click()
    expect(auditor.get_by_text("What is there")).to_be_visible()
    assert page.trouble == []


def plan_a_drill(page, today):
    """Draw an hour along a day of next week, say what is taught there, and plan it."""
    monday = today + timedelta(days=7 - today.weekday())
    page.goto(f"/sessions/?on={monday + timedelta(days=2)}")
    page.wait_for_load_state("networkidle")
    line = page.locator("[data-line]").nth(5).bounding_box()
    y = line["y"] + line["height"] - 8
    page.mouse.move(line["x"] + line["width"] * 0.5, y)
    page.mouse.down()
    page.mouse.move(line["x"] + line["width"] * 0.6, y, steps=6)
    page.mouse.up()
    expect(page.get_by_role("heading", name="Plan a session")).to_be_visible()
    assert page.get_by_label("Day", exact=True).first.input_value() == f"{monday + timedelta(days=5):%-d %b %Y}"
    page.get_by_label("What is taught").select_option(label="Drill in the yard")
    page.get_by_label("Room").select_option(label="Marram Quay, training house, Net loft, 24 seats")
    effect = page.locator("#effect")
    expect(effect).to_contain_text("Room and instructors are free.")
    expect(effect).to_contain_text("No other session of it is to come.")
    page.get_by_label("Seats").fill("6")
    page.get_by_role("button", name="Plan it").click()
    expect(page.get_by_text("“Drill in the yard” is planned.")).to_be_visible()


def make_a_path(page):
    """A path of one stage over the new course, asked of Jun."""
    page.goto("/courses/paths/new/")
    page.get_by_label("Title").fill("Ready for the season")
    page.get_by_label("Binder").select_option(label="Fire drills")
    page.get_by_role("button", name="Make it").click()
    page.get_by_label("What it leads to").fill("To the first sailing of spring.")
    page.get_by_label("What it leads to").blur()
    expect(page.locator("#saved")).to_contain_text(re.compile(r"saved \d\d:\d\d"))
    page.get_by_label("Title of stage 1").press_sequentially("Drilled")
    page.get_by_label("After it one can").press_sequentially("lead a drill")
    page.get_by_label("day by which stage 1 is to be done").press_sequentially("30")
    page.get_by_label("day by which stage 1 is to be done").blur()
    expect(page.locator("#path-release")).to_contain_text("1 stage, named")
    page.get_by_role("region", name="Put courses into the path").get_by_label("Drill season").check()
    page.get_by_role("button", name="Add 1").click()
    expect(page.locator("#path-release")).to_contain_text("every course is released")
    expect(page.locator("#stages").get_by_role("link", name="Drill season")).to_be_visible()
    page.goto(page.url)
    page.get_by_role("button", name="Release").click()
    expect(page.get_by_role("heading", name="Edition 1 is released")).to_be_visible()
    page.get_by_role("link", name="Assign…").click()
    page.get_by_label("Called").fill("The season’s crew")
    page.get_by_label("Also these people").press_sequentially("Jun Pellam")
    page.locator("[data-found]").get_by_role("checkbox", name="Jun Pellam").check()
    expect(page.locator("#effect b.fig").first).to_have_text("1")
    page.get_by_role("button", name="Assign it").click()
    expect(page.get_by_text("Whoever needs it has been told.")).to_be_visible()


def a_week_later(demo):
    """What was planned in the browser is over: its meetings lie two weeks back."""
    # The worker may be writing, and a busy machine takes its time.
    database = sqlite3.connect(demo.data / "stepladder.sqlite3", timeout=60)
    with database:
        session = "SELECT s.id FROM timetable_session s JOIN library_module m ON m.id = s.module_id WHERE m.title = ?"
        (planned,) = database.execute(session, ("Drill in the yard",)).fetchone()
        back = "starts_at = datetime(starts_at, '-14 days'), ends_at = datetime(ends_at, '-14 days')"
        database.execute(f"UPDATE timetable_meeting SET {back} WHERE session_id = ?", (planned,))  # noqa: S608 - no input in it
    database.close()


@contextmanager
def ordered(page):
    """The server has the new order and its list is swapped in: another move may begin."""
    with page.expect_response(lambda r: r.url.endswith("/steps/order/")):
        yield
    expect(page.locator(".htmx-request, .htmx-swapping, .htmx-settling")).to_have_count(0)


def answer(page):
    """Go through the package: every question right, to the end."""
    inner = page.frame_locator("[data-frame]").frame_locator("#content")
    expect(inner.locator("#next")).to_be_visible()
    for _ in range(12):
        for choice in ANSWERS:
            if inner.get_by_label(choice).count():
                inner.get_by_label(choice).check()
        if inner.locator("#next").is_disabled():
            break
        inner.locator("#next").click()
    expect(inner.locator("#page")).to_contain_text("100 %")
    expect(page.locator("#outcome .done-note")).to_be_visible()


def read(page, pages):
    """Turn the pages of a PDF, each once the one before was shown long enough to count."""
    for n in range(pages):
        expect(page.locator("[data-page-now]")).to_have_text(str(n + 1))
        expect(page.locator("[data-counted-text]")).to_have_text(str(n + 1))
        if n < pages - 1:
            page.get_by_role("button", name="Next page").click()
    expect(page.locator("#outcome .done-note")).to_be_visible()
