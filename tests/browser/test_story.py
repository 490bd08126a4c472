"""What a person does with Pamble, through the real interface."""

import json
import re

import pytest
from playwright.sync_api import expect

from pamble.core.exchange.step import read_step
from tests import readback
from tests.browser.pixels import Picture
from tests.browser.steps import line_of


def find_on_part(desk, words: str, x: float, ys) -> tuple[float, float]:
    """Move the pointer down a line until it points at something, as one would with the eye; more slowly again if a busy
    machine has not kept up.
    """
    status = desk.page.get_by_role("status", name="Under the pointer")
    for wait in (60, 250, 700):
        for y in ys:
            desk.page.mouse.move(x, y)
            desk.page.wait_for_timeout(wait)
            if words in status.inner_text():
                return x, y
    raise AssertionError(f"{words} is not under the line")


def test_look_round_and_pick(desk):
    page = desk.page
    before = Picture(page)
    desk.drag((900, 300), (120, 40))
    turned = Picture(page)
    assert turned.differs(before)
    page.mouse.move(640, 330)
    page.mouse.wheel(0, -300)
    page.wait_for_timeout(250)
    zoomed = Picture(page)
    assert zoomed.part_area() > 1.2 * turned.part_area()
    page.keyboard.press("Shift+T")
    page.wait_for_timeout(800)
    assert Picture(page).differs(zoomed)
    desk.button("True views").click()
    page.get_by_role("menuitem", name="Front").click()
    page.keyboard.press("f")
    page.wait_for_timeout(800)
    front = Picture(page)
    assert 0.05 < front.part_area() < 0.95
    edge = find_on_part(desk, "Flank, v start", 640, range(120, 560, 6))
    page.mouse.click(*edge)
    expect(page.get_by_label("Card of the edge")).to_contain_text("Flank, v start")
    page.mouse.click(edge[0], edge[1] + 60)
    expect(page.get_by_label("Card of Flank")).to_contain_text("4 × 3")
    desk.button("Show CVs").click()
    desk.button("CV 2, 3 of Flank").click()
    expect(page.get_by_label("Card of the CVs")).to_contain_text("CV 2, 3")


def test_edge_blend_by_pointing_and_by_numbers(desk):
    page = desk.page
    desk.button("Blend").click()
    page.mouse.click(*find_on_part(desk, "Crown, v end", 590, range(200, 420, 4)))
    page.mouse.click(*find_on_part(desk, "Flank, v start", 590, range(420, 200, -4)))
    card = page.get_by_label("Card of Blend")
    expect(card).to_contain_text("1 found")
    for seam in ("Blend · Crown", "Blend · Flank"):
        expect(desk.row(seam)).to_contain_text("holds")
        assert desk.figures(seam)["target"] == "G2"
        assert desk.figures(seam)["angle"] < 0.01
    card.get_by_role("radiogroup", name="Continuity, Crown side").get_by_text("G1").click()
    expect(desk.row("Blend · Crown").get_by_role("cell").nth(1)).to_have_text("G1")
    assert desk.figures("Blend · Crown")["curvature"] > 20
    card.get_by_role("radiogroup", name="Continuity, Crown side").get_by_text("G3").click()
    expect(desk.row("Blend · Crown").get_by_role("cell").nth(1)).to_have_text("G3")
    fullness = card.get_by_role("textbox", name="Fullness, Flank side")
    fullness.fill("2.2/2")
    fullness.press("Enter")
    expect(page.get_by_role("slider", name="Fullness handle, Flank side")).to_have_attribute("aria-valuenow", "1.1")
    card.get_by_role("radiogroup", name="Spans: found or chosen").get_by_text("chosen").click()
    spans = card.get_by_role("textbox", name="Spans")
    spans.fill("3")
    spans.press("Enter")
    card.get_by_role("radiogroup", name="Ends").get_by_text("straight").click()
    card.get_by_text("Flip the second edge").locator("..").get_by_role("switch").click(force=True)
    expect(card).to_contain_text("folds over itself")
    card.get_by_text("Flip the second edge").locator("..").get_by_role("switch").click(force=True)
    # Each change of the step in work is undone by itself, and done again; the step stays.
    for keys, words in (
        ("Control+z", True),
        ("Control+z", False),
        ("Control+Shift+z", True),
        ("Control+Shift+z", False),
    ):
        page.keyboard.press(keys)
        expect(card.get_by_text("folds over itself")).to_have_count(int(words))
    for _ in range(3):
        page.keyboard.press("Control+z")
    expect(card.get_by_role("radiogroup", name="Ends").get_by_role("radio", checked=True)).not_to_have_accessible_name(
        "straight"
    )
    page.keyboard.press("Escape")
    page.mouse.click(1000, 560)
    expect(line_of(page, "Blend")).to_have_count(0)


