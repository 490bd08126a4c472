"""Drawing as it is done all day: caught or free, taken back, kept to a plane, held at the ends, in any order."""

import re
from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from tests.browser.conftest import Desk, opened
from tests.browser.steps import line_of


@pytest.fixture
def desk(page: Page, pamble) -> Iterator[Desk]:
    """An empty study, as it opens."""
    yield from opened(page, pamble, {"name": "Ladle"})


def look(desk: Desk, view: str) -> None:
    desk.page.keyboard.press(view)
    desk.page.wait_for_timeout(900)


def kept(desk: Desk, kind: str) -> list[dict]:
    """Parameters of all kept steps of a kind."""
    return [f["params"] for f in desk.features(kind)]


def test_clicks_are_taken_back_one_by_one_and_a_double_click_ends(desk):
    page = desk.page
    expect(desk.button("Plan")).to_have_attribute("aria-pressed", "true")
    look(desk, "Shift+F")
    page.keyboard.press("d")
    for x, y in ((330, 440), (420, 330), (520, 300), (620, 340)):
        page.mouse.click(x, y)
    placed = page.get_by_label("Points placed").locator("circle")
    expect(placed).to_have_count(4)
    page.keyboard.press("Control+z")
    expect(placed).to_have_count(3)
    page.keyboard.press("Backspace")
    expect(placed).to_have_count(2)
    page.wait_for_timeout(500)
    page.keyboard.press("Escape")
    expect(placed).to_have_count(1)
    # Turned round, the curve goes on in the plane in which it was begun.
    look(desk, "Shift+R")
    page.mouse.click(500, 300)
    expect(page.get_by_text("The working plane is seen on edge here")).to_be_visible()
    look(desk, "0")
    page.mouse.click(520, 300)
    page.mouse.click(640, 360)
    page.keyboard.press("2")
    expect(page.get_by_label("Figures of the curve")).to_contain_text("2 · 1 · 3")
    page.mouse.dblclick(760, 420)
    desk.stored(1)
    (curve,) = kept(desk, "cv_curve")
    assert [p[1] for p in curve["curve"]["control"]] == [0, 0, 0, 0]
    assert curve["curve"]["degree"] == 2
    page.keyboard.press("Escape")
    page.keyboard.press("d")
    for x, y in ((330, 540), (420, 530), (520, 500)):
        page.mouse.click(x, y)
    expect(page.get_by_label("Card of CV curve 2")).to_have_count(1)
    # Held, Esc lets go of all of it at once.
    page.keyboard.down("Escape")
    page.keyboard.down("Escape")
    page.keyboard.up("Escape")
    expect(page.get_by_label("Card of CV curve 2")).to_have_count(0)
    page.reload()
    expect(desk.button("Curves")).to_have_attribute("aria-pressed", "true")


