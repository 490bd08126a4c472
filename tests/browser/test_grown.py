"""Faces grown from curves: swept along a rail and between two, turned round an axis, copied, measured, made of fewer
CVs; and a demo part that follows its first curve.
"""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from pamble.core.spline.evaluate import surface_points
from tests.browser.conftest import imported, opened
from tests.browser.steps import area, line_of
from tests.study.slabs import WALL, face


def curves(rows: dict[str, list]) -> list[dict]:
    return [
        {"id": f"c{i}", "kind": "cv_curve", "name": name, "role": "construction", "params": {"curve": {"control": row}}}
        for i, (name, row) in enumerate(rows.items())
    ]


@pytest.fixture
def handle(page, pamble):
    """A rail, another beside it, a section over both, and the profile of a cup."""
    rows = {
        "Rail": [[0, 0, 0], [40, 10, 0], [80, 10, 0], [120, 0, 0]],
        "Other rail": [[0, 30, 0], [40, 45, 0], [80, 45, 0], [120, 30, 0]],
        "Section": [[0, 0, 0], [0, 6, 16], [0, 20, 10], [0, 30, 0]],
        "Profile": [[150, 0, 0], [150, 0, 40]],
        "Axis": [[170, 0, 0], [170, 0, 10]],
    }
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Handle", "features": curves(rows)})


def test_a_section_is_swept_along_one_rail_and_two_and_a_profile_turned_and_all_of_it_measured(handle):
    page = handle.page
    card = page.get_by_label(re.compile("^Card of "))
    by_name = page.locator(".by-name")
    handle.button("Primaries").click()
    handle.more("Sweep")
    # Lines that do not meet: by how much is said, and nothing is stored.
    for name in ("Axis", "Section"):
        by_name.get_by_role("button", name=name, exact=True).click()
    expect(page.get_by_role("alert")).to_contain_text("mm")
    page.keyboard.press("Enter")
    handle.let_go()
    assert not handle.features("sweep")
    handle.more("Sweep")
    for name in ("Rail", "Section"):
        by_name.get_by_role("button", name=name, exact=True).click()
    expect(card).to_contain_text("Deviation")
    card.get_by_label("The section").click()
    page.get_by_role("option", name="keeps its direction").click()
    # The list still has the focus: what was chosen in it is taken back all the same.
    page.keyboard.press("Control+z")
    expect(card.get_by_label("The section")).to_have_value("turns with the path")
    page.keyboard.press("Control+Shift+z")
    expect(card.get_by_label("The section")).to_have_value("keeps its direction")
    handle.button("Keep").click()
    expect(line_of(page, "Sweep")).to_be_visible()
    (made,) = handle.features("sweep")
    assert made["params"]["way"] == "fixed"
    # A second rail: the section is sized to the way between both; taken back, and done again.
    line_of(page, "Sweep").click()
    card.get_by_role("button", name="Second rail: pick a line").click()
    by_name.get_by_role("button", name="Other rail", exact=True).click()
    handle.stored(2)
    assert handle.features("sweep")[0]["params"]["second"]["feature"] == "c1"
    handle.let_go()
    page.keyboard.press("Control+z")
    handle.stored(3)
    assert handle.features("sweep")[0]["params"]["second"] is None
    page.keyboard.press("Control+Shift+z")
    handle.stored(4)
    # A profile about a line, by half a turn: half the wall of a cylinder.
    handle.more("Revolve")
    for name in ("Profile", "Axis"):
        by_name.get_by_role("button", name=name, exact=True).click()
    card.get_by_role("textbox", name="To", exact=True).fill("180")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(line_of(page, "Revolve")).to_be_visible()
    handle.let_go()
    handle.button("Check").click()
    handle.button("Area and volume").click()
    by_name.get_by_role("button", name="Revolve", exact=True).click()
    assert area(card) == pytest.approx(np.pi * 20 * 40, abs=0.1)


def test_a_face_is_rebuilt_with_its_deviation_mirrored_and_joined_with_its_image(handle):
    page = handle.page
    card = page.get_by_label(re.compile("^Card of "))
    by_name = page.locator(".by-name")
    handle.button("Primaries").click()
    handle.button("Extrude").click()
    handle.button("Section").click()
    page.keyboard.press("Enter")
    expect(line_of(page, "Extrude")).to_be_visible()
    handle.let_go()
    # Of a lower degree than the shape has: the deviation is told before anything is kept.
    handle.more("Rebuild")
    by_name.get_by_role("button", name="Extrude", exact=True).click()
    card.get_by_role("textbox", name="Degree along u").fill("2")
    page.keyboard.press("Enter")
    expect(card).to_contain_text(re.compile(r"Deviation0\.0\d+ mm"))
    card.get_by_role("textbox", name="Degree along u").fill("5")
    page.keyboard.press("Enter")
    expect(card).to_contain_text("Deviation0 mm")
    handle.button("Keep").click()
    handle.let_go()
    expect(line_of(page, "Extrude").locator("..")).to_contain_text("6×2")
    handle.more("Copy, mirror, array")
    by_name.get_by_role("button", name="Extrude", exact=True).click()
    card.get_by_text("mirror", exact=True).click()
    for axis, value in (("X", "1"), ("Y", "0")):
        card.get_by_role("textbox", name=f"Mirror square to {axis}").fill(value)
        page.keyboard.press("Enter")
    handle.button("Keep").click()
    handle.let_go()
    copy = "Copy, mirror, array"
    expect(line_of(page, copy)).to_be_visible()
    # Both halves run on into each other: one face, as long as both, with no joint left.
    handle.more("Join faces")
    for name in ("Extrude", copy):
        by_name.get_by_role("button", name=name, exact=True).click()
    expect(card).to_contain_text("gone without a trace")
    expect(card).to_contain_text("Gap at the joint0 mm")
    handle.button("Keep").click()
    handle.let_go()
    handle.button("Check").click()
    handle.button("Area and volume").click()
    by_name.get_by_role("button", name="Extrude", exact=True).click()
    whole = area(card)
    expect(card).to_contain_text("Open edges")
    handle.let_go()
    page.keyboard.press("Control+z")
    handle.button("Area and volume").click()
    by_name.get_by_role("button", name="Extrude", exact=True).click()
    assert area(card) == pytest.approx(0.5 * whole, rel=1e-6)


