"""A quiz from pasted questions to its result; a line that is gone, a reload, a second tab; marking by keys."""

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import axe
from tests.browser.test_sheets import forgive

TEXT = """Topic: Ropes
Difficulty: easy

One. Where do you stand?
right: Outside the bight
wrong: In the bight | There the line goes.

One. Who throws the line?
right: Whoever is told to
rihgt: The trainee
"""


@pytest.mark.timeout(300)
def test_questions_are_pasted_drawn_and_released(open_page):
    page = open_page("Author")
    page.goto("/library/banks/new/")
    page.get_by_label("Name").fill("Ropes")
    page.get_by_label("Binder").select_option(label="Deck")
    page.get_by_role("button", name="Make it").click()
    page.get_by_role("link", name="Bring questions in…").click()
    page.get_by_label("Questions as text").fill(TEXT)
    page.get_by_role("button", name="Read it").click()
    expect(page.get_by_role("alert")).to_contain_text(
        "Line 10: “rihgt:” is no word of this form: do you mean “right:”?"
    )
    page.get_by_label("Questions as text").fill(TEXT.replace("rihgt", "wrong"))
    page.get_by_role("button", name="Read it again").click()
    page.get_by_role("button", name="Keep 2 questions").click()
    # One more in fields, with what answers to it are worth told as one writes.
    page.get_by_role("link", name="New question…").click()
    page.get_by_role("link", name="several answers").click()
    page.get_by_label("What is asked").fill("What do you wear?")
    for number, words in enumerate(("Gloves", "A vest", "A scarf"), 1):
        page.get_by_label(f"Answer {number}", exact=True).fill(words)
    page.get_by_label("right").nth(0).check()
    page.get_by_label("right").nth(1).check()
    expect(page.locator("#preview")).to_contain_text("one of them left out")
    # A film of the library beside it, as whoever is asked will see it.
    page.get_by_text("A film or sound beside it").click()
    beside = page.locator("[data-beside]").first
    beside.get_by_role("searchbox").fill("first two")
    beside.get_by_role("button", name="The first two minutes").click()
    expect(page.locator("#preview video")).to_have_count(1)
    assert axe(page) == []
    page.get_by_role("button", name="another answer").click()
    expect(page.get_by_label("Answer 5", exact=True)).to_be_focused()
    page.get_by_role("button", name="Keep it", exact=True).click()
    expect(page.locator("tbody tr")).to_have_count(3)

    page.goto("/library/")
    page.locator(".index").get_by_role("link", name="Deck").click()
    page.get_by_role("link", name="New quiz…").click()
    page.get_by_label("Title").fill("Ropes, asked")
    page.get_by_role("button", name="Go on").click()
    page.get_by_label("How many").fill("4")
    page.get_by_label("from", exact=True).select_option(label="Ropes (Deck)")
    page.get_by_role("button", name="Draw", exact=True).click()
    expect(page.locator("#sheet")).to_contain_text("A draw in section 1 asks for 4 questions, and 3 are left for it.")
    page.locator(".pick button", has_text="out").click()
    page.get_by_role("link", name="Choose questions one by one…").click()
    page.get_by_label("Of", exact=True).select_option(label="Ropes")
    expect(page.locator("tbody tr")).to_have_count(3)
    page.get_by_label("Choose all rows of this page").check()
    page.get_by_role("button", name="Ask them").click()
    expect(page.locator(".pick")).to_have_count(3)
    page.get_by_role("link", name="Release…").click()
    page.get_by_role("button", name="Release version 1").click()
    expect(page.get_by_text("That is version 1.")).to_be_visible()


def quiz_of(page):
    """Jun's quiz on fire, before it is begun."""
    page.get_by_role("link", name="Fire on board").first.click()
    page.get_by_role("link", name="Fire: do you remember?").click()


def answered(page):
    return page.locator(".quiz-places .is-answered")


@pytest.mark.timeout(400)
def test_a_quiz_is_taken_through_a_lost_line_a_reload_and_a_second_tab(open_page):
    page = open_page("Jun Pellam")
    page.goto("/desk/next/")
    quiz_of(page)
    expect(page.get_by_text("You have 25 % more than the 10 of the others")).to_be_visible()
    page.get_by_role("button", name="Begin").click()
    expect(page.get_by_role("timer")).to_contain_text("12:")
    assert axe(page) == []
    page.set_viewport_size({"width": 360, "height": 740})
    assert page.evaluate("document.documentElement.scrollWidth") <= 360
    page.set_viewport_size({"width": 1280, "height": 800})
    text = page.locator("form[data-kind=number]")
    first = page.locator("form[data-question]").first
    first.locator("input[type=radio], input[type=checkbox]:not([data-aside])").first.check()
    expect(page.locator("[data-kept]")).to_contain_text("kept")
    # Without a line what is answered is kept here, and goes out once it is back.
    page.context.set_offline(True)
    text.locator("[data-written]").fill("600")
    text.locator("[data-written]").blur()
    expect(page.locator("[data-report-trouble]").first).to_contain_text("kept in this browser")
    expect(answered(page)).to_have_count(2)
    page.context.set_offline(False)
    expect(page.locator("[data-report-trouble]").first).to_be_hidden(timeout=30000)
    forgive(page, "ERR_INTERNET_DISCONNECTED")
    page.reload()
    expect(answered(page)).to_have_count(2)
    expect(text.locator("[data-written]")).to_have_value("600")
    # What another tab answered stands here once one answers the same, and is not written over unseen.
    other = page.context.new_page()
    other.goto(page.url)
    there = other.locator("form[data-kind=number]")
    there.locator("[data-written]").fill("500")
    there.locator("[data-written]").blur()
    expect(there).to_have_attribute("data-revision", "2")
    other.close()
    text.locator("[data-written]").fill("400")
    text.locator("[data-written]").blur()
    expect(text).to_contain_text("You answered this in another tab since")
    expect(text.locator("[data-written]")).to_have_value("500")
    first.get_by_label("come back to it").check()
    expect(page.locator(".quiz-places .is-aside")).to_have_count(1)
    page.get_by_role("button", name="Hand in…").click()
    expect(page.get_by_role("dialog")).to_contain_text("5 not answered yet.")
    page.get_by_role("button", name="Go on").click()
    page.get_by_role("button", name="Hand in…").click()
    page.get_by_role("button", name="Hand it in").click()
    expect(page.locator(".quiz-after [role=status]")).to_contain_text("Not passed")
    expect(page.get_by_text("Right is:").first).to_be_visible()
    assert axe(page) == []
    page.get_by_role("button", name="Begin again").click()
    expect(answered(page)).to_have_count(0)


@pytest.mark.timeout(300)
def test_what_people_judge_is_marked_by_keys(open_page):
    page = open_page("Author")
    page.goto("/marking/")
    waiting = page.locator("tbody tr").count()
    page.get_by_role("link", name="Begin with the first").click()
    page.wait_for_load_state("networkidle")
    name = page.locator("h1").inner_text()
    page.locator("[data-answer]").first.focus()
    page.keyboard.press("4")
    page.keyboard.press("3")
    expect(page.locator("input[type=radio]:checked")).to_have_count(2)
    page.get_by_label("Said to it").first.fill("Loud and clear.")
    page.keyboard.press("Control+Enter")
    expect(page.get_by_text(f"What {name} answered has your points.")).to_be_visible()
    expect(page.locator("h1")).not_to_have_text(name)
    page.goto("/marking/")
    expect(page.locator("tbody tr")).to_have_count(waiting - 1)
