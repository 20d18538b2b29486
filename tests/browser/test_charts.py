"""A chart changed by dragging and by keys, told first, and taken back."""

from playwright.sync_api import expect


def node(page, name):
    return page.locator("[data-node] > .node").filter(has=page.get_by_role("link", name=name, exact=True)).first


def depth(page, name):
    return page.locator("[data-node]", has=page.get_by_role("link", name=name, exact=True)).first.get_attribute(
        "data-depth"
    )


def test_a_unit_is_dragged_told_moved_and_taken_back(open_page):
    page = open_page("Ines Okoro")
    page.goto("/people/charts/")
    page.wait_for_load_state("networkidle")
    node(page, "Catering").drag_to(node(page, "Fleet"))
    change = page.locator("#change")
    expect(change).to_contain_text("Move Catering")
    expect(change.get_by_label("Below").locator("option:checked")).to_contain_text("Fleet")
    expect(change).to_contain_text("come to need “Sea survival basics”")
    assert depth(page, "Catering") == "0"
    change.get_by_role("button", name="Move it").click()
    expect(page.locator(".toast")).to_contain_text("Catering moves, and all below it.")
    assert depth(page, "Catering") == "1"
    page.locator(".toast").get_by_role("button", name="Take it back").click()
    expect(page.locator(".toast")).to_contain_text("It is taken back.")
    assert depth(page, "Catering") == "0"


def test_keys_walk_the_chart_order_it_and_propose_a_move(open_page):
    page = open_page("Ines Okoro")
    page.goto("/people/charts/")
    page.wait_for_load_state("networkidle")
    page.get_by_role("link", name="Sandpiper", exact=True).nth(1).focus()
    page.keyboard.press("ArrowDown")
    expect(page.locator("[data-node] a:focus")).to_have_text("Dunlin")
    with page.expect_navigation():
        page.keyboard.press("Alt+ArrowUp")
    names = page.locator("[data-node] .node > a:first-child").all_inner_texts()
    assert names.index("Dunlin") == names.index("Sandpiper") - 1
    page.wait_for_load_state("networkidle")
    page.locator("[data-node] a", has_text="Sandpiper").focus()
    page.keyboard.press("Alt+ArrowRight")
    expect(page.locator("#change").get_by_label("Below").locator("option:checked")).to_contain_text("Dunlin")
    expect(page.locator("#change select")).to_be_focused()
    page.locator("[data-node] a", has_text="Dunlin").first.focus()
    with page.expect_navigation():
        page.keyboard.press("Alt+ArrowDown")
    names = page.locator("[data-node] .node > a:first-child").all_inner_texts()
    assert names.index("Sandpiper") == names.index("Dunlin") - 1