@pytest.fixture
def van(page, pamble):
    """The demo part that grows from curves, as a newcomer opens it."""
    for desk in opened(page, pamble, {"demo": "van-cap"}):
        page.locator(".part[data-drawn=true]").wait_for()
        yield desk


def test_a_demo_part_follows_its_first_curve_and_comes_back(van):
    page = van.page
    before = van.features()
    first = before[0]["name"]
    ledger = page.get_by_label("Seam ledger")
    expect(van.row("Shoulder · Crown")).to_contain_text("holds")
    length = van.figures("Shoulder · Crown")["length"]
    page.get_by_text("By role", exact=True).click()
    for group in ("Lines", "Slabs"):
        expect(page.get_by_text(group, exact=True)).to_be_visible()
    page.get_by_text("In order", exact=True).click()
    line_of(page, first).click()
    page.keyboard.press("c")
    cv = van.button(f"CV 2 of {first}")
    van.drag(van.centre(cv), (0, -12))
    van.stored(1)
    # The part is made anew from its first curve to its last fillet, and holds.
    expect(page.locator(".line .state")).to_have_count(0, timeout=40_000)
    expect(ledger).not_to_contain_text("over")
    moved = van.features()[0]["params"]["curve"]["control"]
    assert moved != before[0]["params"]["curve"]["control"]
    assert van.features()[1:] == before[1:]
    assert abs(van.figures("Shoulder · Crown")["length"] - length) > 0.05
    page.keyboard.press("Control+z")
    van.stored(2)
    assert van.features()[0]["params"]["curve"]["control"] == before[0]["params"]["curve"]["control"]
    expect(page.locator(".line .state")).to_have_count(0, timeout=40_000)
    assert van.figures("Shoulder · Crown")["length"] == length


@pytest.fixture
def rim(page, pamble):
    """A wall, and a section that begins at the start of its upper edge."""
    x, y, z = surface_points(WALL, [0.0], [1.0])[0].tolist()
    section = [[x, y, z], [x, y - 2, z + 10], [x, y + 8, z + 22], [x, y + 25, z + 26]]
    features = [face("wall", "Wall", WALL), *curves({"Section": section})]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Rim", "features": features})


def test_a_section_held_to_a_face_is_swept_along_its_edge_and_meets_it(rim):
    page = rim.page
    card = page.get_by_label("Card of Sweep")
    by_name = page.locator(".by-name")
    rim.button("Primaries").click()
    rim.more("Sweep")
    rim.button("Wall, v end").click()
    rim.button("Section").click()
    expect(card).to_contain_text("Deviation")
    card.get_by_label("The section").click()
    page.get_by_role("option", name="is held to a face").click()
    by_name.get_by_role("button", name="Wall", exact=True).click()
    expect(card).to_contain_text("Deviation")
    # As it comes it leaves the wall at an angle; told to meet it, it does, G1 and then G2.
    for order in ("G1", "G2"):
        card.get_by_text(order, exact=True).first.click()
        expect(rim.row("Sweep · Wall")).to_contain_text(order)
        expect(rim.row("Sweep · Wall")).to_contain_text("holds")
    page.keyboard.press("Control+z")
    expect(rim.row("Sweep · Wall")).to_contain_text("G1")
    page.keyboard.press("Control+Shift+z")
    expect(rim.row("Sweep · Wall")).to_contain_text("G2")
    rim.button("Keep").click()
    rim.stored(1)
    (made,) = rim.features("sweep")
    assert (made["params"]["way"], made["params"]["face"]["feature"], made["params"]["meets"]) == (
        "face",
        "wall",
        [2, 0],
    )
    seam = rim.figures("Sweep · Wall")
    assert seam["gap"] < 0.001
    assert seam["angle"] < 0.005
    # Its far edge in two.
    rim.let_go()
    rim.more("Split edge")
    rim.button("Sweep, u end").click()
    page.keyboard.press("Enter")
    rim.stored(2)
    expect(line_of(page, "Split edge")).to_be_visible()
