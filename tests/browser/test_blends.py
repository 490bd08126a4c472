"""Blends and fillets beyond the plain ones, as a user makes them."""

import re

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from playwright.sync_api import expect

from pamble.core.curves.shapes import circle
from pamble.core.exchange.step import read_step
from pamble.core.spline.closest import to_curve
from pamble.core.spline.knots import surface_part
from pamble.core.surfaces.extrude import extrude
from pamble.study.stored import FaceData
from tests.browser.conftest import imported
from tests.browser.steps import line_of
from tests.cli.test_fillet_ends import small_chamfers
from tests.cli.test_fillet_shells import rod
from tests.core.fillets.test_dying import line_on
from tests.core.fillets.test_fillet import LAWS, slab, turned_away
from tests.core.joining.test_chains import gap, parted
from tests.other_library import written
from tests.shapes import panel, plane
from tests.study.slabs import face, step


def test_the_crest_of_a_blend_is_held_level_and_measured(desk):
    page = desk.page
    page.keyboard.press("b")
    desk.button("Crown, v end").click()
    desk.button("Flank, v start").click()
    card = page.get_by_label("Card of Blend")

    def crest() -> list[float]:
        return [float(x) for x in re.findall(r"Crest, (?:least|most)([\d.]+) mm", card.inner_text().replace("\n", ""))]

    expect(card).to_contain_text("Crest, most")
    least, most = crest()
    assert most > 1.02 * least
    card.get_by_text("Crest and limit").click()
    card.get_by_role("switch", name="Hold the crest level").press("Space")
    expect(card.get_by_label("Height: found or chosen")).to_contain_text("mm found")
    page.wait_for_function(
        "() => { const t = document.querySelector('[aria-label=\"Card of Blend\"]').innerText.replaceAll('\\n', '');"
        " const [a, b] = ['least', 'most'].map((w) => +(t.match(new RegExp(`Crest, ${w}([0-9.]+)`)) || [])[1]);"
        " return b < 1.005 * a; }"
    )
    assert least < crest()[0] <= crest()[1] < most
    desk.button("Keep").click()
    expect(line_of(page, "Blend")).to_be_visible()
    assert all("holds" in row for row in page.get_by_role("row", name="Blend").all_inner_texts())


@pytest.fixture
def corner(page, pamble):
    """A deck and the two walls below it that meet in a sharp edge."""
    deck = plane((0, 0, 0), (60, 0, 0), (0, 40, 0))
    front = plane((0, 0, 0), (60, 0, 0), (0, 0, -30))
    right = plane((60, 0, 0), (0, 40, 0), (0, 0, -30))
    faces = [face("deck", "Deck", deck), face("front", "Front", front), face("right", "Right", right)]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Corner", "features": faces})


def test_two_fillets_beside_an_edge_that_stays_sharp_are_mitred(corner):
    page = corner.page
    corner.button("Blends").click()
    corner.button("Fillet").click()
    corner.button("Deck, v start").click()
    card = page.get_by_label("Card of Fillet")
    corner.button("Creases: pick more").click()
    card.get_by_role("button", name="Deck, u end", exact=True).click()
    # The walls are found over the seams.
    for name in ("Front", "Right"):
        expect(card.get_by_role("button", name=name, description="Take out")).to_be_visible()
    card.get_by_label("Radius", exact=True).fill("6")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(line_of(page, "Fillet")).to_be_visible()
    rows = page.get_by_role("row", name="Fillet")
    expect(rows).to_have_count(5)
    assert all("holds" in row for row in rows.all_inner_texts())
    mitre = corner.figures("Fillet · Fillet, piece 2")
    assert mitre["gap"] == 0
    # The mitre of two quarter cylinders of radius 6 is a quarter of an ellipse with the half axes 6 and 6 times root 2.
    assert mitre["length"] == pytest.approx(11.5)
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    expect(rows).to_have_count(0)
    page.keyboard.press("Control+Shift+z")
    expect(rows).to_have_count(5)


