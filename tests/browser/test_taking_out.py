"""A lesson taken out as packages, brought in again, and played here to its end; as pages it opens as a file."""

from __future__ import annotations

import base64
import re
import zipfile

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import axe, read
from tests.browser.test_faults import Visitor
from tests.browser.test_sheets import forgive

# Of these blocks the places of those that are whole in view.
IN_VIEW = """all => all.map((one, place) => [one.getBoundingClientRect(), place])
  .filter(([box]) => box.top >= 0 && box.bottom <= innerHeight).map(([, place]) => place)"""


@pytest.fixture
def made(open_page, tmp_path):
    """Has the demo's lesson made in a form; the path of the file, once it is fetched."""

    def make(form):
        page = open_page("Author")
        page.goto("/library/?q=how+a+fire+grows")
        # Beside it there may be packages that came back in.
        page.locator("tbody tr", has_text="Deck").filter(has_text="lesson").locator("th a").first.click()
        page.get_by_text("Take it elsewhere").first.click()
        page.get_by_role("button", name=form, exact=True).click()
        expect(page.get_by_text("Ready.")).to_be_visible(timeout=60000)
        assert axe(page) == []
        with page.expect_download() as fetched:
            page.get_by_role("link", name="Fetch the file").click()
        path = tmp_path / fetched.value.suggested_filename
        fetched.value.save_as(path)
        return path

    return make


def brought_in(demo, path):
    """The module that a package becomes: its public id."""
    visitor = Visitor(demo.url)
    visitor.sign_in("Ines Okoro")
    binder = re.search(r"/library/binders/(\w{14})/", visitor.page("/library/"))[1]
    body, said = path.read_bytes(), {"filename": path.name, "binder": binder}
    header = ",".join(f"{k} {base64.b64encode(v.encode()).decode()}" for k, v in said.items())
    made = visitor.ask("/library/uploads/", "POST", b"", Upload_Length=str(len(body)), Upload_Metadata=header)
    parts = {"Content_Type": "application/offset+octet-stream", "Upload_Offset": "0"}
    visitor.ask(made.headers["Location"], "PATCH", body, **parts)
    pattern = r'/library/modules/(\w+)/"[^>]*>\s*(?:<b>)?How a fire grows'
    visitor.until(f"/library/binders/{binder}/", pattern)
    return re.search(pattern, visitor.page(f"/library/binders/{binder}/"))[1]


def read_through(inside):
    """Every section scrolled to its end, each check answered as its own key has it, up to the last."""
    key = inside.locator("#lesson-data").evaluate("one => JSON.parse(one.textContent).checks")
    status = inside.locator("[data-status]")
    count = inside.locator("[data-section]").count()
    for number in range(1, count + 1):
        blocks, seen = inside.locator("[data-section]:not([hidden]) [data-block]"), set()
        for place in range(blocks.count()):
            if place not in seen:
                read(blocks.nth(place))
                seen |= set(blocks.evaluate_all(IN_VIEW))
        for form in inside.locator("form[data-check]:visible").all():
            answer(form, key[form.get_attribute("data-check")])
            expect(form.locator("[data-told]")).to_contain_text("Right.")
        expect(status).to_contain_text(
            "All sections are read." if number == count else f"{number} of {count} sections read."
        )
        if number < count:
            inside.locator("[data-next]").click()


def answer(form, check):
    kind = check["kind"]
    if kind in ("one", "several"):
        for place in check["right"]:
            form.locator(f'input[value="{place}"]').check()
    elif kind == "true_false":
        form.locator(f'input[value="{str(check["right"]).lower()}"]').check()
    elif kind == "match":
        for number, place in enumerate(check["right"]):
            form.locator("select").nth(number).select_option(str(place))
    elif kind == "order":
        for target, place in enumerate(check["right"]):
            item = form.locator(f'[data-place="{place}"]')
            while item.evaluate("one => [...one.parentElement.children].indexOf(one)") > target:
                item.get_by_role("button", name=re.compile("^Up")).click()
    elif kind == "number":
        top, bottom = check["number"]
        form.locator("[data-written]").fill(str(int(top) / int(bottom)))
    else:
        form.locator("[data-written]").fill(check["accepted"][0].upper())
    form.get_by_role("button", name="Answer").click()


@pytest.mark.timeout(600)
@pytest.mark.parametrize("form", ["SCORM 1.2", "SCORM 2004"])
def test_a_package_is_played_here_to_its_end_and_goes_on_where_one_left(demo, made, open_page, form):
    module = brought_in(demo, made(form))
    page = open_page("Ines Okoro")
    page.set_viewport_size({"width": 1280, "height": 2400})
    page.goto(f"/learn/try/{module}/")
    inside = page.frame_locator("[data-frame]").frame_locator("#content")
    expect(inside.locator("h1")).to_have_text("How a fire grows")
    expect(inside.locator("[data-status]")).to_contain_text("0 of 5")
    read_through(inside)
    said = (
        page.frame_locator("[data-frame]")
        .locator("body")
        .evaluate(
            """() => window.API_1484_11 ? [API_1484_11.GetValue('cmi.completion_status'), API_1484_11.GetValue('cmi.score.scaled')]
          : [API.LMSGetValue('cmi.core.lesson_status'), String(API.LMSGetValue('cmi.core.score.raw') / 100)]"""
        )
    )
    assert said == ["completed", "1"]
    kept = (
        page.frame_locator("[data-frame]")
        .locator("body")
        .evaluate(
            "() => window.API_1484_11 ? API_1484_11.GetValue('cmi.suspend_data') : API.LMSGetValue('cmi.suspend_data')"
        )
    )
    assert 20 < len(kept) < 4096


@pytest.mark.timeout(600)
def test_pages_open_as_a_file_and_keep_how_far_one_is(made, open_page, tmp_path):
    with zipfile.ZipFile(made("pages that stand alone (HTML)")) as archive:
        archive.extractall(tmp_path / "pages")
    page = open_page()
    page.set_viewport_size({"width": 1280, "height": 2400})
    page.goto(f"file://{tmp_path}/pages/index.html")
    status = page.locator("[data-status]")
    expect(status).to_contain_text("0 of 5")
    assert axe(page) == []
    # What looks the page through would read its style once more, which a file may not.
    forgive(page, "lesson/style.css")
    # A wrong answer is told as one, and closes the next section where the lesson asks for right ones.
    first = page.locator("form[data-check]:visible").first
    first.locator("select").first.select_option(index=1)
    first.get_by_role("button", name="Answer").click()
    expect(first.locator("[data-told]")).to_contain_text(re.compile("Not right|Partly right"))
    read_through(page)
    page.reload()
    expect(status).to_contain_text("All sections are read.")
    page.set_viewport_size({"width": 360, "height": 740})
    assert page.evaluate("document.documentElement.scrollWidth") <= 360
