"""Light lines: drawn, following a drag, and what they do at seams."""

import re

from playwright.sync_api import expect

from tests.browser.steps import line_of


def test_light_lines_show_where_a_seam_kinks_them_and_follow_the_hand(desk):
    page = desk.page
    desk.blend()
    canvas = page.locator(".part-canvas")
    clay = canvas.screenshot()
    page.keyboard.press("4")
    seams = page.get_by_role("group", name="Light lines at seams")
    row = seams.get_by_role("row", name=re.compile("Blend · Flank"))
    expect(row).to_contain_text(re.compile(r"0\.00\d mm\s*0\.0\d°"))
    lit = canvas.screenshot()
    assert lit != clay
    # Tangent only: the lines kink there, and go to the place.
    line_of(page, "Blend").click()
    card = page.get_by_label("Card of Blend")
    card.get_by_role("radiogroup", name="Continuity, Flank side").get_by_text("G1").click()
    expect(row).to_contain_text(re.compile(r"0\.00\d mm\s*[1-9]\d*\.\d\d°"))
    row.get_by_title("Go to the sharpest kink").click()
    expect(page.get_by_role("slider", name=re.compile("along Blend · Flank"))).to_be_visible()
    desk.button("Settings of the light").click()
    apart = page.get_by_label("Lights apart")
    apart.fill("7.5")
    apart.press("Enter")
    expect(page.get_by_role("switch", name="Lights fitted to the part")).not_to_be_checked()
    page.get_by_role("combobox", name="Kind of light lines").click()
    page.get_by_role("option", name="Isophotes").click()
    expect(apart).to_have_value("5.00")
    page.keyboard.press("Escape")
    line_of(page, "Crown").click()
    page.keyboard.press("c")
    page.keyboard.press("f")
    page.wait_for_timeout(700)
    still = canvas.screenshot()
    desk.drag(desk.centre(desk.button("CV 3, 4 of Crown")), (0, 40), release=False, steps=8)
    page.wait_for_timeout(600)
    assert canvas.screenshot() != still
    expect(seams).to_contain_text("as kept")
    page.mouse.up()
    expect(seams).not_to_contain_text("as kept")