def test_picking_the_same_edge_twice_is_said(desk):
    desk.page.keyboard.press("b")
    desk.button("Crown, v end").click()
    desk.button("Crown, v end").click()
    expect(desk.page.get_by_role("alert")).to_contain_text("picked twice")


def test_fullness_handle_is_pulled_on_the_part(desk):
    desk.blend()
    handle = desk.page.get_by_role("slider", name="Fullness handle, Crown side")
    before = float(handle.get_attribute("aria-valuenow"))
    x, y = desk.centre(handle)
    desk.drag((x, y), (8, 22), release=False)
    desk.page.wait_for_timeout(400)
    held = float(handle.get_attribute("aria-valuenow"))
    assert held > before + 0.03
    desk.page.mouse.up()
    desk.stored(2)
    desk.page.keyboard.press("Control+z")
    expect(handle).to_have_attribute("aria-valuenow", str(before).rstrip("0"))


@pytest.mark.parametrize("mode", ["View", "Z", "N", "v"])
def test_blend_and_figures_follow_a_cv_while_the_pointer_is_down(desk, mode):
    desk.blend()
    page = desk.page
    line_of(page, "Crown").click()
    page.keyboard.press("c")
    cv = desk.button("CV 3, 4 of Crown")
    cv.click()
    page.get_by_role("radiogroup", name="Drag along").get_by_text(mode, exact=True).click()
    field = {axis: page.get_by_role("textbox", name=axis.upper(), exact=True) for axis in "xyz"}
    before = {a: float(f.input_value()) for a, f in field.items()}
    length = desk.figures("Blend · Crown")["length"]
    desk.drag(desk.centre(cv), (10, 60), release=False, steps=14)
    page.wait_for_timeout(600)
    moved = {a: abs(float(f.input_value()) - before[a]) for a, f in field.items()}
    assert max(moved.values()) > 3
    if mode == "Z":
        assert moved["x"] == moved["y"] == 0
    assert desk.figures("Blend · Crown")["length"] != length
    desk.stored(1)
    page.keyboard.press("2")
    expect(desk.button("Zebra")).to_have_attribute("aria-pressed", "true")
    page.mouse.up()
    desk.stored(2)
    expect(desk.row("Blend · Crown")).to_contain_text("holds")


def test_ledger_leads_to_the_worst_place_and_the_strip_marks_the_part(desk):
    page = desk.page
    desk.blend()
    card = page.get_by_label("Card of Blend")
    card.get_by_role("radiogroup", name="Continuity, Flank side").get_by_text("G1").click()
    desk.button("Target of Blend · Flank", exact=False).click()
    page.get_by_role("menuitem", name="G2").click()
    expect(desk.row("Blend · Flank")).to_contain_text("over")
    names = page.get_by_label("Seam ledger").get_by_role("row").nth(1)
    expect(names).to_have_attribute("aria-label", "Seam Blend · Flank")
    desk.row("Blend · Flank").click()
    strip = page.get_by_role("slider", name=re.compile("Curvature mismatch along"))
    expect(strip).to_have_attribute("aria-label", re.compile(r"worst \d+(\.\d+)? % at .* limit 5.00 %"))
    page.wait_for_timeout(500)
    box = strip.bounding_box()
    marks = []
    for share in (0.25, 0.75):
        page.mouse.move(box["x"] + share * box["width"], box["y"] + 40)
        expect(page.get_by_role("status", name="Figure at the marker")).to_contain_text("%")
        marks.append(desk.centre(page.locator("[data-mark=strip]")))
    assert abs(marks[0][0] - marks[1][0]) > 100
    page.get_by_role("radiogroup", name="Figure along the seam").get_by_text("Gap").click()
    expect(page.get_by_role("slider", name=re.compile("^Gap along"))).to_be_visible()


