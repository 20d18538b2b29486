"""A lesson is written on the sheet itself, kept without a line, never overwritten unseen, released, and read."""

import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import read
from tests.browser.test_sheets import forgive

SAVED = re.compile(r"saved \d\d:\d\d")
PIXEL = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="
PASTED = f"""<html><head><style>p {{color: red}}</style></head><body><!--StartFragment-->
<h1 style="font-size: 40pt">From elsewhere</h1><p class=MsoNormal onclick="x()">Some <b>bold</b> words<o:p></o:p></p>
<p class=MsoListParagraph><span style='mso-list:Ignore'>·  </span>first</p>
<p class=MsoListParagraph><span style='mso-list:Ignore'>·  </span>second</p>
<p><img src="data:image/png;base64,{PIXEL}" alt="A dot"><img src="https://far.example/x.png"></p>
<script>window.bad = 1</script><!--EndFragment--></body></html>"""


@pytest.fixture
def lesson(open_page):
    """A new lesson of Bo Tarn's, its first section empty; the page, and a way to open it for somebody."""
    page = open_page("Author")
    page.goto("/library/")
    page.get_by_role("link", name=re.compile("^Deck")).first.click()
    page.get_by_role("link", name="New lesson…").click()
    page.get_by_label("Title").fill("How smoke moves")
    page.get_by_role("button", name="Begin to write").click()
    expect(page.locator(".ProseMirror")).to_be_visible()
    return page


def editor(page):
    return page.locator(".ProseMirror")


def kinds(page):
    blocks = page.locator(".ProseMirror > *:not(.insert-row)").all()
    return [one.get_attribute("data-kind") or one.evaluate("e => e.tagName") for one in blocks]


def paste(page, html):
    page.evaluate(
        """html => {
            const data = new DataTransfer();
            data.setData("text/html", html);
            const event = new ClipboardEvent("paste", { clipboardData: data, bubbles: true, cancelable: true });
            document.querySelector(".ProseMirror").dispatchEvent(event);
        }""",
        html,
    )


def test_a_lesson_is_written_by_keys_pasted_into_taken_back_released_and_read(lesson, open_page):
    page = lesson
    page.get_by_label("The section’s title").fill("Smoke goes first")
    editor(page).click()
    page.keyboard.type("Smoke goes ")
    page.keyboard.press("Control+b")
    page.keyboard.type("up")
    page.keyboard.press("Control+b")
    page.keyboard.type(" first.")
    page.keyboard.press("Enter")
    page.keyboard.type("# ")
    page.keyboard.type("What to do")
    page.keyboard.press("Control+Enter")
    expect(page.locator(".insert-row button").first).to_be_focused()
    page.keyboard.press("ArrowRight")
    page.keyboard.press("ArrowRight")
    page.keyboard.press("Enter")
    page.keyboard.type("Crawl.")
    assert kinds(page) == ["P", "H3", "UL"]
    expect(page.locator("#saved")).to_contain_text(SAVED)
    # The block moves up and back, a thousand steps of which can be taken back.
    page.keyboard.press("Alt+ArrowUp")
    assert kinds(page) == ["P", "UL", "H3"]
    page.keyboard.press("Control+z")
    assert kinds(page) == ["P", "H3", "UL"]
    # A check, chosen in the row of words and written in the margin.
    page.keyboard.press("Control+Enter")
    page.locator(".insert-row").get_by_role("button", name="check", exact=True).click()
    margin = page.locator("[data-block-panel]")
    expect(margin.get_by_role("heading", name="This check")).to_be_visible()
    margin.get_by_label("What is asked").fill("Where is the air?")
    margin.get_by_label("Answer 1", exact=True).fill("near the floor")
    margin.get_by_label("Right: answer 1").check()
    margin.get_by_label("Answer 2", exact=True).fill("near the ceiling")
    expect(page.locator(".atom[data-kind=check]")).to_contain_text("near the floor right")
    # A film of the library beside it.
    margin.get_by_text("Picture, film or sound beside it").click()
    margin.get_by_role("button", name="Film…").first.click()
    page.locator("#picked").get_by_role("button", name="The first two minutes").click()
    expect(page.locator(".atom[data-kind=check] video")).to_have_count(1)
    expect(margin.get_by_role("heading", name="This check")).to_be_visible()
    expect(page.locator("#saved")).to_contain_text(SAVED)
    expect(page.locator("#around-index")).to_contain_text("Where is the air?")
    # Read in place, the check answers as soon as its script is there, and each time anew.
    held = []
    page.route("**/writing/js/lesson*.js", lambda route: held.append(route))
    reading = page.locator("[data-reading]")
    for opening in range(2):
        # What was ticked the last time stands there, out of sight, until it is fetched anew.
        reading.evaluate("box => box.querySelectorAll('*').forEach(node => node.setAttribute('data-before', ''))")
        page.get_by_role("link", name="Read it as a learner").click()
        expect(reading.locator("[data-before]")).to_have_count(0)
        expect(reading.get_by_label("near the ceiling")).not_to_be_checked()
        if opening == 1:
            expect(reading.get_by_role("button", name="Answer")).to_be_enabled()
        reading.get_by_label("near the ceiling").check()
        if opening == 0:
            expect(reading.get_by_role("button", name="Answer")).to_be_disabled()
            held[0].continue_()
        reading.get_by_role("button", name="Answer").click()
        expect(reading).to_contain_text("Not right.")
        page.get_by_role("link", name="Write on").click()
    page.get_by_role("link", name="Release…").click()
    page.get_by_role("button", name="Release version 1").click()
    expect(page.get_by_text("That is version 1.")).to_be_visible()
    page.get_by_role("link", name="Try it").click()
    expect(page.get_by_role("heading", name="Smoke goes first")).to_be_visible()


