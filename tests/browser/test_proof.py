"""The question of an auditor, asked at the Desk: who was covered on a day, as it was known then, and the proof of it, checked elsewhere."""

import subprocess
import sys
import zipfile

from playwright.sync_api import expect


def test_who_was_covered_on_a_day_as_known_then_is_answered_and_proved(open_page, tmp_path):
    page = open_page("Ines Okoro")
    page.wait_for_load_state("networkidle")
    page.keyboard.press("7")
    expect(page.get_by_role("heading", name="Board", level=1)).to_be_visible()
    for label in ("as of", "as known"):
        page.get_by_role("textbox", name=label, exact=True).fill("today-270d")
    page.get_by_role("button", name="Show", exact=True).click()
    expect(page.locator(".headline")).to_contain_text(", as known on ")
    column = page.locator("[data-board] thead th").all_inner_texts().index("Fire on board")
    page.get_by_role("row", name="Dunlin").locator("td, th").nth(column).get_by_role("link").click()
    expect(page.get_by_role("heading", name="Who stands how", level=1)).to_be_visible()
    expect(page.locator(".headline")).to_contain_text(", as known on ")
    asked = int(page.locator(".headline .fig").first.inner_text())
    page.get_by_role("link", name="Evidence pack…").click()
    page.get_by_role("button", name="Make it").click()
    with page.expect_download() as fetching:
        page.get_by_role("link", name="Fetch the pack").click()
    fetching.value.save_as(tmp_path / "pack.zip")
    elsewhere = tmp_path / "elsewhere"
    with zipfile.ZipFile(tmp_path / "pack.zip") as pack:
        pack.extractall(elsewhere)
    said = subprocess.run(
        [sys.executable, "-I", "-S", "check.py"], cwd=elsewhere, env={}, capture_output=True, text=True, timeout=60
    )
    assert said.returncode == 0, said.stdout + said.stderr
    assert f"{asked} people" in said.stdout
