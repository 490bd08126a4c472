"""Without a pointer, and for eyes of all kinds: keys, focus, and axe over every view in both themes."""

import re
from pathlib import Path

import pytest
from playwright.sync_api import expect

from tests.browser.steps import line_of

AXE = (Path(__file__).parents[2] / "web/node_modules/axe-core/axe.min.js").read_text()
RULES = ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa"]


def violations(page) -> list[str]:
    """What axe finds, each as its rule and the first place."""
    page.evaluate(AXE)
    found = page.evaluate(
        "async (tags) => (await axe.run(document, { runOnly: { type: 'tag', values: tags } })).violations", RULES
    )
    return [
        f"{v['id']}: {len(v['nodes'])} x {v['nodes'][0]['html'][:160]} {v['nodes'][0]['failureSummary']}" for v in found
    ]


@pytest.mark.parametrize("theme", ["light", "dark"])
def test_axe_finds_nothing_in_any_view(desk, theme):
    page = desk.page
    if theme == "dark":
        desk.button("Dark theme").click()
        expect(page.locator("html")).to_have_attribute("data-mantine-color-scheme", "dark")
    desk.blend()
    for stage in ("Plan", "Curves", "Primaries", "Check", "Hand over", "Blends"):
        desk.button(stage).click()
        assert violations(page) == [], stage
    desk.row("Blend · Crown").click()
    line_of(page, "Crown").click()
    desk.button("Show CVs").click()
    assert violations(page) == [], "a card, CVs and the strip"
    page.keyboard.press("?")
    expect(page.get_by_role("dialog")).to_be_visible()
    assert violations(page) == [], "the sheet of keys"
    page.keyboard.press("Escape")
    page.keyboard.press("/")
    expect(page.get_by_placeholder("What do you want to do")).to_be_visible()
    page.wait_for_timeout(300)
    assert violations(page) == [], "the finder"
    page.keyboard.press("Escape")
    page.keyboard.press("Control+e")
    expect(page.get_by_role("dialog")).to_be_visible()
    page.wait_for_timeout(300)
    assert violations(page) == [], "the export"
    page.goto(page.url.rsplit("/study/", 1)[0])
    expect(page.get_by_role("heading", name="Studies")).to_be_visible()
    assert violations(page) == [], "the list of studies"


def focused(page) -> str:
    return page.evaluate("document.activeElement.getAttribute('aria-label') || document.activeElement.innerText")


def tab_to(page, name: str, most: int = 80) -> None:
    for _ in range(most):
        page.keyboard.press("Tab")
        if name in focused(page):
            return
    raise AssertionError(f"Tab does not come to {name}; it is at {focused(page)}")


def test_the_story_of_a_blend_by_keyboard_alone(desk):
    """Made, adjusted, its figures read, a CV of its neighbour moved, and undone, without a pointer."""
    page = desk.page
    page.keyboard.press("b")
    for edge in ("Crown, v end", "Flank, v start"):
        tab_to(page, edge)
        page.keyboard.press("Enter")
    expect(desk.row("Blend · Crown")).to_contain_text("holds")
    tab_to(page, "Fullness handle, Crown side")
    before = page.get_by_role("slider", name="Fullness handle, Crown side").get_attribute("aria-valuetext")
    page.keyboard.press("ArrowUp")
    expect(page.get_by_role("slider", name="Fullness handle, Crown side")).not_to_have_attribute(
        "aria-valuetext", before
    )
    tab_to(page, "Keep")
    page.keyboard.press("Enter")
    desk.stored(1)
    # The ledger and the strip.
    tab_to(page, "Seam Blend")
    page.keyboard.press("Enter")
    tab_to(page, "Curvature mismatch along")
    strip = page.get_by_role("slider", name="Curvature mismatch along")
    page.keyboard.press("End")
    expect(strip).to_have_attribute("aria-valuetext", re.compile(r"% at 30[78]\.\d mm"))
    # The neighbour's CVs: found by typing, shown by a key, walked and moved by arrows.
    # Typed at once: no letter starts a tool before the box stands.
    page.keyboard.type("/crown")
    page.keyboard.press("Enter")
    expect(page.get_by_label("Card of Crown")).to_be_visible()
    page.keyboard.press("c")
    tab_to(page, "CV 1, 1 of Crown")
    for key in ("ArrowDown", "ArrowDown", "ArrowRight", "ArrowRight"):
        page.keyboard.press(key)
    assert focused(page) == "CV 3, 3 of Crown"
    page.keyboard.press("Space")
    page.keyboard.press("Control+ArrowUp")
    desk.stored(2)
    expect(desk.row("Blend · Crown")).to_contain_text("holds")
    page.keyboard.press("Control+z")
    expect(desk.button("Redo")).to_be_enabled()


def test_keys_can_be_changed_and_switched_off_and_the_view_is_turned_by_arrows(desk):
    page = desk.page
    page.locator(".part").focus()
    shot = page.locator(".part-canvas").screenshot()
    page.keyboard.press("ArrowRight")
    page.wait_for_timeout(150)
    assert page.locator(".part-canvas").screenshot() != shot
    page.keyboard.press("?")
    page.get_by_role("button", name="Key of Zebra").click()
    page.keyboard.press("y")
    expect(page.get_by_role("button", name="Key of Zebra")).to_have_text("Y")
    page.keyboard.press("Escape")
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("2")
    expect(page.get_by_role("button", name="Zebra")).to_have_attribute("aria-pressed", "false")
    page.keyboard.press("y")
    expect(page.get_by_role("button", name="Zebra")).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("?")
    page.get_by_role("switch", name="Keys that are pressed alone").press("Space")
    page.keyboard.press("Escape")
    page.keyboard.press("1")
    expect(page.get_by_role("button", name="Zebra")).to_have_attribute("aria-pressed", "true")
    page.reload()
    page.locator(".part[data-drawn=true]").wait_for()
    page.keyboard.press("g")
    expect(page.get_by_label("Build", exact=True)).to_be_visible()
