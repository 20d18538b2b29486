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
    # Who goes by keys stays where they are, also where the button pressed is there no more.
    stage.get_by_role("button", name=re.compile("for everybody.*Muster warden")).press("Enter")
    again = stage.get_by_role("button", name=re.compile("to choose.*Muster warden"))
    expect(again).to_be_focused()
    again.press("Enter")
    stage.get_by_role("button", name=re.compile("earlier.*stage 2")).press("Enter")
    expect(page.locator(".path-stage").first.get_by_role("button", name=re.compile("later.*stage 1"))).to_be_focused()
    page.keyboard.press("Enter")
    expect(stage.get_by_role("button", name=re.compile("earlier.*stage 2"))).to_be_focused()
    # A choice is dragged onto a stage: it is in it, whichever stage the picker named before.
    first, choices = page.locator(".path-stage").first, page.locator("[data-choices]")
    choices.locator("li", has_text="Galley hygiene").drag_to(first)
    expect(first).to_contain_text("Galley hygiene")
    expect(choices).to_contain_text("Galley hygiene is in stage 1")
    # So it is where the list that it was taken from is drawn anew meanwhile, without it.
    held = []
    page.route("**/pick/?*", lambda route: held.append(route))
    with page.expect_request("**/pick/?*"):
        page.get_by_label("Filter courses").fill("nothing is called so")
    choices.locator("li", has_text="Where a parting line goes").hover()
    page.mouse.down()
    page.mouse.move(1000, 400)
    held[0].continue_()
    expect(choices).to_contain_text("No released course fits")
    first.hover()
    page.mouse.up()
    expect(first).to_contain_text("Where a parting line goes")


def test_what_is_done_to_stages_before_they_are_drawn_anew_is_done_too(open_page):
    page = open_page("Ines Okoro")
    page.goto("/courses/paths/new/")
    page.get_by_label("Title").fill("Quickly drawn")
    page.get_by_label("Start from").select_option("30, 60, 90 days")
    page.get_by_role("button", name="Make it").click()
    page.wait_for_load_state("networkidle")
    # The line is slow: nothing is answered while one goes on.
    held = []
    page.route("**/stages/", lambda route: route.continue_() if held else held.append(route))
    choices = page.locator("[data-choices]")
    for title in ("Galley hygiene", "Guiding a crowd"):
        choices.get_by_role("checkbox", name=title).check()
    with page.expect_request("**/stages/"):
        page.get_by_role("button", name="Add 2").click()
    page.get_by_role("button", name=re.compile("earlier.*stage 3")).click()
    page.get_by_role("button", name=re.compile("earlier.*stage 3")).click()
    page.get_by_label("Title of stage 1").fill("At once")
    page.get_by_label("Title of stage 2").press("Control+a")
    page.keyboard.type("Soon")
    held[0].continue_()
    drawn = page.locator(".path-stage")
    # The third went up twice. What is typed goes with the stage it was typed in, and is typed on where it stands now.
    expect(drawn.nth(1).get_by_label("Title of stage")).to_have_value("At once")
    expect(drawn.nth(2).get_by_label("Title of stage")).to_be_focused()
    page.keyboard.press("End")
    page.keyboard.type("er")
    with page.expect_response(lambda answer: "Sooner" in (answer.request.post_data or "")):
        page.keyboard.press("Tab")
    # Until the page has read the answer, leaving asks.
    page.on("dialog", lambda dialog: dialog.accept())
    page.reload()
    titles = drawn.get_by_label("Title of stage")
    expect(titles.nth(0)).to_have_value("The third")
    expect(titles.nth(1)).to_have_value("At once")
    expect(titles.nth(2)).to_have_value("Sooner")
    expect(drawn.nth(0)).to_contain_text("Galley hygiene")
    expect(drawn.nth(0)).to_contain_text("Guiding a crowd")
    # A release waits for the words that are on their way.
    held.clear()
    page.get_by_label("Title of stage 3").fill("")
    with page.expect_request("**/stages/"):
        page.get_by_label("Title of stage 3").blur()
    page.get_by_role("button", name="Release").click()
    held[0].continue_()
    expect(page.locator(".toasts")).to_contain_text("can’t be released yet")
    expect(titles.nth(2)).to_have_value("")
