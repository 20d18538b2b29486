"""From the catalogue to a place: found by words and by the sentence, opened, kept, passed on, rated, asked for and decided."""

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import axe
from tests.browser.test_sheets import forgive


@pytest.mark.timeout(300)
def test_what_one_finds_is_taken_up_and_what_is_asked_for_is_decided(open_page):
    page = open_page("Jun Pellam")
    page.get_by_role("link", name="Catalogue").click()
    expect(page.locator(".chapter")).not_to_have_count(0)
    # The sentence is changed in place.
    page.get_by_label("length").select_option("up to 10 minutes")
    expect(page.locator(".chapter a", has_text="Guiding a crowd")).to_have_count(0)
    page.get_by_label("way in").select_option("passed on to me")
    expect(page.locator(".things li")).to_have_count(1)
    # Words that stand inside, also with a slip in one; each has to stand somewhere.
    page.goto("/catalogue/")
    page.get_by_placeholder("Words in titles, pages, captions").fill("bight xylophone")
    page.get_by_placeholder("Words in titles, pages, captions").press("Enter")
    expect(page.locator("main")).to_contain_text("Every word must stand somewhere")
    page.get_by_placeholder("Words in titles, pages, captions").fill("bighd")
    page.get_by_placeholder("Words in titles, pages, captions").press("Enter")
    expect(page.locator(".things .hit").first).to_contain_text("bight")
    # A module by itself opens at once; who opened it rates it and passes it on.
    page.get_by_role("link", name="Words on the deck", exact=True).click()
    expect(page.locator(".passed")).to_contain_text("Page two is what I meant on Monday.")
    page.get_by_role("button", name="Open it").click()
    expect(page.locator(".stage-side")).to_be_visible()
    page.goto("/catalogue/?way=begun")
    page.get_by_role("link", name="Words on the deck", exact=True).click()
    page.get_by_label("4", exact=True).check()
    page.get_by_role("button", name="Rate it").click()
    expect(page.get_by_role("button", name="Take it back")).to_be_visible()
    page.get_by_text("Pass it on to somebody").click()
    page.get_by_label("To whom").fill("Tilda Pask; Nobody Atall")
    page.get_by_label("A word with it").fill("For the next watch.")
    page.get_by_role("button", name="Pass it on").click()
    expect(page.locator(".field .error", has_text="“Nobody Atall” is nobody’s name")).to_be_visible()
    expect(page.get_by_label("A word with it")).to_have_value("For the next watch.")
    forgive(page, "422")
    page.get_by_label("To whom").fill("Tilda Pask")
    page.get_by_role("button", name="Pass it on").click()
    expect(page.locator(".toasts")).to_contain_text("Passed on to Tilda Pask.")
    page.get_by_role("button", name="Give it up").click()
    expect(page.locator(".toasts")).to_contain_text("is given up")
    # Asked for, with words; whoever leads decides, and it is before the asker at once.
    page.goto("/catalogue/?way=ask")
    page.get_by_role("link", name="Entering closed spaces", exact=True).click()
    page.get_by_label("Say to whoever decides why").fill("The void spaces, from January on.")
    page.get_by_role("button", name="Ask to get in").click()
    expect(page.locator(".way-in")).to_contain_text("Tilda Pask decides")
    lead = open_page("Manager")
    lead.goto("/catalogue/")
    expect(lead.locator("main")).to_contain_text("passed on by Jun Pellam")
    lead.goto("/desk/next/")
    lead.get_by_role("link", name="for your decision").click()
    asked = lead.locator("article", has_text="The void spaces, from January on.")
    asked.get_by_role("button", name="Refuse").click()
    expect(asked.locator(".error", has_text="Say why it is refused")).to_be_visible()
    forgive(lead, "422")
    asked.get_by_role("button", name="Approve").click()
    expect(lead.locator(".toasts")).to_contain_text("Jun Pellam has it before them")
    page.goto("/desk/next/")
    expect(page.locator(".next-thing", has_text="Entering closed spaces")).to_be_visible()


def test_a_module_is_offered_by_itself_and_found(open_page):
    """With the fields of people beside it: what is typed there to find somebody is no answer to whom it is offered."""
    page = open_page("Ines Okoro")
    page.goto("/library/?q=ticket+data+rules")
    page.locator("tbody th a", has_text="Handling ticket data, the rules").click()
    page.get_by_role("button", name="Offer it in the catalogue…").click()
    page.get_by_label("whoever finds it takes it up themselves").check()
    page.get_by_role("button", name="Save it").click()
    expect(page.locator(".toasts")).to_contain_text("It is saved, and holds at once.")
    learner = open_page("Jun Pellam")
    learner.goto("/catalogue/?order=new")
    expect(learner.get_by_role("link", name="Handling ticket data, the rules", exact=True)).to_be_visible()


def test_a_lead_builds_a_path_that_their_people_find(open_page):
    page = open_page("Manager")
    page.goto("/courses/paths/")
    page.get_by_role("link", name="New path…").click()
    expect(page.get_by_text("is for your own people: nobody else finds it.")).to_be_visible()
    page.get_by_label("Title").fill("Before the long nights")
    page.get_by_role("button", name="Make it").click()
    expect(page.get_by_text("for the people of Tilda Pask")).to_be_visible()
    page.get_by_label("What it leads to").fill("What we go over together.")
    page.get_by_label("What it leads to").press("Tab")
    picker = page.get_by_role("region", name="Put courses into the path")
    picker.get_by_role("checkbox", name="Radio words course").check()
    # What was ticked stays in sight while one narrows to something else.
    picker.get_by_role("searchbox", name="Filter courses").fill("galley")
    picker.get_by_role("checkbox", name="Galley hygiene course").check()
    expect(picker.get_by_role("checkbox", name="Radio words course")).to_be_checked()
    picker.get_by_role("button", name="Add 2").click()
    stage = page.locator(".path-stage")
    expect(stage.locator("li b")).to_have_text(["Radio words", "Galley hygiene"])
    assert axe(page) == []
    page.get_by_role("button", name="Release").click()
    expect(page.get_by_role("status").first).to_contain_text("is released")
    learner = open_page("Jun Pellam")
    learner.goto("/catalogue/?q=long+nights")
    learner.get_by_role("link", name="Before the long nights").click()
    expect(learner.get_by_text("Put together by Tilda Pask.")).to_be_visible()
    learner.get_by_role("button", name="Take it up").click()
    learner.goto("/desk/next/")
    expect(learner.locator("main")).to_contain_text("Before the long nights")
    author = open_page("Author")
    author.goto("/catalogue/?q=long+nights")
    expect(author.get_by_role("link", name="Before the long nights")).to_have_count(0)