def test_light_curvature_colours_and_comb(desk):
    page = desk.page
    desk.blend()
    pictures = {}
    for key in "123":
        page.keyboard.press(key)
        page.wait_for_timeout(300)
        pictures[key] = Picture(page)
    assert pictures["1"].differs(pictures["2"])
    assert pictures["2"].differs(pictures["3"])
    legend = page.get_by_role("group", name="Legend")
    expect(legend).to_contain_text("Mean curvature")
    page.mouse.move(640, 420)
    page.mouse.move(642, 424)
    expect(page.get_by_role("status", name="Value under the pointer")).to_contain_text("1/mm")
    desk.button("Settings of the light").click()
    page.get_by_role("combobox", name="Kind of curvature").or_(page.get_by_label("Kind of curvature")).first.click()
    page.get_by_role("option", name="Least radius").click()
    expect(legend).to_contain_text("Least radius")
    low = page.get_by_role("textbox", name="Range from")
    low.fill("100*2")
    low.press("Enter")
    expect(legend).to_contain_text("set by hand")
    expect(legend).to_contain_text("200")
    page.keyboard.press("Escape")
    expect(low).to_have_count(0)
    page.keyboard.press("2")
    page.wait_for_timeout(300)
    fixed = Picture(page)
    desk.button("Settings of the light").click()
    page.get_by_role("radiogroup", name="Stripes stay with the").get_by_text("part").click()
    page.wait_for_timeout(300)
    assert Picture(page).differs(fixed)
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    desk.button("Blend, u start").click()
    expect(page.get_by_label("Combs", exact=True).get_by_text("radius")).to_be_visible()
    teeth = page.get_by_label("Combs", exact=True).locator("path").first.get_attribute("d")
    assert teeth.count("M") == 61


def test_zebra_breaks_at_g0_and_g1_and_runs_through_at_g2(desk):
    """Colours on both sides of the seam, close to it: stripes that run on smoothly agree nearly everywhere."""
    page = desk.page
    desk.blend()
    desk.row("Blend · Crown").click()
    page.keyboard.press("f")
    page.wait_for_timeout(500)
    strip = page.get_by_role("slider", name=re.compile("along Blend"))
    mark = page.locator("[data-mark=strip]")
    box = strip.bounding_box()

    def point_at(share: float) -> tuple[float, float]:
        page.mouse.move(box["x"] + box["width"] * share, box["y"] + 50)
        page.wait_for_timeout(60)
        return desk.centre(mark)

    middle = point_at(0.5)
    page.mouse.move(*middle)
    for _ in range(11):
        page.mouse.wheel(0, -120)
    page.keyboard.press("2")
    page.wait_for_timeout(500)
    desk.button("Settings of the light").click()
    page.get_by_role("slider", name="Stripes").press("End")
    page.keyboard.press("Escape")
    for continuity, breaks in (("G0", True), ("G1", True), ("G2", False), ("G3", False)):
        card = page.get_by_label("Card of Blend")
        card.get_by_role("radiogroup", name="Continuity, Crown side").get_by_text(continuity).click()
        expect(desk.row("Blend · Crown").get_by_role("cell").nth(1)).to_have_text(continuity)
        line = [point_at(0.44 + 0.12 * i / 16) for i in range(17)]
        page.mouse.move(700, 90)
        page.wait_for_timeout(400)
        share = Picture(page).disagreement(line, off=7)
        assert (share > 0.25) == breaks, (continuity, share)


def test_build_panel_undo_delete_and_list_of_studies(desk):
    page = desk.page
    desk.blend()
    line = line_of(page, "Crown")
    line.dblclick()
    name = page.get_by_role("textbox", name="New name of Crown")
    name.fill("Roof")
    name.press("Enter")
    expect(line_of(page, "Roof")).to_be_visible()
    expect(desk.row("Blend · Roof")).to_be_visible()
    full = Picture(page).part_area()
    desk.button("Hide Roof").click()
    expect(desk.button("Show Roof")).to_be_visible()
    page.wait_for_timeout(200)
    assert Picture(page).part_area() < 0.8 * full
    page.keyboard.press("Control+z")
    page.keyboard.press("Control+z")
    expect(line_of(page, "Crown")).to_be_visible()
    page.keyboard.press("Control+Shift+z")
    expect(line_of(page, "Roof")).to_be_visible()
    line_of(page, "Flank").click()
    page.keyboard.press("i")
    page.wait_for_timeout(200)
    assert Picture(page).part_area() < 0.8 * full
    page.keyboard.press("i")
    page.keyboard.press("o")
    expect(page.get_by_role("alert")).to_contain_text("Flank is switched off")
    page.keyboard.press("o")
    expect(page.get_by_role("alert")).to_have_count(0)
    page.keyboard.press("Delete")
    dialog = page.get_by_role("dialog")
    expect(dialog).to_contain_text("Blend")
    dialog.get_by_role("button", name="Delete all 2").click()
    expect(line_of(page, "Blend")).to_have_count(0)
    expect(line_of(page, "Flank")).to_have_count(0)
    page.keyboard.press("Control+z")
    expect(desk.row("Blend · Roof")).to_contain_text("holds")
    page.get_by_role("link", name="Pamble, all studies").click()
    page.get_by_role("textbox", name="Name of the new study").fill("Kettle lid")
    desk.button("New study").click()
    expect(page.get_by_text("The study is empty")).to_be_visible()
    page.get_by_role("link", name="Pamble, all studies").click()
    expect(page.get_by_role("link", name=re.compile("Kettle lid"))).to_be_visible()