@pytest.fixture
def lid(page, pamble, tmp_path):
    """A box whose upright edges have small chamfers, with a hole beside an edge of its deck."""
    solid = BRepAlgoAPI_Cut(small_chamfers(), rod(50, 7, -5, (0, 0, 1), 4, 60)).Shape()
    found = {f"Face {n + 1}": item.face for n, item in enumerate(read_step(written(solid, tmp_path / "lid.step")))}
    steps = [
        step(f"n{n}", "face", name, face=FaceData.of(one).model_dump()) for n, (name, one) in enumerate(found.items())
    ]
    for desk in imported(page, pamble, {"format": "pamble-study", "name": "Lid", "features": steps}):
        yield desk, found


def test_a_fillet_takes_along_what_it_runs_over_and_ends_on(lid):
    """Chamfers that it consumes, the faces behind them, and the wall of a hole that its contact crosses."""
    desk, found = lid
    page = desk.page
    middle = np.array([[50.0, 0.0, 40.0]])
    edges = [(name, e) for name, one in found.items() for e in one.edges]
    name, edge = min(edges, key=lambda row: float(to_curve(row[1].space, middle).distance[0]))
    desk.button("Blends").click()
    desk.button("Fillet").click()
    desk.button(f"{name}, {edge.name}").click()
    card = page.get_by_label("Card of Fillet")
    radius = card.get_by_label("Radius", exact=True)
    radius.fill("5")
    radius.press("Enter")
    # Along it, at both its ends, behind those, and round the hole.
    expect(card.get_by_role("button", description="Take out")).to_have_count(7)
    rows = page.get_by_role("row", name="Seam Fillet")
    expect(rows.first).to_be_visible()
    desk.button("Keep").click()
    expect(line_of(page, "Fillet")).to_be_visible()
    expect(card).not_to_contain_text("not cut back")
    # Both halves of the contact beside the hole, the other one, the hole's wall and the four faces at its ends.
    found_rows = page.get_by_role("row", name=re.compile("^Seam .*Fillet"))
    expect(found_rows).to_have_count(8)
    assert all("holds" in row for row in found_rows.all_inner_texts())
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    expect(found_rows).to_have_count(0)


@pytest.fixture
def fading(page, pamble):
    """Two slabs over a crease that fades to nothing, with a gap between them."""
    whole = slab()
    upper = surface_part(whole, None, (0, 0.93))
    lower = surface_part(turned_away(whole, LAWS["fades evenly"]), None, (0.08, 1))
    faces = [face("upper", "Upper", upper), face("lower", "Lower", lower)]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Fading", "features": faces})


def test_spans_are_picked_on_the_curve_of_what_they_reach(fading):
    page = fading.page
    fading.button("Blends").click()
    page.keyboard.press("b")
    fading.button("Upper, v end").click()
    fading.button("Lower, v start").click()
    expect(page.get_by_role("row", name="Blend")).to_have_count(2)
    card = page.get_by_label("Card of Blend")
    points = card.get_by_label("Trade-off between spans and accuracy").get_by_role("button")
    expect(points).to_have_count(5)
    # The fewest that reach the aim are proposed.
    expect(points.nth(4)).to_have_attribute("aria-pressed", "true")
    expect(points.nth(4)).to_have_accessible_name(re.compile(r"5 spans, 10 CVs along: 0\.\d+ times the aim"))
    # One that is clicked is taken, and Enter keeps the blend.
    points.nth(4).click()
    expect(card.get_by_label("Spans: found or chosen").get_by_label("chosen")).to_be_checked()
    page.keyboard.press("Enter")
    line_of(page, "Blend").click()
    five = fading.figures("Blend · Lower")
    points.nth(0).click()
    expect(points.nth(0)).to_have_attribute("aria-pressed", "true")
    expect(points).to_have_count(5)
    expect(card.get_by_label("Spans: found or chosen").get_by_label("chosen")).to_be_checked()
    assert fading.figures("Blend · Lower")["curvature"] > 2 * five["curvature"]
    points.nth(4).press("Enter")
    expect(points.nth(4)).to_have_attribute("aria-pressed", "true")
    page.keyboard.press("Escape")
    expect(page.get_by_text("step 3 · stored")).to_be_visible()


