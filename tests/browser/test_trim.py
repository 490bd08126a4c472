"""Faces cut by each other, changed and followed; steps in their order, their states, and re-pointed references."""

import pytest
from playwright.sync_api import expect

from pamble.core.spline.curve import Curve
from pamble.study.stored import CurveData
from tests.browser.conftest import Desk, imported
from tests.browser.steps import line_of
from tests.study.slabs import DECK, TRIM, WALL, face, ref, step


def study(*steps: dict) -> dict:
    head = {"format": "pamble-study", "format_version": 3, "name": "Slabs"}
    return {**head, "features": [face("deck", "Deck", DECK), face("wall", "Wall", WALL), *steps]}


@pytest.fixture
def slabs(page, pamble):
    """Two slabs that cross."""
    yield from imported(page, pamble, study())


@pytest.fixture
def cut(page, pamble):
    """Two slabs, cut by each other."""
    yield from imported(page, pamble, study(TRIM))


def option(desk: Desk, name: str):
    return line_of(desk.page, name)


def make(desk: Desk, name: str) -> str:
    """What the list tells of a step's face in full."""
    return option(desk, name).locator(".quiet").get_attribute("title") or ""


def test_two_slabs_are_cut_by_each_other_and_the_trim_follows_a_drag(slabs):
    page = slabs.page
    slabs.button("Primaries").click()
    slabs.button("Trim").click()
    option(slabs, "Deck").click()
    option(slabs, "Wall").click()
    page.get_by_label("Cut each other").check(force=True)
    kept = slabs.button("Region 1 of Wall: kept")
    kept.wait_for()
    slabs.button("Region 2 of Wall: cut away").click()
    slabs.button("Region 2 of Wall: kept").wait_for()
    kept.click()
    slabs.button("Region 1 of Wall: cut away").wait_for()
    page.keyboard.press("Enter")
    expect(option(slabs, "Trim")).to_be_visible()
    expect(slabs.row("Deck · Wall")).to_be_visible()
    assert "trimmed" in make(slabs, "Deck")
    assert "trimmed" in make(slabs, "Wall")

    before = slabs.figures("Deck · Wall")
    assert before["gap"] <= 0.001
    option(slabs, "Deck").click()
    page.keyboard.press("c")
    cv = slabs.button("CV 4, 2 of Deck")
    page.keyboard.down("Alt")
    slabs.drag(slabs.centre(cv), (12, -90), release=False, steps=12)
    expect(slabs.row("Deck · Wall")).not_to_contain_text(f"{before['length']}")
    page.wait_for_timeout(400)
    # While the pointer is down cuts are found within a hundredth of the fit tolerance's tenfold.
    assert slabs.figures("Deck · Wall")["gap"] <= 0.01
    page.mouse.up()
    page.keyboard.up("Alt")
    slabs.stored(2)
    after = slabs.figures("Deck · Wall")
    assert after["gap"] <= 0.001
    assert after["length"] != before["length"]
    page.keyboard.press("Control+z")
    expect(slabs.row("Deck · Wall")).to_contain_text(f"{before['length']}")


def test_a_trimmed_face_is_untrimmed_extended_split_and_turned(cut):
    page = cut.page
    cut.button("Primaries").click()
    cut.button("Extend").click()
    cut.button("Deck, u end").click()
    cut.button("Keep").click()
    expect(option(cut, "Extend")).to_be_visible()
    assert "trimmed" in make(cut, "Deck")
    cut.more("Split")
    option(cut, "Wall").click()
    cut.button("Keep").click()
    expect(cut.row("Wall · Split, piece 2")).to_be_visible()
    option(cut, "Deck").click()
    towards = page.get_by_role("img", name="Deck points towards you here")
    away = page.get_by_role("img", name="Deck points away from you here")
    expect(towards.or_(away)).to_be_visible()
    was = towards.is_visible()
    cut.more("Turn")
    option(cut, "Deck").click()
    cut.button("Keep").click()
    option(cut, "Deck").click()
    expect(away if was else towards).to_be_visible()
    cut.more("Untrim")
    option(cut, "Deck").click()
    cut.button("Keep").click()
    expect(option(cut, "Untrim")).to_be_visible()
    assert "trimmed" not in make(cut, "Deck")


def test_cvs_of_a_made_face_move_in_a_step_of_their_own_and_stay_moved(desk):
    page = desk.page
    desk.blend()
    option(desk, "Blend").click()
    page.keyboard.press("c")
    cv = desk.page.get_by_role("button", name="CV 3, 3 of Blend")
    desk.drag(desk.centre(cv), (10, -30))
    expect(option(desk, "CVs of Blend")).to_be_visible()
    expect(desk.row("Blend · Crown")).to_contain_text("over")
    page.keyboard.press("Escape")
    option(desk, "CVs of Blend").click()
    expect(page.get_by_label("Card of CVs of Blend")).to_contain_text("Hold")
    # The face below is built anew; the change stays laid over it.
    option(desk, "Crown").click()
    page.keyboard.press("c")
    desk.drag(desk.centre(desk.button("CV 3, 3 of Crown")), (0, -20))
    desk.stored(3)
    expect(desk.row("Blend · Crown")).to_contain_text("over")
    desk.button("More for CVs of Blend").click()
    page.get_by_role("menuitem", name="Switch off").click()
    expect(desk.row("Blend · Crown")).to_contain_text("holds")


