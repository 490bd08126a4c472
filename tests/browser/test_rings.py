"""Blends between two holes, begun where one likes, and under a plane that they must not pass."""

import re

import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.gp import gp_Ax3, gp_Dir, gp_Pln, gp_Pnt
from playwright.sync_api import expect

from pamble.core.exchange.step import read_step
from pamble.study.stored import FaceData
from tests.browser.conftest import imported
from tests.browser.steps import line_of
from tests.cli.test_fillet_shells import rod
from tests.other_library import written
from tests.shapes import plane
from tests.study.slabs import face, step


@pytest.fixture
def decks(page, pamble, tmp_path):
    """Two decks one above the other, each with a round hole; the lower one leans."""
    steps, rims = [], []
    for name, z, lean, radius in (("Upper", 40, 0.0, 18), ("Lower", 0, 0.2, 28)):
        level = gp_Pln(gp_Ax3(gp_Pnt(0, 0, z), gp_Dir(lean, 0, 1)))
        whole = BRepBuilderAPI_MakeFace(level, -60, 60, -60, 60).Face()
        holed = BRepAlgoAPI_Cut(whole, rod(0, 0, -60, (0, 0, 1), radius, 200)).Shape()
        (item,) = read_step(written(holed, tmp_path / f"{name}.step"))
        steps.append(step(name.lower(), "face", name, face=FaceData.of(item.face).model_dump()))
        rims += [e.name for loop in item.face.loops[1:] for e in loop]
    for desk in imported(page, pamble, {"format": "pamble-study", "name": "Decks", "features": steps}):
        yield desk, rims


def test_a_blend_between_two_holes_begins_where_it_is_slid_to(decks):
    desk, rims = decks
    page = desk.page
    desk.button("Blends").click()
    page.keyboard.press("b")
    desk.button(f"Upper, {rims[0]}").click()
    desk.button(f"Lower, {rims[1]}").click()
    rows = page.get_by_role("row", name="Blend ·")
    expect(rows).to_have_count(2)
    # The joint goes part of the way round on one side: the blend twists as it is asked to.
    start = page.get_by_role("slider", name="Start handle, Lower side")
    expect(start).to_have_attribute("aria-valuenow", "0")
    desk.drag(desk.centre(start), (-50, 30))
    expect(start).to_have_attribute("aria-valuenow", re.compile(r"^0\.9"))
    page.keyboard.press("Control+z")
    expect(start).to_have_attribute("aria-valuenow", "0")
    page.keyboard.press("Control+Shift+z")
    expect(start).to_have_attribute("aria-valuenow", re.compile(r"^0\.9"))
    desk.button("Keep").click()
    expect(line_of(page, "Blend")).to_be_visible()
    for name in ("Upper", "Lower"):
        expect(desk.row(f"Blend · {name}")).to_contain_text("holds")


@pytest.fixture
def ridge(page, pamble):
    """Two slabs that lean against each other with a gap at the ridge, and a plane over it."""
    sides = [
        face(name.lower(), name, plane((0, y, -15), (80, 0, 0), (0, 2.6 * y, -40)))
        for name, y in (("Front", -15), ("Back", 15))
    ]
    roof = step("roof", "plane_parallel", "Roof", square_to="z", through=[0.0, 0.0, -8.0])
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Ridge", "features": [*sides, roof]})


def test_a_blend_keeps_off_a_plane_and_is_filled_until_it_just_meets_it(ridge):
    page = ridge.page
    ridge.button("Blends").click()
    page.keyboard.press("b")
    ridge.button("Front, v start").click()
    ridge.button("Back, v start").click()
    card = page.get_by_label("Card of Blend")
    for side in ("Front", "Back"):
        card.get_by_role("radiogroup", name=f"{side} side").get_by_text("G1", exact=True).click()
    card.get_by_text("Crest and limit").click()
    card.get_by_role("combobox", name="Limit plane").click()
    page.get_by_role("option", name="Roof").click()

    def away() -> float:
        text = card.inner_text().replace("\n", "")
        return float(re.search(r"Clearance from the limit(-?[\d.]+) mm", text).group(1).replace("−", "-"))

    expect(card).to_contain_text("Clearance from the limit")
    before = away()
    handle = page.get_by_role("slider", name="Fullness handle, Front side")
    ridge.drag(ridge.centre(handle), (6, -16))
    expect(handle).not_to_have_attribute("aria-valuenow", "1")
    page.wait_for_timeout(400)
    assert away() < before - 0.1
    card.get_by_role("switch", name="Just meet the limit").press("Space")
    expect(card).to_contain_text(re.compile(r"Clearance from the limit\s*-?0(\.000\d*)? mm"))
    ridge.button("Keep").click()
    expect(line_of(page, "Blend")).to_be_visible()
    assert abs(away()) < 1e-3
    (made,) = ridge.features("edge_blend")
    assert made["params"]["meet"] is True