def test_what_is_pasted_comes_clean_with_its_lists_and_pictures(lesson):
    page = lesson
    page.get_by_label("The section’s title").fill("Pasted")
    editor(page).click()
    paste(page, PASTED)
    expect(page.locator(".atom[data-kind=picture] img")).to_be_visible()
    expect(page.get_by_text("One picture stands elsewhere")).to_be_visible()
    found = kinds(page)
    assert [one for one in found if one != "P"] == ["H3", "UL", "picture"]
    assert page.locator(".ProseMirror > ul > li").count() == 2
    assert page.locator(".ProseMirror strong", has_text="bold").count() == 1
    assert page.evaluate("window.bad") is None
    assert page.locator(".ProseMirror [style], .ProseMirror [onclick], .ProseMirror script").count() == 0
    page.locator(".atom[data-kind=picture]").click()
    expect(page.get_by_label("What it shows, for who can’t see it")).to_have_value("A dot")
    paste(page, "<p>" + "many words " * 1_900_000 + "</p>")
    expect(page.get_by_text("more than a section can hold")).to_be_visible()
    assert kinds(page) == found
    expect(page.locator("#saved")).to_contain_text(SAVED)


def test_without_a_line_nothing_is_lost_and_two_tabs_overwrite_nothing(lesson):
    page = lesson
    page.get_by_label("The section’s title").fill("Kept")
    editor(page).click()
    page.keyboard.type("Before.")
    expect(page.locator("#saved")).to_contain_text(SAVED)
    page.context.set_offline(True)
    page.keyboard.type(" While the line was down.")
    expect(page.locator("#saved")).to_contain_text("kept in this browser")
    page.context.set_offline(False)
    page.evaluate("window.dispatchEvent(new Event('online'))")
    expect(page.locator("#saved")).to_contain_text(SAVED)
    forgive(page, "ERR_INTERNET_DISCONNECTED")
    other = page.context.new_page()
    other.goto(page.url)
    expect(editor(other)).to_contain_text("While the line was down.")
    editor(other).click()
    other.keyboard.press("Control+End")
    other.keyboard.type(" From the other tab.")
    expect(other.locator("#saved")).to_contain_text(SAVED)
    editor(page).click()
    page.keyboard.press("Control+End")
    page.keyboard.type(" From this tab.")
    conflict = page.get_by_role("dialog", name="Somebody changed this section meanwhile")
    expect(conflict).to_contain_text("From the other tab.")
    expect(conflict).to_contain_text("From this tab.")
    conflict.get_by_role("button", name="Keep mine").click()
    expect(page.locator("#saved")).to_contain_text(SAVED)
    forgive(page, "409")
    other.close()
    # What was overwritten is among the earlier states.
    page.goto(page.url)
    page.get_by_role("link", name="Earlier states of this section").click()
    expect(page.locator("main")).to_contain_text(re.compile(r"the\s+other"))
    page.get_by_role("button", name="Fetch this state back").click()
    expect(editor(page)).to_contain_text("From the other tab.")


