"""Sections that match where told to, and a body tried by sections."""

import json
import re

import pytest
from playwright.sync_api import expect

from tests.browser.conftest import imported
from tests.browser.steps import line_of
from tests.conftest import ROOT


def step(id, kind, name, **params):
    return {"id": id, "kind": kind, "name": name, "role": "primary", "params": params}


@pytest.fixture
def lofted(page, pamble):
    """A face through two lines of unlike pace."""
    near, far = (
        [[0, 0, 0], [30, 20, 0], [70, 20, 0], [100, 0, 0]],
        [[0, 60, 20], [10, 90, 20], [60, 60, 20], [100, 60, 20]],
    )
    curves = [step(f"s{i}", "cv_curve", f"Line {i + 1}", curve={"control": r}) for i, r in enumerate((near, far))]
    loft = step("loft", "loft", "Skin", sections=[{"feature": c["id"], "edge": "c0"} for c in curves])
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Visor", "features": [*curves, loft]})


@pytest.fixture
def dryer(page, pamble):
    yield from imported(page, pamble, json.loads((ROOT / "docs" / "examples" / "dryer-idea.json").read_bytes()))


def kept(desk, id):
    return next(f["params"] for f in desk.features() if f["id"] == id)


def test_points_of_two_sections_are_brought_together_on_the_part(lofted):
    desk, page = lofted, lofted.page
    line_of(page, "Skin").click()
    card = page.get_by_label("Card of Skin")
    count = card.get_by_role("textbox", name="Matching points")
    count.fill("1")
    count.press("Enter")
    point = page.get_by_role("slider", name="Point 1 on section 2 handle")
    expect(point).to_have_attribute("aria-valuenow", "0.5")
    desk.drag(desk.centre(point), (-40, 0))
    expect(point).not_to_have_attribute("aria-valuenow", "0.5")
    expect(card).to_contain_text("Off the sections")
    desk.stored(2)
    (row,) = kept(desk, "loft")["matched"]
    assert row[0] is None
    assert 0.05 < row[1] < 0.95
    page.keyboard.press("Control+z")
    expect(point).to_have_attribute("aria-valuenow", "0.5")
    way = page.get_by_role("switch", name="Way of section 2")
    way.click()
    desk.stored(4)
    assert kept(desk, "loft")["turned"] == [2]
    expect(way).to_be_checked()
    way.click()
    desk.stored(5)
    assert kept(desk, "loft")["turned"] == []


def test_sections_of_a_body_are_moved_turned_and_sized_and_the_skin_follows(dryer):
    desk, page = dryer, dryer.page
    line_of(page, "Body sections").click()
    card = page.get_by_label("Card of Body sections")
    before = kept(desk, "sections")["middles"][1]
    middle = page.get_by_role("slider", name="Middle of section 2 handle")
    page.keyboard.press("f")
    page.wait_for_timeout(800)
    at = middle.get_attribute("aria-valuetext")
    desk.drag(desk.centre(middle), (0, -30))
    expect(middle).not_to_have_attribute("aria-valuetext", at)
    desk.stored(1)
    after = kept(desk, "sections")["middles"]
    assert before is None
    assert after[1][0] == pytest.approx(-25.6, abs=0.01)  # it stays in its plane
    assert after[1][2] > 3
    turned = card.get_by_role("textbox", name="Turned by: 4")
    turned.fill("25")
    turned.press("Enter")
    expect(page.get_by_role("slider", name="Turn of section 4 handle")).to_have_attribute("aria-valuenow", "25")
    desk.stored(2)
    assert kept(desk, "sections")["turned"] == [None, None, 12.0, 25.0]
    line_of(page, "Skin").click()
    expect(page.get_by_label("Card of Skin")).to_contain_text(re.compile("Off the sections"))
    expect(page.get_by_text("has no shape")).to_have_count(0)