def test_a_cv_is_a_place_while_a_point_is_asked_for_and_what_is_caught_follows_until_released(desk):
    page = desk.page
    look(desk, "Shift+F")
    page.keyboard.press("d")
    for x, y in ((330, 440), (420, 330), (520, 300)):
        page.mouse.click(x, y)
    page.keyboard.press("Enter")
    desk.stored(1)
    before = kept(desk, "cv_curve")
    page.keyboard.press("c")
    page.keyboard.press("d")
    desk.button("CV 3 of CV curve").click()
    page.mouse.click(620, 400)
    page.mouse.click(700, 380)
    page.keyboard.press("Enter")
    desk.stored(2)
    first, second = kept(desk, "cv_curve")
    assert [first] == before
    assert second["relations"][0]["cvs"][1]["cv"] == 2
    page.keyboard.press("c")
    desk.drag(desk.centre(desk.button("CV 3 of CV curve")), (0, -60))
    desk.stored(3)
    a, b = (desk.centre(desk.button(n)) for n in ("CV 3 of CV curve", "CV 1 of CV curve 2"))
    assert max(abs(a[0] - b[0]), abs(a[1] - b[1])) < 1
    page.keyboard.press("Escape")
    line_of(page, "CV curve 2").click()
    desk.button("CV 2 of CV curve 2").click()
    page.keyboard.press("Delete")
    desk.stored(4)
    assert len(kept(desk, "cv_curve")[1]["curve"]["control"]) == 2
    page.get_by_role("button", name="CV 1 of CV curve 2").press("Enter")
    expect(page.get_by_label("Card of the CVs")).to_contain_text("Follows CV 3 of CV curve")
    page.keyboard.press("u")
    desk.stored(5)
    assert kept(desk, "cv_curve")[1]["relations"] == []
    # In the middle of a drag the nearer end is held, and undo gives the drag up.
    line_of(page, "CV curve").click()
    spot = desk.centre(desk.button("CV 2 of CV curve"))
    desk.drag(spot, (10, 10), release=False)
    page.keyboard.press("1")
    desk.stored(6)
    page.keyboard.press("Control+z")
    page.mouse.up()
    assert kept(desk, "cv_curve")[0]["hold_start"] == 1
    assert desk.centre(desk.button("CV 2 of CV curve")) == pytest.approx(spot, abs=1)


def test_any_order_is_taken_what_does_not_fit_is_said_and_several_iso_curves_come_at_once(page, pamble):
    for desk in opened(page, pamble, {"demo": "mirror-cap"}):
        desk.button("Curves").click()
        desk.button("Project").click()
        line_of(page, "Crown").click()
        line_of(page, "Crown").click()
        card = page.get_by_label("Card of Project")
        expect(card.get_by_role("button", name="Crown", exact=True)).to_be_visible()
        desk.button("Crown, v end").click()
        expect(page.get_by_label("Figures of the curve")).to_be_visible()
        page.keyboard.press("Escape")
        desk.button("More…").click()
        page.get_by_role("menuitem", name="Iso-curves").click()
        line_of(page, "Crown").click()
        at = page.get_by_role("textbox", name="At 1")
        at.fill("0.2, 0.4, 0.6")
        at.press("Enter")
        expect(page.get_by_role("slider", name=re.compile("Iso-curve 3"))).to_be_visible()
        line_of(page, "Crown").click()
        expect(page.get_by_role("radio", name="v", exact=True)).to_be_checked()
        page.keyboard.press("Enter")
        desk.stored(1)
        (made,) = kept(desk, "iso_curve")
        assert (made["at"], made["held"]) == ([0.2, 0.4, 0.6], "v")
        page.keyboard.press("Escape")
        desk.button("Offset").click()
        line_of(page, "Crown").click()
        expect(page.get_by_text("Offset takes no face here.")).to_be_visible()


def test_relations_stand_on_the_part_and_a_derived_curve_is_broken_free(desk):
    page = desk.page
    look(desk, "Shift+F")
    page.keyboard.press("d")
    for x, y in ((330, 440), (420, 330), (520, 300), (640, 380)):
        page.mouse.click(x, y)
    page.keyboard.press("Enter")
    desk.stored(1)
    page.keyboard.press("c")
    desk.button("CV 2 of CV curve").click()
    desk.button("Keeps z").click()
    desk.stored(2)
    value = page.get_by_role("textbox", name="Relation 1 on the part")
    value.fill("50")
    value.press("Enter")
    desk.stored(3)
    (curve,) = kept(desk, "cv_curve")
    assert curve["relations"][0] | {"value": 50.0} == curve["relations"][0]
    assert curve["curve"]["control"][1][2] == pytest.approx(50)
    line_of(page, "CV curve").click()
    desk.button("Curves").click()
    desk.button("Offset").click()
    page.keyboard.press("Enter")
    desk.stored(4)
    desk.button("Break free").click()
    desk.stored(5)
    expect(page.get_by_text("nothing moved")).to_be_visible()
    assert len(kept(desk, "cv_curve")) == 2
