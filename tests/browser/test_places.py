"""Planes, measures, catching, relations to other curves, and changes of whole curves, with the pointer."""

import re
from itertools import product

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.conftest import Desk, imported, opened
from tests.browser.steps import line_of
from tests.browser.test_curves import draw


@pytest.fixture
def sheet(page, pamble):
    """An empty study in the curves stage."""
    for desk in opened(page, pamble, {"name": "Lamp"}):
        desk.button("Curves").click()
        yield desk


def params(desk: Desk, kind: str) -> dict:
    """Parameters of the last step of a kind, as the study file has them."""
    return desk.features(kind)[-1]["params"]


def spot(desk: Desk, words: str, start: tuple[int, int], area: int = 14) -> tuple[int, int]:
    """Where near a place the pointer catches something, as a hand would feel for it."""
    status = desk.page.get_by_role("status", name="Under the pointer")
    steps = range(-area, area + 1, 4)
    for wait, dx, dy in product((40, 200), steps, steps):
        desk.page.mouse.move(start[0] + dx, start[1] + dy)
        desk.page.wait_for_timeout(wait)
        if words in status.inner_text():
            return start[0] + dx, start[1] + dy
    raise AssertionError(f"{words} was not caught near {start}")


def test_corners_are_measured_a_plane_goes_through_three_and_is_seen_true(desk):
    page = desk.page
    desk.button("Check").click()
    desk.button("Distance").click()
    corner = spot(desk, "of Crown", (783, 390))
    page.mouse.click(*corner)
    page.mouse.click(*spot(desk, "of Flank", (770, 436)))
    expect(page.get_by_role("status", name="Measured")).to_contain_text("mm")
    card = page.get_by_label("Card of Distance")
    expect(card).to_contain_text("of Crown")
    before = page.get_by_role("status", name="Measured").inner_text()
    page.keyboard.press("Enter")
    expect(line_of(page, "Distance")).to_be_visible()
    expect(page.get_by_label("Measured values")).to_contain_text(before)
    line_of(page, "Flank").click()
    page.keyboard.press("c")
    cv = desk.button("CV 1, 1 of Flank")
    cv.click()
    desk.drag(desk.centre(cv), (30, 12), release=False)
    expect(page.get_by_label("Measured values")).not_to_contain_text(before)
    page.keyboard.press("Escape")
    expect(page.get_by_label("Measured values")).to_contain_text(before)
    page.mouse.up()
    page.keyboard.press("c")

    desk.button("Plan").click()
    desk.button("Plane by three points").click()
    page.mouse.click(*spot(desk, "of Crown", (360, 268)))
    page.mouse.click(*spot(desk, "of Crown", corner))
    page.mouse.click(*spot(desk, "of Crown", (912, 238)))
    page.keyboard.press("Enter")
    expect(line_of(page, "Plane by three points")).to_be_visible()
    expect(page.get_by_label("Planes")).to_contain_text("Plane by three points")
    page.keyboard.press("v")
    page.wait_for_timeout(1200)
    desk.button("Working plane").click()
    page.get_by_placeholder("or a plane of the study").click()
    page.get_by_role("option", name="Plane by three points").last.click()
    expect(page.get_by_text("Points lie in Plane by three points.")).to_be_visible()
    page.keyboard.press("Escape")
    desk.button("Curves").click()
    page.keyboard.press("d")
    for x, y in ((520, 420), (600, 360), (700, 420)):
        page.mouse.click(x, y)
    page.keyboard.press("Enter")
    expect(line_of(page, "CV curve")).to_be_visible()
    drawn = np.array(params(desk, "cv_curve")["curve"]["control"])
    places = params(desk, "plane_points")
    assert all(places[k]["feature"] == places["first"]["feature"] for k in ("second", "third"))
    crown = np.array(desk.features()[0]["params"]["face"]["surface"]["control"])
    corners = crown[[0, 0, -1, -1], [0, -1, 0, -1]]
    # All drawn CVs lie in one of the planes through three corners: the one that was built.
    planes = [np.delete(corners, k, axis=0) for k in range(4)]
    normals = [np.cross(p[1] - p[0], p[2] - p[0]) for p in planes]
    off = [np.abs((drawn - p[0]) @ n / np.linalg.norm(n)).max() for p, n in zip(planes, normals, strict=True)]
    assert min(off) < 1e-3


