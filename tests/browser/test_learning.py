"""Learning in the page: what was really watched, a package of the newer standard, and taking up again where one left."""

import re
import time

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import axe

RIGHT = ("Where both ways part", "“Walk to the blue sign!”", "Take it to the muster point")


def play(page, *, start=None, speed):
    page.evaluate(
        """([start, speed]) => { const film = document.querySelector("video"); film.muted = true;
            film.playbackRate = speed; if (start !== null) film.currentTime = start; return film.play(); }""",
        [start, speed],
    )


def watch(page, *, start=None, until):
    """Play the film at four times its speed, from a place, until a share was watched."""
    play(page, start=start, speed=4)
    wait_until(page, f"Number(document.querySelector('[data-share-text]').textContent) >= {until}")


def wait_until(page, condition):
    """Ask again and again from outside: the page's content policy lets no test evaluate text within it."""
    end = time.monotonic() + 150
    while not page.evaluate(condition):
        assert time.monotonic() < end, condition
        page.wait_for_timeout(150)


@pytest.mark.timeout(600)
def test_a_film_counts_what_was_watched_and_a_package_goes_on_where_one_left(open_page):
    page = open_page("Jun Pellam")
    page.locator(".next-thing", has_text="Guiding a crowd").get_by_role("link", name="Begin").click()
    expect(page.get_by_role("heading", name="Passengers on the stair")).to_be_visible()
    wait_until(page, "document.querySelector('video').readyState > 0")
    play(page, speed=1)
    wait_until(page, "document.querySelector('video').currentTime > 6")
    # Jumping ahead adds nothing; where one stopped is kept.
    with page.expect_response(lambda r: "/reports/" in r.url and r.request.post_data_json["at"] == 30):
        watched = page.evaluate(
            """() => { const film = document.querySelector("video"), here = film.currentTime;
                film.pause(); film.currentTime = 30; return 100 * here / film.duration; }"""
        )
    # Coming back by the browser's own way is asked anew as well.
    page.goto("/desk/next/")
    page.go_back()
    share = int(page.locator("[data-share-text]").inner_text())
    assert watched - 2 <= share <= watched + 1
    wait_until(page, "document.querySelector('video').currentTime > 25")
    watch(page, start=1, until=90)
    expect(page.locator("#outcome .done-note")).to_be_visible()
    page.get_by_role("link", name="On to “Guiding a crowd”").click()

    inner = page.frame_locator("[data-frame]").frame_locator("#content")
    for _ in range(2):
        inner.locator("#next").click()
    inner.get_by_label(RIGHT[0]).check()
    # The server has it before anything says goodbye.
    with page.expect_response(
        lambda r: r.url.endswith("/commit") and '"cmi.location":"3"' in (r.request.post_data or "")
    ):
        inner.locator("#next").click()
        expect(inner.locator("#where")).to_have_text("4 of 6")
    page.reload()
    expect(inner.locator("#where")).to_have_text("4 of 6")
    inner.locator("#back").click()
    expect(inner.get_by_label(RIGHT[0])).to_be_checked()
    inner.locator("#next").click()
    for choice in RIGHT[1:]:
        inner.get_by_label(choice).check()
        inner.locator("#next").click()
    expect(inner.locator("#page")).to_contain_text("100 %")
    # What is left is the session, which is booked, not begun.
    page.get_by_role("link", name="On to “Moving a crowd, an exercise”").click()
    expect(page.get_by_role("button", name="Book").first).to_be_visible()
    page.goto("/records/mine/")
    expect(page.get_by_role("main")).to_contain_text("Guiding a crowd 66 %")


@pytest.mark.timeout(600)
def test_a_tried_package_talks_to_nobody(open_page):
    page = open_page("Ines Okoro")
    page.goto("/library/?kind=package&q=extinguishers")
    page.locator("tbody th a").first.click()
    page.get_by_role("link", name="Try it").click()
    inner = page.frame_locator("[data-frame]").frame_locator("#content")
    with page.expect_response(lambda r: r.url.endswith("/commit")) as kept:
        inner.locator("#next").click()
    assert kept.value.status == 200
    page.reload()
    expect(inner.locator("#back")).to_be_disabled()


