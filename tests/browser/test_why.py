"""Why a seam is not quiet: told in the strip, gone to, and silent once the blend may follow."""

import re

import numpy as np
import pytest
from playwright.sync_api import expect

from tests.browser.conftest import imported
from tests.browser.steps import line_of
from tests.core.trace.panels import panels
from tests.study.slabs import face, ref, step


@pytest.fixture
def uneven(page, pamble):
    """Two panels with an uneven crease, and a blend of two spans between them."""
    (a, b), names, who = panels(np.random.default_rng(102), "crease")
    blend = step("blend", "edge_blend", "Blend", first=ref("a", names[0]), second=ref("b", names[1]), spans=2)
    features = [face("a", "Lid", a.surface), face("b", "Side", b.surface), blend]
    for desk in imported(page, pamble, {"format": "pamble-study", "name": "Tray", "features": features}):
        yield desk, ("Lid", "Side")[who]


def test_the_cause_is_told_gone_to_and_leads_to_its_step(uneven):
    desk, guilty = uneven
    page = desk.page
    desk.row(f"Blend · {guilty}").click()
    told = page.get_by_role("status", name="Why")
    expect(told).to_contain_text(f"The crease angle is uneven beside {guilty}")
    expect(told).to_contain_text(re.compile(r"needs \d+ spans, has 2"))
    desk.button("Go there").click()
    page.wait_for_timeout(900)
    desk.button(f"Open {guilty}").click()
    expect(page.get_by_label(f"Card of {guilty}")).to_be_visible()
    line_of(page, "Blend").click()
    page.get_by_label("Card of Blend").get_by_role("radiogroup", name="Spans").get_by_text("found").click()
    expect(desk.row(f"Blend · {guilty}")).to_contain_text("holds")
    desk.row(f"Blend · {guilty}").click()
    expect(told).to_contain_text(re.compile(r"needs \d+ spans, has (?!2$)\d+"))
    expect(told).not_to_contain_text("▲")