def test_a_curve_meets_another_and_its_make_is_changed_with_words(sheet):
    desk, page = sheet, sheet.page
    draw(desk, "Shift+F", "Left", (330, 440), (400, 330), (500, 300), (580, 310))
    draw(desk, None, "Right", (660, 350), (720, 300), (790, 340), (840, 400), (900, 420), (940, 380))
    line_of(page, "Right").click()
    page.keyboard.press("c")
    desk.button("CV 1 of Right").click()
    desk.button("Meet a line…").click()
    expect(page.get_by_text("Pick another line")).to_be_visible()
    page.mouse.click(*spot(desk, "Left", (560, 307)))
    line_of(page, "Right").click()
    relations = page.get_by_role("group", name="Relations")
    expect(relations).to_contain_text("Start meets Left")
    expect(relations).to_contain_text("11 numbers are still free")
    start = np.array(desk.centre(desk.button("CV 1 of Right")))
    assert np.abs(start - [580, 310]).max() < 2
    whole = page.get_by_role("group", name="The whole curve")
    degree = whole.get_by_role("textbox", name="Degree of the curve")
    degree.fill("6")
    degree.press("Enter")
    expect(page.get_by_text("Degree 6, 1 span, 7 CVs: nothing moved.")).to_be_visible()
    spans = whole.get_by_role("textbox", name="Spans of the curve")
    degree.fill("3")
    degree.press("Enter")
    expect(page.get_by_text(re.compile(r"Degree 3, 1 span, 4 CVs: moved by up to"))).to_be_visible()
    spans.fill("2")
    spans.press("Enter")
    expect(page.get_by_text(re.compile(r"Degree 3, 2 spans, 5 CVs:"))).to_be_visible()
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(page.get_by_label("Figures of the curve")).to_contain_text("6 · 1 · 7")
    # Its neighbour is pulled: the joint follows while the pointer is down.
    line_of(page, "Left").click()
    page.keyboard.press("c")
    cv = desk.button("CV 4 of Left")
    desk.drag(desk.centre(cv), (15, -40), release=False)
    page.wait_for_timeout(500)
    assert np.abs(np.subtract(desk.centre(cv), desk.centre(desk.button("CV 1 of Right")))).max() < 2
    page.mouse.up()


def test_a_cv_is_caught_by_the_end_of_another_curve_and_two_curves_are_related(sheet):
    desk, page = sheet, sheet.page
    draw(desk, "Shift+F", "Left", (330, 440), (400, 330), (500, 300))
    draw(desk, None, "Right", (660, 350), (740, 300), (820, 340))
    for name in ("Left", "Right"):
        line_of(page, name).click()
        page.keyboard.press("c")
    page.keyboard.press("n")
    cv = desk.button("CV 1 of Right")
    x, y = desk.centre(cv)
    page.mouse.move(x, y)
    page.mouse.down()
    page.mouse.move(520, 310, steps=6)
    page.mouse.move(503, 303, steps=3)
    expect(page.get_by_label("Caught")).to_contain_text("of Left")
    page.mouse.up()
    desk.stored(5)
    left, right = desk.centre(desk.button("CV 3 of Left")), desk.centre(cv)
    assert np.abs(np.subtract(left, right)).max() < 0.6
    assert params(desk, "cv_curve")["curve"]["control"][0][1] == 0
    desk.button("CV 3 of Right").click()
    desk.button("CV 1 of Left").click(modifiers=["Shift"])
    expect(page.get_by_text("Relate; Right follows")).to_be_visible()
    desk.button("Same z").click()
    line_of(page, "Right").click()
    expect(page.get_by_role("group", name="Relations")).to_contain_text("same z")
    y = {n: desk.centre(desk.button(n))[1] for n in ("CV 3 of Right", "CV 1 of Left")}
    assert abs(y["CV 3 of Right"] - y["CV 1 of Left"]) < 1


