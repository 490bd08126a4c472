"""The list of studies: a demo worth looking at, small pictures, and ways to begin with what one has."""

import re

import trimesh
from playwright.sync_api import expect

from tests.browser.steps import line_of


def begin_demo(page, title):
    page.get_by_role("button", name="Demo", exact=True).click()
    page.get_by_role("menuitem", name=title, exact=True).click()
    page.locator(".part[data-drawn=true]").wait_for()


def test_the_demo_is_a_part_with_one_line_that_goes_away_for_good_and_a_picture_in_the_list(page, pamble):
    page.set_default_timeout(15_000)
    page.goto(pamble.url)
    begin_demo(page, "Parcel-van mirror cap with its front")
    ledger = page.get_by_label("Seam ledger")
    expect(ledger.get_by_role("row", name=re.compile("^Seam Shoulder · Crown"))).to_contain_text("holds")
    expect(ledger).not_to_contain_text("over")
    for name in ("Crown", "Flank", "Shoulder", "Front slab", "Cap cut", "Front cut"):
        expect(line_of(page, name)).to_be_visible()
    hint = page.get_by_role("note")
    expect(hint).to_contain_text("pull one of its CVs")
    with page.expect_response(lambda r: "/thumbnail" in r.url and r.request.method == "PUT") as stored:
        pass
    assert stored.value.status == 204
    page.get_by_role("button", name="Put this line away for good").click()
    expect(hint).to_have_count(0)
    page.get_by_role("link", name="Pamble, all studies").click()
    picture = page.locator(".entry", has_text="with its front").first.locator("img")
    expect(picture).to_be_visible()
    expect(picture).to_have_js_property("naturalWidth", 320)
    begin_demo(page, "Parcel-van mirror cap with its front")
    expect(hint).to_have_count(0)


def test_a_study_begins_with_a_scan_or_with_a_curve(page, pamble, tmp_path):
    page.set_default_timeout(15_000)
    scan = tmp_path / "lid-scan.stl"
    trimesh.creation.icosphere(subdivisions=2, radius=40.0).export(scan)
    page.goto(pamble.url)
    page.get_by_label("Begin with a scan").set_input_files(scan)
    expect(line_of(page, "lid-scan")).to_be_visible()
    expect(page.get_by_text("step 1 · stored")).to_be_visible()
    page.get_by_role("link", name="Pamble, all studies").click()
    page.get_by_role("button", name="a curve").click()
    card = page.get_by_label("Card of CV curve")
    expect(card).to_contain_text("click to place")
    page.mouse.click(500, 300)
    page.mouse.click(700, 420)
    page.keyboard.press("Enter")
    expect(line_of(page, "CV curve")).to_be_visible()
