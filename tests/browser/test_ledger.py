"""A long ledger: only what is in sight is drawn, all can be reached."""

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import imported
from tests.shapes import plane
from tests.study.slabs import face

SIDE = 8


@pytest.fixture
def tiles(page, pamble):
    """Tiles that meet along all their sides."""
    faces = [
        face(f"t{i}{j}", f"Tile {100 + SIDE * i + j}", plane((30 * i, 20 * j, 0), (30, 0, 0), (0, 20, 0)))
        for i in range(SIDE)
        for j in range(SIDE)
    ]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Tiles", "features": faces})


def test_of_a_hundred_seams_those_in_sight_are_drawn_and_any_is_found(tiles):
    page = tiles.page
    table = page.get_by_label("Seam ledger").get_by_role("table")
    count = 2 * SIDE * (SIDE - 1)
    expect(table).to_have_attribute("aria-rowcount", str(count + 1))
    drawn = table.locator("tr[aria-rowindex]")
    assert drawn.count() < 70
    page.get_by_label("Seam ledger").locator(".seams").evaluate("box => box.scrollTo(0, 1e6)")
    expect(table.locator(f"tr[aria-rowindex='{count + 1}']")).to_be_visible()
    expect(table.locator("tr[aria-rowindex='2']")).to_have_count(0)
    # What is found by typing is brought into sight.
    last = table.locator(f"tr[aria-rowindex='{count + 1}'] td").first.inner_text().removesuffix(" ⇅")
    page.get_by_label("Seam ledger").locator(".seams").evaluate("box => box.scrollTo(0, 0)")
    expect(table.locator("tr[aria-rowindex='2']")).to_be_visible()
    page.keyboard.press("/")
    page.get_by_placeholder("What do you want to do").fill(last)
    page.keyboard.press("Enter")
    expect(table.locator(f"tr[aria-rowindex='{count + 1}']")).to_be_visible()