def test_a_section_that_somebody_writes_in_is_read_along_by_others(lesson, open_page):
    page = lesson
    page.get_by_label("The section’s title").fill("Taken")
    editor(page).click()
    page.keyboard.type("Mine for now.")
    expect(page.locator("#saved")).to_contain_text(SAVED)
    other = open_page("Ines Okoro")
    other.goto(page.url)
    expect(other.get_by_text("Bo Tarn writes in this section.").first).to_be_visible()
    assert editor(other).get_attribute("contenteditable") == "false"
    page.goto("/library/")
    other.reload()
    expect(editor(other)).to_have_attribute("contenteditable", "true")


def test_a_learner_reads_section_after_section_and_answers(open_page):
    page = open_page("Jun Pellam")
    page.goto("/desk/next/")
    page.get_by_role("link", name="Fire on board").first.click()
    page.get_by_role("link", name="How a fire grows").first.click()
    expect(page.get_by_role("heading", name="Three things it needs")).to_be_visible()
    assert page.get_by_role("link", name=re.compile("^Next")).count() == 0
    for block in page.locator("[data-block]").all():
        read(block)
    selects = page.locator("[data-check] select")
    for n, right in enumerate(("air", "heat", "fuel")):
        selects.nth(n).select_option(label=right)
    page.get_by_role("button", name="Answer").click()
    expect(page.locator("[data-told]")).to_contain_text("That is the whole triangle.")
    page.get_by_role("link", name="Next: The first minute").click()
    expect(page.get_by_role("heading", name="The first minute")).to_be_visible()
    expect(page.locator("#lesson-sections li.is-done")).to_have_count(1)
    page.get_by_role("button", name="boundary cooling").click()
    expect(page.get_by_text("Water on the far side of a wall")).to_be_visible()


def test_a_thousand_steps_are_taken_back(lesson):
    page = lesson
    editor(page).click()
    page.keyboard.type("One")
    page.keyboard.press("Enter")
    page.keyboard.type("Two")
    # By turns in two paragraphs, so that no step is one with that before it.
    page.evaluate(
        """async steps => {
            const lines = () => document.querySelectorAll(".ProseMirror > p");
            const soon = () => new Promise((done) => setTimeout(done, 0));
            for (let n = 0; n < steps; n++) {
                const line = lines()[n % 2];
                document.getSelection().collapse(line.firstChild, line.firstChild.length);
                await soon();
                document.execCommand("insertText", false, "x");
                await soon();
            }
        }""",
        1010,
    )
    assert editor(page).inner_text().count("x") == 1010
    page.evaluate(
        """async steps => {
            const keys = { key: "z", code: "KeyZ", ctrlKey: true, bubbles: true, cancelable: true };
            for (let n = 0; n < steps; n++) {
                document.querySelector(".ProseMirror").dispatchEvent(new KeyboardEvent("keydown", keys));
                if (n % 20 === 0) await new Promise((done) => setTimeout(done, 0));
            }
        }""",
        1000,
    )
    assert editor(page).inner_text().count("x") == 10
    expect(page.locator("#saved")).to_contain_text(SAVED)
