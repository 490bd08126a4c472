"""What fades to nothing: a fillet of such a crease, and a feature line of given height."""

import pytest
from playwright.sync_api import expect

from tests import readback
from tests.browser.conftest import imported
from tests.browser.steps import line_of
from tests.core.fillets.test_dying import line_on
from tests.core.fillets.test_fillet import LAWS, slab, turned_away
from tests.study.slabs import face


@pytest.fixture
def hood(page, pamble):
    """Two slabs at a crease that fades to nothing, and a line on the upper one."""
    upper = slab()
    drawn = line_on(upper, lambda t: 0.6 * t, lambda t: 0.35 + 0.1 * t - 0.08 * t**2)
    curve = {"degree": 5, "knots": drawn.knots.tolist(), "control": drawn.control.tolist()}
    line = {"id": "line", "kind": "cv_curve", "name": "Line", "role": "theoretical", "params": {"curve": curve}}
    lower = turned_away(upper, LAWS["fades evenly"])
    features = [face("upper", "Upper", upper), face("lower", "Lower", lower), line]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Hood", "features": features})


def test_a_crease_that_fades_is_filleted_until_it_ends(hood, tmp_path):
    page = hood.page
    hood.button("Blends").click()
    hood.button("Fillet").click()
    hood.button("Upper, v end").click()
    card = page.get_by_label("Card of Fillet")
    radius = card.get_by_label("Radius", exact=True)
    radius.fill("40")
    radius.press("Enter")
    rows = page.get_by_role("row", name="Seam Fillet")
    expect(rows).to_have_count(2)
    for side in ("Upper", "Lower"):
        expect(hood.row(f"Fillet · {side}")).to_contain_text("holds")
    # Larger than the faces are hollow: told, with what works, and nothing is lost.
    radius.fill("4000")
    radius.press("Enter")
    expect(card).to_contain_text("largest radius that works")
    radius.fill("0")
    radius.press("Enter")
    expect(card).to_contain_text("a number above 0 is needed")
    page.keyboard.press("Control+z")
    expect(card).to_contain_text("largest radius that works")
    page.keyboard.press("Control+z")
    expect(radius).to_have_value("40")
    expect(hood.row("Fillet · Upper")).to_contain_text("holds")
    hood.button("Keep").click()
    hood.stored(1)
    page.keyboard.press("Control+z")
    hood.stored(2)
    expect(rows).to_have_count(0)
    page.keyboard.press("Control+Shift+z")
    hood.stored(3)
    expect(rows).to_have_count(2)
    out = page.request.get(page.url.replace("/study/", "/api/studies/") + "/export.step")
    (tmp_path / "out.step").write_bytes(out.body())
    upper, lower, fillet = readback.faces(tmp_path / "out.step")
    for cut in (upper, lower):
        assert readback.nearest_seam(fillet, cut, 1 / 400).gap < 0.002


def test_a_feature_line_stands_as_high_as_it_is_told(hood):
    page = hood.page
    hood.button("Blends").click()
    hood.button("Feature line").click()
    by_name = page.locator(".by-name")
    by_name.get_by_role("button", name="Upper", exact=True).click()
    by_name.get_by_role("button", name="Line", exact=True).click()
    card = page.get_by_label("Card of Feature line")
    expect(card).to_contain_text("Crease off its law")
    card.get_by_label("Given by").get_by_text("height").click()
    height = card.get_by_label("Height", exact=True)
    height.fill("2.5")
    height.press("Enter")
    handle = page.get_by_role("slider", name="Height handle")
    expect(handle).to_have_attribute("aria-valuenow", "2.5")
    hood.drag(hood.centre(handle), (0, -12))
    expect(height).not_to_have_value("2.5")
    page.keyboard.press("Control+z")
    expect(height).to_have_value("2.5")
    height.fill("60")
    height.press("Enter")
    expect(page.get_by_role("alert").first).to_contain_text("mm: make the strip wider")
    page.keyboard.press("Control+z")
    hood.at_rest()
    hood.button("Keep").click()
    expect(line_of(page, "Feature line")).to_be_visible()
    hood.stored(1)
    (kept,) = hood.features("feature_line")
    assert (kept["params"]["given"], kept["params"]["height"]) == ("height", 2.5)
    rows = page.get_by_role("row", name="Seam Feature line")
    # The crease stays sharp by intent; what runs out is met with curvature.
    assert sum("holds" in row for row in rows.all_inner_texts()) >= 2