def test_a_point_takes_a_direction_that_is_pulled_by_its_tip(sheet):
    desk, page = sheet, sheet.page
    page.keyboard.press("Shift+F")
    page.wait_for_timeout(900)
    desk.button("More…").click()
    page.get_by_role("menuitem", name="Curve through points").click()
    for x, y in ((360, 480), (470, 330), (600, 420), (740, 320), (880, 440)):
        page.mouse.click(x, y)
    page.keyboard.press("Enter")
    expect(line_of(page, "Curve through points")).to_be_visible()
    page.keyboard.press("c")
    desk.button("Point 3 of Curve through points").click()
    desk.button("Give a direction").click()
    expect(page.get_by_text("nothing moved")).to_be_visible()
    handle = desk.button("Direction handle at point 3 of Curve through points")
    desk.drag(desk.centre(handle), (20, 60))
    desk.stored(3)
    (way,) = params(desk, "point_curve")["directions"]
    tip, root = desk.centre(handle), desk.centre(desk.button("Point 3 of Curve through points"))
    seen = np.array([tip[0] - root[0], root[1] - tip[1]])
    assert np.allclose(seen / np.linalg.norm(seen), np.array(way["direction"])[[0, 2]], atol=0.02)
    desk.button("Insert after").click()
    expect(page.get_by_role("button", name="Point 6 of Curve through points")).to_be_visible()
    weight = page.get_by_role("textbox", name="Weight at point 3")
    weight.fill("0.5")
    weight.press("Enter")
    desk.stored(5)
    assert params(desk, "point_curve")["directions"][0]["weight"] == 0.5


def test_the_whole_polygon_is_offset_by_pulling_one_cv(sheet):
    desk, page = sheet, sheet.page
    draw(desk, "Shift+F", "Rim", (380, 470), (480, 300), (650, 280), (820, 420))
    page.keyboard.press("c")
    before = np.array(params(desk, "cv_curve")["curve"]["control"])
    cv = desk.button("CV 2 of Rim")
    cv.click()
    page.get_by_role("radiogroup", name="Drag along").get_by_text("\N{PARALLEL TO}").click()
    desk.drag(desk.centre(cv), (-25, -25))
    desk.stored(3)
    after = np.array(params(desk, "cv_curve")["curve"]["control"])
    old, new = np.diff(before, axis=0), np.diff(after, axis=0)
    assert np.abs(np.cross(old, new)).max() < 1e-6 * np.linalg.norm(old) * np.linalg.norm(new)
    side = np.cross([0, 1, 0], old) / np.linalg.norm(old, axis=1)[:, None]
    moved = np.einsum("ij,ij->i", after[:-1] - before[:-1], side)
    assert np.ptp(moved) < 1e-6
    assert abs(moved[0]) > 3
    # Enter keeps what a tool makes of what was picked before, though the tool's button was clicked last.
    line_of(page, "Rim").click()
    desk.button("Offset").click()
    expect(page.get_by_label("Card of Offset")).to_contain_text("Deviation")
    page.keyboard.press("Enter")
    expect(line_of(page, "Offset")).to_be_visible()


def test_a_measured_width_is_reached_by_a_dimension_or_said_to_be_out_of_reach(page, pamble):
    line = {"feature": "rim", "edge": "c0"}
    rim = {"centre": [0, 0, 0], "normal": [0, 0, 1], "width": "=w + 20", "height": 60.0, "corner": 15.0}
    steps = [
        {"id": id, "kind": kind, "name": name, "role": "construction", "params": p}
        for id, kind, name, p in (
            ("rim", "rectangle", "Rim", rim),
            ("wide", "measure_width", "Wide", {"lines": [line], "direction": [1, 0, 0]}),
        )
    ]
    for _ in imported(
        page, pamble, {"format": "pamble-study", "name": "Tray", "features": steps, "dimensions": {"w": "100"}}
    ):
        line_of(page, "Wide").click()
        page.get_by_text("Reach a value").click()
        aim = page.get_by_role("textbox", name="Value of Wide to reach")
        aim.fill("148")
        aim.press("Enter")
        page.get_by_label("Number to change").first.click()
        page.get_by_role("option", name="w", exact=True).click()
        page.get_by_role("button", name="Reach it").click()
        expect(page.get_by_role("status", name="Measured")).to_have_text("148.000 mm")
        expect(page.get_by_role("textbox", name="Dimension w")).to_have_value("128")
        expect(page.get_by_text("w is 128 now; Wide comes to 148.")).to_be_visible()
        page.get_by_label("Number to change").first.click()
        page.get_by_role("option", name="Rim · Centre, z").click()
        aim.fill("150")
        aim.press("Enter")
        page.get_by_role("button", name="Reach it").click()
        expect(page.get_by_text("It hardly changes with Rim.centre.z")).to_be_visible()
        page.mouse.click(640, 620)
        page.keyboard.press("Control+z")
        expect(page.get_by_role("textbox", name="Dimension w")).to_have_value("100")
