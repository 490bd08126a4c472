"""A hole is filled at once, then laid out in patches whose hub is dragged on the part."""

import re

import pytest
from playwright.sync_api import expect

from pamble.study.stored import FaceData
from tests.browser.conftest import imported
from tests.core.patches.grounds import ground, hole
from tests.core.patches.test_hole import pierced


@pytest.fixture
def holed(page, pamble):
    """A panel with a five-sided hole."""
    known = ground(3, 40)
    params = {"face": FaceData.of(pierced(known, hole(known, 5))).model_dump(mode="json")}
    panel = {"id": "p", "kind": "face", "name": "Panel", "role": "primary", "params": params}
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Ladle", "features": [panel]})


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
    expect(page.get_by_text(re.compile("Fill · Panel")).first).to_be_visible()
    card.get_by_label("Layout").first.click()
    page.get_by_role("option", name="spokes, middles").click()
    expect(card).to_contain_text("Seam inside 5")
    ways = card.get_by_role("radiogroup", name="Ways to lay it out")
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
