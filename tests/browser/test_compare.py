"""Before and after under one light: wiped with a line, side by side, against any earlier step."""

from playwright.sync_api import expect

from tests.browser.pixels import Picture


def test_the_part_is_seen_beside_the_state_before_a_change_and_after_an_earlier_step(desk):
    page = desk.page
    desk.blend()
    page.wait_for_timeout(300)
    blended = Picture(page)
    page.keyboard.press("w")
    line = page.get_by_role("slider", name="Line between both states")
    expect(page.get_by_text("before the last change")).to_be_visible()
    line.focus()
    for _ in range(30):
        page.keyboard.press("ArrowRight")
    page.wait_for_timeout(200)
    wiped = Picture(page)
    assert wiped.differs(blended)
    assert wiped.part_area() < blended.part_area() - 0.015  # The gap shows again.
    x, _ = desk.centre(line)
    desk.drag((x, 720), (-600, 0))
    page.wait_for_timeout(200)
    assert float(line.get_attribute("aria-valuenow")) < 60
    page.keyboard.press("w")
    page.wait_for_timeout(200)
    assert line.count() == 0
    assert abs(Picture(page).part_area() - blended.part_area()) < 0.005
    desk.button("Compare with another state").click()
    page.get_by_role("menuitem", name="after Crown").click()
    page.get_by_role("radiogroup", name="How states are compared").get_by_text("side by side").click()
    page.keyboard.press("Escape")
    expect(page.locator(".compare").get_by_text("after Crown")).to_be_visible()
    expect(page.locator(".compare").get_by_text("now")).to_be_visible()
    page.wait_for_timeout(300)
    assert Picture(page).differs(blended)
    # What was only looked at has changed nothing.
    desk.stored(1)
    expect(desk.row("Blend · Crown")).to_contain_text("holds")
