"""Primaries made from curves and edges by pointing and by name, pulled by their handles, joined with their
neighbours."""

from collections.abc import Iterator

import pytest
from playwright.sync_api import Page, expect

from pamble.core.spline.surface import Surface
from pamble.study.stored import SurfaceData
from tests.browser.conftest import Desk, imported, opened
from tests.browser.steps import line_of
from tests.core.patches.grounds import ground, window
from tests.shapes import plane


@pytest.fixture
def sheet(page: Page, pamble) -> Iterator[Desk]:
    yield from opened(page, pamble, {"name": "Trivet"})


@pytest.fixture
def panels(page: Page, pamble) -> Iterator[Desk]:
    """Four slabs round a hole."""
    sides = [
        {"id": f"n{i}", "kind": "face", "name": f"Slab {i + 1}", "role": "primary",
         "params": {"face": {"surface": SurfaceData.of(e.surface).model_dump()}}}
        for i, e in enumerate(window(ground(2, 40)))
    ]  # fmt: skip
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Panels", "features": sides})


def test_a_wall_is_extruded_and_pulled_and_follows_its_curve(sheet):
    page = sheet.page
    page.keyboard.press("Shift+T")
    page.wait_for_timeout(900)
    page.keyboard.press("d")
    for x, y in ((330, 440), (420, 330), (520, 300), (640, 380)):
        page.mouse.click(x, y)
    page.keyboard.press("Enter")
    expect(line_of(page, "CV curve")).to_be_visible()
    page.keyboard.press("0")
    page.wait_for_timeout(900)
    page.keyboard.press("e")
    card = page.get_by_label("Card of Extrude")
    expect(card.get_by_role("button", name="Curve: CV curve, pick another")).to_be_visible()
    handle = page.get_by_role("slider", name="Forward handle")
    sheet.drag(sheet.centre(handle), (0, -40))
    forward = float(handle.get_attribute("aria-valuenow"))
    assert forward > 55
    page.keyboard.press("Enter")
    expect(line_of(page, "Extrude")).to_be_visible()
    expect(page.get_by_label("Card of Extrude")).to_contain_text("4 × 2")
    sheet.more("Offset a face")
    expect(page.get_by_label("Card of Offset a face")).to_contain_text("Deviation")
    page.keyboard.press("Enter")
    expect(line_of(page, "Offset a face")).to_be_visible()
    line_of(page, "CV curve").click()
    page.keyboard.press("c")
    sheet.drag(sheet.centre(sheet.button("CV 2 of CV curve")), (0, -30))
    sheet.stored(4)
    expect(page.locator(".line .state.over")).to_have_count(0)


def test_a_hole_is_closed_by_a_boundary_patch_with_a_continuity_for_each_side(panels):
    page = panels.page
    panels.button("Primaries").click()
    panels.button("Boundary patch").click()
    for side in ("Slab 1, v end", "Slab 3, v start", "Slab 4, u end", "Slab 2, u start"):
        page.get_by_label("Card of Boundary patch").get_by_role("button", name=side, exact=True).last.click()
    card = page.get_by_label("Card of Boundary patch")
    expect(card).to_contain_text("Side 4")
    for n in range(1, 5):
        expect(panels.row(f"Boundary patch · Slab {n}")).to_contain_text("holds")
    card.get_by_role("radiogroup", name="Continuity of each side: Slab 3, v start").get_by_text("G0").click()
    expect(panels.row("Boundary patch · Slab 3")).to_contain_text("G0")
    page.keyboard.press("Enter")
    expect(line_of(page, "Boundary patch")).to_be_visible()
    line_of(page, "Slab 2").click()
    page.keyboard.press("c")
    panels.drag(panels.centre(panels.button("CV 3, 3 of Slab 2")), (0, -12))
    panels.stored(2)
    expect(panels.row("Boundary patch · Slab 2")).to_contain_text("holds")
    # A side leads by an arm of its own; one that is too long is not taken.
    line_of(page, "Boundary patch").click()
    card.get_by_text("Influence of the sides").click()
    arm = card.get_by_label("Own: Slab 1, v end")
    arm.fill("9")
    page.keyboard.press("Enter")
    arm.fill("0.8")
    page.keyboard.press("Enter")
    panels.stored(3)
    assert panels.features("boundary_patch")[0]["params"]["influences"] == [0.8, None, None, None]
    expect(card).to_contain_text("Laid out asfour sides")
    panels.let_go()
    page.keyboard.press("Control+z")
    panels.stored(4)
    assert panels.features("boundary_patch")[0]["params"]["influences"] == []


@pytest.fixture
def box(page: Page, pamble) -> Iterator[Desk]:
    """A deck whose front edge two walls share, and a side across its end."""
    faces = {
        "Deck": plane((0, 0, 0), (60, 0, 0), (0, 40, 0)),
        "Left wall": plane((0, 0, 0), (25, 0, 0), (0, 0, -30)),
        "Right wall": Surface.bezier([[[25, 0, 0], [25, 0, -30]], [[60, 0, 0], [70, 0, -30]]]),
        "Side": plane((60, 0, 0), (0, 40, 0), (10, 0, -30)),
    }
    features = [
        {"id": f"n{i}", "kind": "face", "name": name, "role": "primary",
         "params": {"face": {"surface": SurfaceData.of(s).model_dump()}}}
        for i, (name, s) in enumerate(faces.items())
    ]  # fmt: skip
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Box", "features": features})


def test_a_crease_is_filleted_over_the_faces_along_it_and_the_one_across_its_end(box):
    page = box.page
    box.button("Blends").click()
    box.button("Fillet").click()
    box.button("Deck, v start").click()
    card = page.get_by_label("Card of Fillet")
    # Both walls along the crease are found, and the face across its end; without one of them it is told where none lies
    # along it.
    expect(card.get_by_role("button", name="Side", description="Take out")).to_be_visible()
    card.get_by_role("button", name="Right wall", exact=True).click()
    expect(card).to_contain_text("none does beyond (25.00, 0.00, 0.00) mm")
    box.button("Other faces: pick more").click()
    card.get_by_role("button", name="Right wall", exact=True).click()
    handle = page.get_by_role("slider", name="Radius handle")
    expect(handle).to_have_attribute("aria-valuenow", "10")
    handle.press("ArrowDown")
    card.get_by_label("Radius", exact=True).fill("6")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(line_of(page, "Fillet")).to_be_visible()
    expect(page.get_by_label("Card of Fillet")).to_contain_text("Largest radius6 mm")
    rows = page.get_by_role("row", name="Fillet")
    expect(rows).to_have_count(6)
    assert all("holds" in row for row in rows.all_inner_texts())
    page.keyboard.press("Escape")
    page.keyboard.press("Control+z")
    expect(rows).to_have_count(0)
    expect(line_of(page, "Fillet")).to_have_count(0)
    page.keyboard.press("Control+Shift+z")
    expect(rows).to_have_count(6)