@pytest.fixture
def ridge(page, pamble):
    """Two slabs at right angles with a gap between them, and a line over it."""
    deck = panel(lambda x, y: (x, y, 8 * np.sin(x / 60) + 0.001 * x * y), (5, 5), (0, 240), (0, 80))
    wall = panel(lambda x, y: (x, 118 + 4 * np.sin(x / 70), 8 * np.sin(x / 60) - 22 - y), (5, 5), (0, 240), (0, 70))
    x = np.linspace(0, 240, 6)
    over = np.stack([x, 106 + 3 * np.sin(x / 80), 2 + 8 * np.sin(x / 60)], axis=1)
    curve = {"degree": 5, "knots": [0.0] * 6 + [1.0] * 6, "control": over.tolist()}
    line = {"id": "line", "kind": "cv_curve", "name": "Ridge", "role": "theoretical", "params": {"curve": curve}}
    features = [face("deck", "Deck", deck), face("wall", "Wall", wall), line]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Ridge", "features": features})


def test_a_blend_passes_a_line_and_a_loft_runs_to_a_point(ridge):
    page = ridge.page
    page.keyboard.press("b")
    ridge.button("Deck, v end").click()
    ridge.button("Wall, v start").click()
    card = page.get_by_label("Card of Blend")
    expect(ridge.row("Blend · Wall")).to_contain_text("holds")
    card.get_by_text("Sections and guides").click()
    card.get_by_text("Sections", exact=True).locator("..").get_by_role("button").last.click()
    page.locator(".by-name").get_by_role("button", name="Ridge", exact=True).click()
    expect(card).to_contain_text("Off the sections")
    for seam in ("Blend · Deck", "Blend · Wall"):
        expect(ridge.row(seam)).to_contain_text("holds")
    card.get_by_text("G3", exact=True).first.click()
    expect(card).to_contain_text("Off the sections")
    ridge.button("Keep").click()
    ridge.stored(1)
    (kept,) = ridge.features("edge_blend")
    assert [(s["feature"], s["edge"]) for s in kept["params"]["sections"]] == [("line", "c0")]
    assert kept["params"]["continuity"] == [3, 2]
    page.keyboard.press("Control+z")
    ridge.stored(2)
    expect(line_of(page, "Blend")).to_have_count(0)
    ridge.button("Primaries").click()
    ridge.button("Loft").click()
    ridge.button("Deck, u end").click()
    card = page.get_by_label("Card of Loft")
    expect(card).to_contain_text("a point that the loft runs to")
    card.get_by_text("Points at the ends").click()
    card.get_by_text("To a point").locator("..").get_by_role("button").last.click()
    expect(card).to_contain_text("click on the part")
    page.mouse.click(980, 330)
    expect(card).to_contain_text("Off the sections")
    ridge.button("Keep").click()
    ridge.stored(3)
    (loft,) = ridge.features("loft")
    assert loft["params"]["to_point"] is not None


@pytest.fixture
def sill(page, pamble):
    """A deck with a line on it, and beyond a gap a wall in three faces that lie all ways."""
    deck, wall = gap(1, "90 to 110")
    drawn = line_on(deck.surface, lambda t: 0.6 * t, lambda t: 0.3 + 0.05 * t)
    walls = [face(f"w{n}", f"Wall {n + 1}", own.surface) for n, (own, _) in enumerate(parted(wall, 5))]
    curve = {"degree": 5, "knots": drawn.knots.tolist(), "control": drawn.control.tolist()}
    line = {"id": "line", "kind": "cv_curve", "name": "Line", "role": "theoretical", "params": {"curve": curve}}
    faces = [face("deck", "Deck", deck.surface), *walls, line]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Sill", "features": faces})