@pytest.mark.timeout(600)
def test_without_a_line_what_was_seen_is_kept_in_the_browser_and_counted_once(open_page):
    """The line goes while a film plays, and the page with it; what was watched counts when the next page opens."""
    page = open_page("Jun Pellam")
    page.locator(".next-thing", has_text="Radio words").get_by_role("link", name="Begin").click()
    expect(page.get_by_role("heading", name="Radio words, spoken")).to_be_visible()
    address = page.url
    reports = "**/learn/reports/**"
    page.route(reports, lambda route: route.abort())
    page.get_by_role("button", name="Play", exact=True).click()
    wait_until(page, "document.querySelector('[data-film]').currentTime > 6")
    page.keyboard.press("Space")
    expect(page.locator("[data-report-trouble]")).to_contain_text("is kept in this browser")
    heard = page.evaluate("document.querySelector('[data-film]').currentTime / 46.4 * 100")
    page.goto("/desk/next/")
    page.unroute(reports)
    with page.expect_response(lambda answer: "/reports/" in answer.url and answer.ok):
        page.goto(address)
    wait_until(page, "Number(document.querySelector('[data-share-text]').textContent) > 0")
    share = int(page.locator("[data-share-text]").inner_text())
    assert heard - 3 <= share <= heard + 1
    assert page.evaluate("Object.keys(localStorage).filter((key) => key.startsWith('report:')).length") == 0
    page.trouble[:] = [said for said in page.trouble if "/reports/" not in said and "ERR_FAILED" not in said]
    # A note at the moment, by keys alone; it stands among the words and marks the strip.
    page.locator("[data-where]").evaluate("range => { range.value = '20'; range.dispatchEvent(new Event('input')); }")
    page.locator("h1").click()
    page.keyboard.press("n")
    page.keyboard.type("Twice, on the Knot too")
    page.get_by_role("button", name="Keep the note").press("Enter")
    note = page.locator(".is-note", has_text="Twice, on the Knot too")
    expect(note.locator(".fig")).to_have_text("0:20")
    expect(page.locator("[data-noted] path")).to_have_count(1)
    assert axe(page) == []


def test_a_link_opens_in_a_window_of_its_own_and_a_reference_counts_nothing(open_page):
    page = open_page("Ines Okoro")
    page.goto("/library/?kind=link")
    page.locator("tbody th a", has_text="tides").click()
    page.get_by_role("link", name="Try it").click()
    link = page.get_by_role("link", name="Open tides.marramsound.example")
    expect(link).to_have_attribute("href", "https://tides.marramsound.example/today")
    # No test asks the web: the window that opens is one of ours.
    link.evaluate("(one) => { one.href = '/healthz'; }")
    with page.expect_popup() as opened:
        link.click()
    opened.value.close()
    learner = open_page("Jun Pellam")
    learner.goto("/desk/next/")
    learner.get_by_role("link", name="Radio words").first.click()
    learner.get_by_role("link", name="Words on the deck").click()
    expect(learner.get_by_text("nothing of it is counted")).to_be_visible()
    expect(learner.get_by_role("heading", name="Ramp")).to_be_visible()
    expect(learner.get_by_text("you only try it")).to_be_hidden()


def test_what_is_answered_before_a_document_is_open_is_no_trouble(open_page):
    """A visit before may have left something to tell: its answer comes while the pages are still fetched."""
    page = open_page("Ines Okoro")
    page.goto("/library/?q=sea+survival+the+booklet")
    page.locator("tbody th a", has_text="Sea survival, the booklet").click()
    held = []
    page.route("**/pdf.min*.mjs", lambda route: held.append(route))
    page.get_by_role("link", name="Try it").click()
    expect(page.locator("[data-pages][data-source]")).to_be_attached()
    for _ in range(200):
        if held:
            break
        page.wait_for_timeout(50)
    page.evaluate("document.dispatchEvent(new CustomEvent('reported', { detail: { pages: [1] } }))")
    page.evaluate("document.dispatchEvent(new Event('visibilitychange'))")
    held[0].continue_()
    expect(page.locator("[data-mark='1']")).to_have_class(re.compile("is-counted"))