def test_export_chosen_faces_and_take_them_in_again(desk, tmp_path):
    page = desk.page
    desk.blend()
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("Control+e")
    page.get_by_role("button", name="Check the STEP file").click()
    found = page.get_by_label("The file, read back")
    expect(found).to_contain_text("3 faces")
    expect(found).to_contain_text("2 seams: 2 G2")
    with page.expect_download() as got:
        page.get_by_role("button", name="STEP, all objects").click()
    got.value.save_as(tmp_path / "all.step")
    in_file = readback.faces(tmp_path / "all.step")
    assert len(in_file) == 3
    assert readback.nearest_seam(in_file[2], in_file[0], 1 / 400).curvature < 1
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("Control+e")
    page.get_by_role("checkbox", name="Crown").uncheck()
    page.get_by_role("checkbox", name="Flank").uncheck()
    with page.expect_download() as got:
        page.get_by_role("button", name="STEP, 1 object").click()
    got.value.save_as(tmp_path / "blend.step")
    assert [f.name for f in read_step(tmp_path / "blend.step")] == ["Blend"]
    expect(page.get_by_role("dialog")).to_have_count(0)
    page.keyboard.press("Control+e")
    with page.expect_download() as got:
        page.get_by_role("button", name="Study as JSON").click()
    got.value.save_as(tmp_path / "study.json")
    assert json.loads((tmp_path / "study.json").read_text())["format"] == "pamble-study"
    page.locator("input[aria-label='STEP file']").set_input_files(tmp_path / "blend.step")
    expect(line_of(page, "Blend 2")).to_be_visible()
    (tmp_path / "bad.step").write_text("no step at all")
    page.locator("input[aria-label='STEP file']").set_input_files(tmp_path / "bad.step")
    expect(page.get_by_text("bad.step is not a STEP file")).to_be_visible()
    page.get_by_role("link", name="Pamble, all studies").click()
    page.locator("input[aria-label='Study file']").set_input_files(tmp_path / "study.json")
    expect(line_of(page, "Blend")).to_be_visible()
    expect(desk.row("Blend · Crown")).to_contain_text("holds")
    page.get_by_role("link", name="Pamble, all studies").click()
    page.get_by_role("button", name="New study", exact=True).click()
    desk.stored(0)
    page.locator("input[aria-label='STEP file']").set_input_files(tmp_path / "blend.step")
    line_of(page, "Blend").click()
    page.keyboard.press("c")
    # A part that comes into an empty study is brought into view.
    places = [desk.centre(cv) for cv in page.get_by_role("button", name=re.compile("^CV .* of Blend")).all()]
    assert max(x for x, _ in places) - min(x for x, _ in places) > 350


def test_everything_is_found_by_typing_and_panels_fold(desk):
    page = desk.page
    page.keyboard.press("/")
    page.get_by_role("textbox", name="Find a tool or command").fill("curvature col")
    page.keyboard.press("Enter")
    expect(page.get_by_role("group", name="Legend")).to_be_visible()
    expect(page.get_by_placeholder("What do you want to do")).to_have_count(0)
    page.keyboard.press("g")
    expect(page.get_by_label("Seam ledger")).to_have_count(0)
    page.keyboard.press("g")
    expect(page.get_by_label("Seam ledger")).to_be_visible()
    desk.button("Dark theme").click()
    expect(page.locator("html")).to_have_attribute("data-mantine-color-scheme", "dark")