def test_steps_are_moved_shown_up_to_the_marker_and_deleted_with_what_hangs_on_them(cut):
    page = cut.page
    marker = page.get_by_role("slider", name="Marker: last step that is shown")
    marker.focus()
    page.keyboard.press("ArrowUp")
    expect(marker).to_have_attribute("aria-valuetext", "Wall")
    expect(marker).to_be_focused()
    expect(cut.row("Deck · Wall")).to_have_count(0)
    assert "trimmed" not in make(cut, "Deck")
    page.reload()
    expect(marker).to_have_attribute("aria-valuetext", "Wall")
    marker.focus()
    page.keyboard.press("End")
    expect(cut.row("Deck · Wall")).to_be_visible()

    cut.button("More for Wall").click()
    page.get_by_role("menuitem", name="Switch off").click()
    words = "Wall is switched off: switch it on, or pick another."
    expect(page.get_by_role("alert")).to_contain_text(words)
    expect(cut.button(f"Trim: {words}")).to_be_visible()
    assert "trimmed" in make(cut, "Deck"), "it keeps its last good shape"
    page.reload()
    expect(page.get_by_role("alert")).to_contain_text(words)
    page.keyboard.press("Control+z")
    expect(page.get_by_role("alert")).to_have_count(0)

    option(cut, "Trim").focus()
    page.keyboard.press("Alt+ArrowUp")
    expect(
        page.get_by_text("Trim cannot stand there: Trim needs Wall, which comes later in the build.")
    ).to_be_visible()
    option(cut, "Wall").focus()
    page.keyboard.press("Alt+ArrowUp")
    names = cut.page.get_by_role("list", name="Steps in order").locator(".pick")
    expect(names.first).to_contain_text("Wall")
    expect(cut.row("Deck · Wall")).to_be_visible()

    cut.button("More for Wall").click()
    page.get_by_role("menuitem", name="Delete…").click()
    expect(page.get_by_role("dialog")).to_contain_text("Trim")
    page.keyboard.press("Escape")


@pytest.fixture
def notched(page, pamble):
    """A curve along an edge that a notch has made into two."""
    bow = CurveData.of(Curve.bezier([[-20, 40, 50], [90, 45, 50], [90, 75, 50], [-20, 80, 50]])).model_dump()
    yield from imported(page, pamble, study(
        step("bow", "cv_curve", "Bow", curve=bow),
        step("t", "trim_faces", "Notch", faces=[ref("deck")], by_curves=[ref("bow", "c0")], along="direction",
             keep=[{"feature": "deck", "at": [0.9, 0.5]}]),
        step("along", "edge_curve", "Rim", edge=ref("deck", "u0")),
    ))  # fmt: skip


def test_an_edge_that_became_two_is_pointed_to_again_on_the_part(notched):
    page = notched.page
    option(notched, "Rim").click()
    expect(page.get_by_role("alert")).to_contain_text("the edge u start has become 2: pick the one that is meant.")
    group = page.get_by_role("group", name="What may be meant")
    expect(group.get_by_role("button")).to_have_count(2)
    notched.button("Point to Deck, u start 1 of 2").click()
    expect(page.get_by_role("alert")).to_have_count(0)
    expect(group).to_have_count(0)


@pytest.fixture
def long_work(page, pamble):
    """A face cut by a hundred curves one after the other."""
    steps = []
    for i in range(100):
        steps += [
            step(f"l{i}", "line", f"Line {i + 1}", start=[290.0 - i, -10, 60], end=[290.0 - i, 130, 60]),
            step(f"t{i}", "trim_faces", f"Cut {i + 1}", faces=[ref("deck")], by_curves=[ref(f"l{i}", "c0")],
                 along="direction"),
        ]  # fmt: skip
    yield from imported(page, pamble, study(*steps))


def test_long_work_tells_how_far_it_is_and_stops_on_esc(long_work):
    page = long_work.page
    long_work.button("More for Cut 1").click()
    page.get_by_role("menuitem", name="Switch off").click()
    expect(page.get_by_role("status", name="Work in progress")).to_be_visible()
    page.keyboard.press("Escape")
    expect(page.get_by_role("alert").filter(has_text="topped")).to_be_visible()
    expect(page.get_by_role("status", name="Work in progress")).to_have_count(0)
    long_work.stored(0)
    long_work.button("More for Cut 1").click()
    expect(page.get_by_role("menuitem", name="Switch off")).to_be_visible()


def test_a_cut_is_simplified_on_both_faces_and_split_where_its_handle_is_put(cut):
    page = cut.page
    cut.button("Primaries").click()
    cut.more("Simplify edges")
    cut.button("Deck, cut by Wall").click()
    card = page.get_by_label("Card of Simplify edges")
    expect(card.locator(".chip", has_text="Wall").first).to_be_visible()
    allowed = card.get_by_role("textbox", name="Tolerance")
    allowed.fill("0.3")
    allowed.press("Enter")
    expect(card).to_contain_text("CVs after")
    cut.button("Keep").click()
    cut.stored(1)
    assert cut.figures("Deck · Wall")["gap"] <= 0.001
    cut.let_go()
    cut.more("Split edge")
    cut.button("Deck, cut by Wall").click()
    place = page.get_by_role("slider", name="Cut 1 handle")
    cut.drag(cut.centre(place), (30, -10))
    expect(place).not_to_have_attribute("aria-valuenow", "0.5")
    cut.button("Keep").click()
    cut.stored(2)
    (split,) = cut.features("split_edge")
    assert split["params"]["at"] == [pytest.approx(float(place.get_attribute("aria-valuenow")), abs=0.005)]
    page.keyboard.press("Control+z")
    cut.stored(3)
    assert cut.features("split_edge") == []