def test_a_blend_runs_on_over_several_faces_and_a_step_dies_out_in_the_deck(sill):
    page = sill.page
    sill.button("Blends").click()
    page.keyboard.press("b")
    sill.button("Deck, v end").click()
    sill.button("Wall 1, v end").click()
    card = page.get_by_label("Card of Blend")
    expect(sill.row("Blend · Wall 1")).to_contain_text("holds")
    card.get_by_text("Over several faces").click()
    for edge in ("Wall 2, u start", "Wall 3, v start"):
        card.get_by_text("The second runs on in").locator("..").get_by_role("button").last.click()
        sill.button(edge).last.click()
        expect(sill.row(f"Blend · {edge[:6]}")).to_contain_text("holds")
    expect(sill.row("Blend · Wall 1")).to_contain_text("holds")
    sill.button("Keep").click()
    sill.button("Drafted step").click()
    page.locator(".by-name").get_by_role("button", name="Deck", exact=True).click()
    page.locator(".by-name").get_by_role("button", name="Line", exact=True).click()
    expect(page.get_by_role("row", name="Drafted step")).to_have_count(5)
    handle = page.get_by_role("slider", name="Height handle")
    expect(handle).to_have_attribute("aria-valuenow", "4")
    sill.drag(sill.centre(handle), (0, -20))
    card = page.get_by_label("Card of Drafted step")
    expect(card.get_by_role("textbox", name="Height at its start")).not_to_have_value("4")
    page.keyboard.press("Control+z")
    expect(card.get_by_role("textbox", name="Height at its start")).to_have_value("4")
    sill.at_rest()
    sill.button("Keep").click()
    expect(line_of(page, "Drafted step")).to_be_visible()
    expect(sill.row("Blend · Deck")).to_contain_text("holds")


@pytest.fixture
def spout(page, pamble):
    """A pipe whose upper rim is open, and a wall behind it."""
    pipe = extrude(circle(np.array([0.0, 0.0, 0.0]), np.array([0, 0, 1.0]), 25.0), np.array([0, 0, 1.0]), 0.0, 50.0)
    wall = panel(lambda x, y: (x - 150, 60 + 2e-4 * (x - 150) ** 2, y - 10))
    faces = [face("pipe", "Pipe", pipe), face("wall", "Wall", wall)]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Spout", "features": faces})


def test_a_rim_runs_to_a_point_in_space_and_to_one_on_a_face(spout):
    page = spout.page
    page.keyboard.press("b")
    spout.button("Pipe, v end").click()
    card = page.get_by_label("Card of Blend")
    card.get_by_text("a point", exact=True).click()
    expect(card).to_contain_text("click to place")
    expect(card.get_by_role("button", name="Keep")).to_be_disabled()
    page.mouse.click(640, 200)
    expect(card).to_contain_text("In the point, curvature")
    # An apex as high over the rim as that is wide.
    for axis, value in zip("XYZ", ("0", "0", "75"), strict=True):
        card.get_by_label(f"Point {axis}").fill(value)
        page.keyboard.press("Enter")
    expect(spout.row("Blend · Pipe")).to_contain_text("holds")
    expect(card).to_contain_text("In the point, angle0°")
    spout.button("Keep").click()
    spout.stored(1)
    (kept,) = spout.features("edge_blend")
    assert (kept["params"]["point"], kept["params"]["second"]) == ([0, 0, 75], None)
    page.keyboard.press("Control+z")
    spout.stored(2)
    expect(line_of(page, "Blend")).to_have_count(0)
    page.keyboard.press("Control+Shift+z")
    spout.stored(3)
    line_of(page, "Blend").click()
    # Put onto the wall, it meets that there.
    card.get_by_role("button", name="Onto the face: pick a face").click()
    page.locator(".by-name").get_by_role("button", name="Wall", exact=True).click()
    spout.stored(4)
    (kept,) = spout.features("edge_blend")
    assert kept["params"]["on_face"]["feature"] == "wall"
    expect(spout.row("Blend · Pipe")).to_contain_text("holds")
