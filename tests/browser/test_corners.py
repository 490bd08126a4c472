"""A hole is filled at once, then laid out in patches whose hub is dragged on the part."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from pamble.core.faces.face import Face
from pamble.core.spline.evaluate import curve_points
from pamble.study.stored import FaceData
from tests.browser.conftest import imported
from tests.browser.steps import line_of
from tests.core.corners.test_four import branches
from tests.core.patches.grounds import edge, ground, hole, mitred
from tests.core.patches.test_hole import pierced
from tests.shapes import plane


def study_of(names, faces) -> dict:
    """A study of faces by name."""
    steps = [
        {"id": f"n{i}", "kind": "face", "name": name, "role": "primary",
         "params": {"face": FaceData.of(face).model_dump(mode="json")}}
        for i, (name, face) in enumerate(zip(names, faces, strict=True))
    ]  # fmt: skip
    return {"format": "pamble-study", "name": "Grip", "features": steps}


@pytest.fixture
def holed(page, pamble):
    """A panel with a five-sided hole, and a curve from a side of it to a place inside."""
    known = ground(3, 40)
    sides = hole(known, 5)
    params = {"face": FaceData.of(pierced(known, sides)).model_dump(mode="json")}
    panel = {"id": "p", "kind": "face", "name": "Panel", "role": "primary", "params": params}
    line = edge(known, "flow", curve_points(sides[0].pcurve, [0.4])[0], (0.53, 0.48)).space
    curve = {"degree": line.degree, "knots": line.knots.tolist(), "control": line.control.tolist()}
    flow = {"id": "c", "kind": "cv_curve", "name": "Flow", "role": "theoretical", "params": {"curve": curve}}
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Ladle", "features": [panel, flow]})


def test_a_hole_is_filled_and_laid_out_round_a_hub_that_is_dragged(holed):
    desk, page = holed, holed.page
    desk.button("Corners").click()
    desk.button("Fill").click()
    card = page.get_by_label("Card of Fill")
    card.get_by_role("button", name=re.compile("u end$")).last.click()
    desk.button("round the hole").click()
    expect(page.get_by_text("on the outer border of the part")).to_be_visible()
    card.get_by_role("button", name="Panel, u end").first.click()
    card.get_by_role("button", name=re.compile("h02$")).last.click()
    desk.button("round the hole").click()
    expect(card).to_contain_text("one patch, trimmed")
    expect(page.get_by_text("Fill, side 2 · Panel", exact=True)).to_be_visible()
    # The others are built meanwhile and ranked as they come.
    ways = card.get_by_role("radiogroup", name="Ways to lay it out")
    expect(ways.get_by_role("radio", name=re.compile("holds, the best of those that were built"))).to_have_count(1)
    card.get_by_label("Layout").first.click()
    page.get_by_role("option", name="spokes, middles").click()
    expect(card).to_contain_text("Seam inside 5")
    expect(page.get_by_role("slider", name="Hub")).to_be_visible()
    card.get_by_role("button", name="Seams along curves: pick more").click()
    card.get_by_role("button", name="Flow", exact=True).click()
    expect(card).to_contain_text("Seams keep to curves within")
    expect(page.get_by_role("slider", name="Hub")).to_have_count(0)
    card.get_by_title("Take out").filter(has_text="Flow").click()
    expect(card).not_to_contain_text("Seams keep to curves within")
    expect(ways.get_by_role("radio")).to_have_count(16)
    ways.get_by_role("radio", name=re.compile("^two, ")).first.click()
    expect(ways.get_by_role("radio", checked=True)).to_have_accessible_name(re.compile("^two, .*holds"))
    expect(card.get_by_label("Layout").first).to_have_value("as picked below")
    card.get_by_label("Layout").first.click()
    page.get_by_role("option", name="spokes, middles").click()
    foot = page.get_by_role("slider", name="Spoke's foot on side 1 handle")
    desk.drag(desk.centre(foot), (12, 10))
    expect(foot).not_to_have_attribute("aria-valuenow", "0.5")
    hub = page.get_by_role("slider", name="Hub")
    desk.drag(desk.centre(hub), (18, 4))
    desk.button("Keep").click()
    desk.stored(1)
    (fill,) = desk.features("fill_hole")
    assert len(fill["params"]["hub"]) == 3
    (moved,) = (v for v in fill["params"]["feet"] if v is not None)
    assert abs(moved - 0.5) > 0.01
    expect(page.locator(".ledger .state.over")).to_have_count(0)


@pytest.fixture
def branched(page, pamble):
    """A panel whose three branches run into each other round a six-sided hole."""
    faces = branches(ground(2, 25), (95, 215, 325), 0.05, 0.18)
    names = [f"{'Strip' if n % 2 else 'Branch'} {n // 2 + 1}" for n in range(len(faces))]
    yield from imported(page, pamble, study_of(names, faces))


def test_faces_are_cut_back_where_branches_meet_and_one_patch_fills_the_four_sides(branched):
    desk, page = branched, branched.page
    desk.button("Corners").click()
    desk.button("Cut back").click()
    card = page.get_by_label("Card of Cut back")
    card.get_by_role("button", name="Branch 1, hole").click()
    desk.button("round the hole").click()
    ways = card.get_by_role("radiogroup", name="Ways to leave four sides").get_by_role("radio")
    expect(ways.first).to_be_checked()
    ways.nth(1).click()
    expect(ways.nth(1)).to_be_checked()
    desk.at_rest()
    pulled = page.get_by_role("slider", name="Beyond corner 1 handle")
    before = float(pulled.get_attribute("aria-valuenow") or 0)
    pulled.focus()
    page.keyboard.press("ArrowUp")
    expect(pulled).not_to_have_attribute("aria-valuenow", str(before))
    typed = card.get_by_label("Beyond corner: 1")
    typed.fill("5")
    typed.press("Enter")
    expect(pulled).to_have_attribute("aria-valuenow", "5")
    desk.button("Keep").click()
    desk.stored(1)
    desk.button("Fill").click()
    card = page.get_by_label("Card of Fill")
    card.get_by_role("button", name="Branch 2, hole").click()
    desk.button("round the hole").click()
    expect(card).to_contain_text("Side 4")
    card.get_by_label("Layout").first.click()
    page.get_by_role("option", name="the best of all").click()
    expect(card).not_to_contain_text("Side 5")
    desk.button("Keep").click()
    desk.stored(2)
    expect(page.locator(".ledger .state.over")).to_have_count(0)
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    desk.stored(4)
    assert not desk.features("cut_back")


@pytest.fixture
def dish(page, pamble, request):
    """Four faces round a hole, of which two contradict each other at its corner where one is lifted."""
    yield from imported(page, pamble, study_of([f"Slab {n}" for n in range(1, 5)], mitred(request.param)))


@pytest.mark.parametrize("dish", [0.4], indirect=True)
def test_a_corner_that_contradicts_is_mended_by_a_click_while_the_fill_is_in_work(dish):
    desk, page = dish, dish.page
    desk.button("Corners").click()
    desk.button("Fill").click()
    card = page.get_by_label("Card of Fill")
    card.get_by_role("button", name="Slab 1, v start", exact=True).last.click()
    desk.button("round the hole").click()
    expect(card).to_contain_text("sides 1 and 2 contradict each other")
    expect(desk.row("Fill · Slab 2")).to_contain_text("over")
    offers = card.get_by_role("group", name="What would mend it")
    expect(offers.get_by_role("button")).to_have_count(2)
    offers.get_by_role("button", name="Match Slab 2 to Slab 1 along their seam").click()
    desk.stored(1)
    expect(offers).to_have_count(0)
    expect(card).not_to_contain_text("contradict")
    page.keyboard.press("Enter")
    desk.stored(2)
    for n in range(1, 5):
        expect(desk.row(f"Fill · Slab {n}")).to_contain_text("holds")
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    desk.stored(4)
    expect(page.locator(".line")).to_have_count(4)


@pytest.mark.parametrize("dish", [0.0], indirect=True)
def test_the_fill_follows_a_cv_of_its_neighbour_while_the_pointer_is_down(dish):
    desk, page = dish, dish.page
    # What is named just so comes before what only begins so, as Fillet.
    page.keyboard.type("/fill")
    page.keyboard.press("Enter")
    card = page.get_by_label("Card of Fill", exact=True)
    expect(card).to_be_visible()
    expect(page.get_by_placeholder("What do you want to do")).to_have_count(0)
    page.wait_for_timeout(400)
    # Beside the part no hole is clicked into, in its middle one is.
    page.mouse.click(940, 450)
    expect(page.get_by_text("No hole lies under the pointer")).to_be_visible()
    page.mouse.click(625, 420)
    for n in range(1, 5):
        expect(card.get_by_role("button", name=f"Slab {n}, v start", exact=True).first).to_be_visible()
    expect(card).to_contain_text("one patch")
    page.keyboard.press("Enter")
    desk.stored(1)
    page.keyboard.press("Escape")
    line_of(page, "Slab 3").click()
    page.keyboard.press("c")
    # Of the third row, away from its ends: it bends the neighbour across the seam, and next to nothing at the corners.
    cv = desk.button("CV 3, 3 of Slab 3")
    cv.click()
    page.get_by_role("radiogroup", name="Drag along").get_by_text("N", exact=True).click()
    seam = desk.row("Fill · Slab 3")
    mismatch = seam.get_by_role("cell").nth(5)
    expect(mismatch).to_have_text("0")
    desk.drag(desk.centre(cv), (0, -4), release=False)
    expect(mismatch).not_to_have_text("0")
    expect(seam).to_contain_text("holds")
    page.mouse.up()
    desk.stored(2)
    for n in range(1, 5):
        expect(desk.row(f"Fill · Slab {n}")).to_contain_text("holds")
    page.keyboard.press("Control+z")
    desk.stored(3)
    expect(mismatch).to_have_text("0")


@pytest.fixture
def lidless(page, pamble):
    """A box of 60 x 30 mm without its lid."""
    corners = np.array([(0, 0, 0), (60, 0, 0), (60, 30, 0), (0, 30, 0)])
    walls = [plane(a, b - a, (0, 0, -20)) for a, b in zip(corners, np.roll(corners, -1, axis=0), strict=True)]
    yield from imported(page, pamble, study_of([f"Wall {n}" for n in range(1, 5)], [Face(w) for w in walls]))


def test_the_card_shows_which_sides_are_met_only_and_asks_for_more_where_it_is_told_to(lidless):
    desk, page = lidless, lidless.page
    desk.button("Corners").click()
    desk.button("Fill").click()
    card = page.get_by_label("Card of Fill")
    card.get_by_role("button", name="Wall 1, v start", exact=True).click()
    desk.button("round the hole").click()
    expect(card).to_contain_text("are met without tangents")
    sides = [card.get_by_role("radiogroup", name=f"Continuity of each side: Wall {n}, v start") for n in range(1, 5)]
    for side, order in zip(sides, ("G2", "G0", "G2", "G0"), strict=True):
        expect(side.get_by_role("radio", name=order)).to_be_checked()
    sides[1].get_by_text("G1", exact=True).click()
    expect(card).to_contain_text("contradict each other: their normals by 90.000°")
    expect(sides[1].get_by_role("radio", name="G1")).to_be_checked()
    expect(sides[3].get_by_role("radio", name="G0")).to_be_checked()
