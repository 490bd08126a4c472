"""A part grown from its curves: a net, its other half, a value that is reached, and all of it following."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from pamble.core.spline.knots import surface_part
from tests.browser.conftest import imported
from tests.browser.steps import area, line_of
from tests.core.patches.grounds import ground, window
from tests.study.slabs import face


@pytest.fixture
def hull(page, pamble):
    """Two rails and three ribs over them."""
    rows = {
        "Keel": [[0, 0, 20], [40, 0, 30], [80, 0, 30], [120, 0, 20]],
        "Rim": [[0, 60, 0], [40, 66, 0], [80, 66, 0], [120, 60, 0]],
        "Rib 1": [[0, 0, 20], [0, 25, 20], [0, 45, 15], [0, 60, 0]],
        "Rib 2": [[60, 0, 27.5], [60, 25, 27.5], [60, 50, 22], [60, 64.5, 0]],
        "Rib 3": [[120, 0, 20], [120, 25, 20], [120, 45, 15], [120, 60, 0]],
    }
    features = [
        {"id": f"c{i}", "kind": "cv_curve", "name": name, "role": "construction", "params": {"curve": {"control": row}}}
        for i, (name, row) in enumerate(rows.items())
    ]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Hull", "features": features})


def test_a_net_its_other_half_and_a_measure_follow_their_curves_and_a_value_is_reached(hull):
    desk, page = hull, hull.page
    card = page.get_by_label(re.compile("^Card of "))
    desk.button("Primaries").click()
    desk.button("Extrude").click()
    desk.button("Rim").click()
    card.get_by_label("Forward", exact=True).fill("10")
    page.keyboard.press("Enter")
    page.keyboard.press("Enter")
    expect(line_of(page, "Extrude")).to_be_visible()
    desk.let_go()
    # The ribs are drawn to the rails within a hundredth: the net tells by how much they miss.
    desk.button("Net").click()
    for name in ("Keel", "Rim", "Rib 1", "Rib 2", "Rib 3"):
        desk.button(name).click()
    expect(card).to_contain_text("They miss by")
    expect(card).to_contain_text("Off the curves")
    page.keyboard.press("Enter")
    expect(line_of(page, "Net")).to_be_visible()
    desk.more("Other half")
    # Nothing holds the net square to the plane: it is told, and G0 is what it keeps.
    seam = desk.row("Other half · Net")
    expect(seam).to_contain_text("over")
    card.get_by_role("radiogroup", name="Across the plane").get_by_text("G0", exact=True).click()
    expect(seam).to_contain_text("holds")
    page.keyboard.press("Enter")
    expect(line_of(page, "Other half")).to_be_visible()
    desk.let_go()
    desk.button("Check").click()
    desk.button("Area and volume").click()
    desk.button("all faces").click()
    expect(card).to_contain_text("Area")
    page.keyboard.press("Enter")
    expect(line_of(page, "Area and volume")).to_be_visible()
    before = area(card)
    card.get_by_text("Reach a value").click()
    card.get_by_role("combobox", name="What is to be reached").click()
    page.get_by_role("option", name="Area", exact=True).click()
    aim = card.get_by_role("textbox", name="Value of Area to reach")
    aim.fill(f"{before + 500:.1f}")
    aim.press("Enter")
    by = card.get_by_role("combobox", name="Number to change")
    by.click()
    page.get_by_role("option", name="Extrude · Forward").click()
    desk.button("Reach it").click()
    desk.stored(5)
    assert area(card) == pytest.approx(before + 500, abs=0.2)
    page.keyboard.press("Control+z")
    expect(card).to_contain_text(f"{before:,.1f}")
    desk.let_go()
    # A rib is pulled: net, other half and figures follow while the pointer is down; let go, all is exact.
    line_of(page, "Rib 2").click()
    page.keyboard.press("c")
    figure = page.locator(".line:has(.name[title='Area and volume'])")
    at_first = figure.inner_text()
    desk.drag(desk.centre(desk.button("CV 3 of Rib 2")), (0, -30), release=False)
    expect(figure).not_to_have_text(at_first)
    page.mouse.up()
    desk.stored(7)
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(seam).to_contain_text("holds")
    # A rail that leaves its ribs is told at the net, with the place; what hangs on it waits and stays.
    desk.let_go()
    line_of(page, "Keel").click()
    page.keyboard.press("c")
    desk.drag(desk.centre(desk.button("CV 2 of Keel")), (0, -40))
    expect(page.get_by_role("alert").filter(has_text="do not cross")).to_be_visible()
    expect(page.get_by_role("alert").filter(has_text="this step waits")).to_have_count(2)
    page.keyboard.press("Control+z")
    expect(page.get_by_role("alert")).to_have_count(0)


SLABS = ("South", "East", "North", "West")


@pytest.fixture
def dented(page, pamble):
    """A patch that was stirred, between four slabs that lie on one ground."""
    slabs = window(ground(1, 60))
    middle = surface_part(ground(1, 60), (0.35, 0.65), (0.3, 0.7))
    stirred = middle.with_control(middle.control + np.random.default_rng(1).normal(size=middle.control.shape))
    faces = {"Patch": stirred, **{name: one.surface for name, one in zip(SLABS, slabs, strict=True)}}
    steps = [face(name.lower(), name, surface) for name, surface in faces.items()]
    yield from imported(page, pamble, {"format": "pamble-study", "name": "Hood", "features": steps})


def test_a_side_is_matched_until_it_is_quiet_and_the_patch_is_replaced_from_its_neighbours(dented):
    desk, page = dented, dented.page
    card = page.get_by_label(re.compile("^Card of "))
    desk.button("Blends").click()
    desk.button("Match").click()
    desk.button("Patch, u end").click()
    desk.button("East, u start").click()
    expect(card).to_contain_text("CVs moved by up to")
    page.keyboard.press("Enter")
    seam = page.get_by_role("row", name=re.compile("^Seam (Patch · East|East · Patch)"))
    expect(seam).to_contain_text("holds")
    expect(card).to_contain_text("Round 3")
    desk.let_go()
    # The patch stays stirred inside: laid anew from its neighbours, of which one is found and three lie too far off.
    desk.button("Replace patch").click()
    desk.button("Patch").click()
    expect(card.get_by_role("button", description="Take out")).to_have_count(1)
    slabs, words = window(ground(1, 60)), {"u0": "u start", "u1": "u end", "v0": "v start", "v1": "v end"}
    for name in ("West", "South", "North"):
        side = slabs[SLABS.index(name)].side
        card.get_by_role("button", name=f"{name}, {words[side]}", exact=True).last.click()
    expect(card).to_contain_text("Side 4")
    desk.button("Keep").click()
    expect(line_of(page, "Replace patch")).to_be_visible()
    rows = page.get_by_role("row", name=re.compile("^Seam .*Patch"))
    expect(rows).to_have_count(4)
    assert all("holds" in row for row in rows.all_inner_texts())
    desk.let_go()
    page.keyboard.press("Control+z")
    expect(rows).to_have_count(1)
