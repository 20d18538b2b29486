"""What is told, in a browser: a rule with its numbers, a message and its answer, a path's electives."""

import re

from playwright.sync_api import expect


def test_a_rule_is_counted_while_one_writes_it(open_page):
    page = open_page("Ines Okoro")
    page.goto("/what-is-told/new/")
    preview = page.locator("#preview")
    expect(preview).to_contain_text("within four weeks")
    page.get_by_label("Days", exact=True).fill("21")
    page.get_by_label("which day").select_option("the last valid day")
    page.get_by_label("whoever they answer to").check()
    expect(preview).to_contain_text("With the other rules")
    page.get_by_label("Days", exact=True).fill("")
    expect(preview).to_contain_text("required")
    page.get_by_label("Days", exact=True).fill("21")
    page.get_by_role("button", name="Tell from the next run on").click()
    expect(page.get_by_role("status").first).to_contain_text("21 days before the last valid day")
    expect(page.get_by_role("row", name="21 days before the last valid day")).to_contain_text("whoever they answer to")


def test_an_answer_is_answered_and_read(open_page):
    writer = open_page("Ines Okoro")
    writer.goto("/desk/")
    writer.get_by_role("link", name="answer waits for you").click()
    writer.get_by_role("link", name="Jun Pellam").click()
    expect(writer.locator(".said-between")).to_contain_text("Mine are torn.")
    writer.get_by_label("Your answer").fill("Take a pair from the bosun’s locker.")
    writer.get_by_role("button", name="Send your answer").click()
    expect(writer.locator(".said-between li")).to_have_count(3)
    writer.goto("/messages/answers/")
    expect(writer.locator("main")).to_contain_text("None waits")


def test_stages_are_drawn_with_a_choice_in_them(open_page):
    page = open_page("Ines Okoro")
    page.goto("/courses/paths/")
    page.get_by_role("link", name="From quay hand to shift lead").click()
    page.wait_for_load_state("networkidle")
    stage = page.locator(".path-stage").nth(1)
    stage.get_by_role("button", name=re.compile("to choose.*Guiding a crowd")).click()
    # The stages are drawn anew: the next button is one of the new ones.
    expect(stage.locator(".is-elective")).to_have_count(1)
    stage.get_by_role("button", name=re.compile("to choose.*Muster warden")).click()
    expect(stage.locator(".is-elective")).to_have_count(2)
    expect(page.locator("#path-sum")).to_contain_text("and 1 of 2 to choose")
    stage.get_by_label("Choose").fill("2")
    stage.get_by_label("Choose").press("Tab")
    expect(page.locator("#path-release")).to_contain_text("asks for all 2 electives")
    stage.get_by_label("Choose").fill("1")
    stage.get_by_label("Choose").press("Tab")
    expect(page.locator("#path-release")).to_contain_text("electives leave a choice")
    # A choice is dragged onto a stage: it is in it, whichever stage the picker named before.
    page.locator("[data-choices] li", has_text="Galley hygiene").drag_to(page.locator(".path-stage").first)
    expect(page.locator(".path-stage").first).to_contain_text("Galley hygiene")
