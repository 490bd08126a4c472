"""The curves stage, from an empty study: drawn in true views, combined, followed, matched, read."""

import re
from collections.abc import Iterator

import pytest
import trimesh
from PIL import Image
from playwright.sync_api import Page, expect

from tests.browser.conftest import Desk, opened
from tests.browser.pixels import Picture
from tests.browser.steps import line_of


@pytest.fixture
def desk(page: Page, pamble) -> Iterator[Desk]:
    """An empty study in the curves stage."""
    for desk in opened(page, pamble, {"name": "Samovar"}):
        desk.button("Curves").click()
        yield desk


def draw(desk: Desk, view: str | None, name: str, *points: tuple[int, int]) -> None:
    """Draw a CV curve in a true view, or in the view as it is, and name it."""
    if view:
        desk.page.keyboard.press(view)
        desk.page.wait_for_timeout(900)
    desk.page.keyboard.press("d")
    for x, y in points:
        desk.page.mouse.click(x, y)
    expect(desk.page.get_by_label("Figures of the curve")).to_contain_text(f"1 · {len(points)}")
    desk.page.keyboard.press("Enter")
    line = line_of(desk.page, "CV curve")
    line.dblclick()
    field = desk.page.get_by_role("textbox", name="New name of CV curve")
    field.fill(name)
    field.press("Enter")
    expect(line_of(desk.page, name)).to_be_visible()


def use(desk: Desk, tool: str, *lines: tuple[str, int, int]) -> None:
    """Take a tool and pick lines by pointing at them: each by its name, near a place where it runs."""
    desk.page.keyboard.press("Escape")
    desk.page.keyboard.press("Escape")
    desk.button(tool).click()
    for name, x, y in lines:
        desk.page.mouse.click(*find(desk, name, x, y))


def find(desk: Desk, name: str, x: int, y: int) -> tuple[int, int]:
    """Where a line runs, near a place."""
    status = desk.page.get_by_role("status", name="Under the pointer")
    # A busy machine takes longer to tell what lies there.
    for wait in (150, 600):
        for off in (0, 4, -4, 8, -8, 12, -12, 16, -16):
            desk.page.mouse.move(x, y + off)
            desk.page.wait_for_timeout(wait)
            if status.inner_text() == name:
                return x, y + off
    raise AssertionError(f"{name} does not run near {x}, {y}")


def curve_length(desk: Desk) -> float:
    words = desk.page.get_by_label("Figures of the curve").inner_text()
    return float(re.search(r"Length\s+([\d.]+) mm", words).group(1))


def test_two_views_become_one_curve_that_follows(desk):
    page = desk.page
    draw(desk, "Shift+F", "Side", (330, 600), (560, 260), (900, 330))
    draw(desk, "Shift+T", "Top", (330, 420), (600, 560), (900, 400))
    page.keyboard.press("0")
    page.wait_for_timeout(900)
    use(desk, "Two-view curve", ("Side", 450, 380), ("Top", 450, 356))
    card = page.get_by_label("Card of Two-view curve")
    expect(card).to_contain_text("Deviation")
    expect(card).to_contain_text("CV layout")
    before = curve_length(desk)
    page.keyboard.press("Enter")
    expect(line_of(page, "Two-view curve")).to_be_visible()
    line_of(page, "Side").click()
    page.keyboard.press("c")
    cv = desk.button("CV 2 of Side")
    cv.click()
    page.get_by_role("radiogroup", name="Drag along").get_by_text("Z", exact=True).click()
    desk.drag(desk.centre(cv), (0, -60), steps=8)
    line_of(page, "Two-view curve").click()
    expect(page.get_by_label("Figures of the curve")).not_to_contain_text(f"{before:.1f} mm")

    desk.button("New dimension").click()
    name = page.get_by_role("textbox", name="Name of the new dimension")
    name.fill("rim")
    name.press("Enter")
    line_of(page, "Top").click()
    desk.button("Offset").click()
    distance = page.get_by_role("textbox", name="Distance", exact=True)
    distance.fill("rim + 2")
    distance.press("Enter")
    near = curve_length(desk)
    desk.button("Keep").click()
    value = page.get_by_role("textbox", name="Dimension rim")
    value.fill("40/2")
    value.press("Enter")
    expect(page.get_by_label("Figures of the curve")).not_to_contain_text(f"{near:.1f} mm")
    page.keyboard.press("Control+z")
    expect(page.get_by_label("Figures of the curve")).to_contain_text(f"{near:.1f} mm")
    desk.page.get_by_role("button", name=re.compile("^Curve: .*pick another")).click()
    expect(page.get_by_text("Pick another line")).to_be_visible()
    page.mouse.click(*find(desk, "Side", 450, 356))
    expect(desk.page.get_by_role("button", name=re.compile("^Curve: .*pick another"))).to_have_text("Side")
    expect(page.get_by_label("Figures of the curve")).not_to_contain_text(f"{near:.1f} mm")


def test_blend_match_comb_and_a_caught_end(desk):
    page = desk.page
    draw(desk, "Shift+F", "Left", (300, 560), (360, 420), (460, 380))
    page.keyboard.press("n")
    page.keyboard.press("d")
    page.mouse.move(463, 383)
    expect(page.get_by_role("status", name="Under the pointer")).to_contain_text("of Left")
    page.keyboard.press("n")
    page.keyboard.press("Escape")
    page.keyboard.press("Escape")
    draw(desk, "Shift+F", "Right", (640, 380), (760, 400), (880, 560))
    use(desk, "Blend curve", ("Left", 450, 524), ("Right", 700, 388))
    card = page.get_by_label("Card of Blend curve")
    for end in ("At the first", "At the second"):
        card.get_by_role("radiogroup", name=end).get_by_text("G3").click()
    expect(page.get_by_label("Figures of the curve")).to_contain_text("7 · 1 · 8")
    handle = page.get_by_role("slider", name="Fullness handle, Left side")
    full = float(handle.get_attribute("aria-valuenow"))
    desk.drag(desk.centre(handle), (25, -14))
    assert float(handle.get_attribute("aria-valuenow")) != full
    page.keyboard.press("Enter")
    expect(line_of(page, "Blend curve")).to_be_visible()
    page.keyboard.press("Escape")
    page.keyboard.press("m")
    for name in ("Left", "Blend curve", "Right"):
        page.get_by_role("group", name=name, exact=True).get_by_role("button").click()
    expect(page.get_by_label("Combs", exact=True).locator("g")).to_have_count(3)
    page.keyboard.press("Escape")
    page.get_by_role("button", name="Curves", exact=True).click()
    use(desk, "Match", ("Right", 700, 388), ("Left", 450, 556))
    card = page.get_by_label("Card of Match")
    expect(card).to_contain_text("Joint")
    expect(card).to_contain_text("degree was raised by 1")
    expect(card).to_contain_text("CVs moved1, 2, 3 of 4")
    desk.button("Drop").click()
    expect(line_of(page, "Match")).to_have_count(0)


def test_a_scan_lies_under_the_curves_and_is_told_of(desk, tmp_path):
    page = desk.page
    path = tmp_path / "lid-scan.stl"
    path.write_bytes(trimesh.creation.icosphere(subdivisions=3, radius=60.0).export(file_type="stl"))
    page.locator("input[aria-label='Mesh file']").set_input_files(path)
    line = line_of(page, "lid-scan")
    expect(line).to_be_visible()
    page.keyboard.press("f")
    page.wait_for_timeout(700)
    assert Picture(page).part_area() > 0.15
    line.click()
    expect(page.get_by_label("Card of lid-scan")).to_contain_text("1,280")
    page.locator("input[aria-label='Mesh file']").set_input_files(
        {"name": "x.stl", "mimeType": "", "buffer": b"no mesh"}
    )
    expect(page.get_by_text("x.stl is cut short")).to_be_visible()
    draw(desk, "Shift+F", "Rim", (400, 400), (640, 200), (880, 400))
    page.get_by_role("button", name="Hide lid-scan").click()
    page.wait_for_timeout(300)
    assert Picture(page).part_area() < 0.1


def test_new_curves_land_in_the_active_group_and_a_locked_one_stays(desk):
    page = desk.page
    page.get_by_role("radio", name="By role").click()
    desk.button("New group").click()
    field = page.get_by_role("textbox", name="Name of the new group")
    field.fill("Rim lines")
    field.press("Enter")
    group = page.get_by_role("region", name="Group Rim lines")
    expect(group.get_by_role("radio")).to_have_attribute("aria-checked", "true")
    desk.button("More for group Rim lines").click()
    page.get_by_role("menuitem", name="Construction").click()
    draw(desk, "Shift+F", "Rim", (400, 400), (640, 200), (880, 400))
    expect(line_of(group, "Rim")).to_be_visible()
    desk.button("More for Rim").click()
    page.get_by_role("menuitem", name="Lock", exact=True).click()
    expect(group.get_by_label("locked")).to_be_visible()
    line_of(group, "Rim").click()
    page.keyboard.press("c")
    before = curve_length(desk)
    desk.drag(desk.centre(desk.button("CV 2 of Rim")), (0, 60))
    expect(page.get_by_text("Rim is locked: unlock it first.").first).to_be_visible()
    line_of(group, "Rim").click()
    assert curve_length(desk) == before
    desk.button("Hide all of Rim lines").click()
    expect(desk.button("Show Rim", exact=True)).to_be_visible()
    page.keyboard.press("Control+z")
    expect(desk.button("Hide Rim", exact=True)).to_be_visible()
    desk.button("More for group Rim lines").click()
    page.get_by_role("menuitem", name="Dissolve the group").click()
    expect(page.get_by_role("region", name="Construction")).to_contain_text("Rim")


def test_cvs_are_related_and_what_contradicts_is_said(desk):
    page = desk.page
    draw(desk, "Shift+F", "Rim", (380, 420), (560, 200), (720, 210), (900, 400))
    line_of(page, "Rim").click()
    page.keyboard.press("c")

    def pick(*numbers: int) -> None:
        page.keyboard.press("Escape")
        for k, n in enumerate(numbers):
            desk.button(f"CV {n} of Rim").click(modifiers=["Shift"] if k else [])

    pick(2, 3)
    desk.button("Same z").click()
    pick(1, 2)
    desk.button("Leg length").click()
    line_of(page, "Rim").click()
    relations = page.get_by_role("group", name="Relations")
    expect(relations).to_contain_text("CV 2 and 3: same z")
    expect(relations).to_contain_text("10 numbers are still free")
    length = page.get_by_role("textbox", name="Value of relation 2")
    length.fill("150")
    length.press("Enter")
    pick(3)
    stored = page.get_by_text(re.compile(r"step \d+ · stored"))
    before = stored.inner_text()
    desk.drag(desk.centre(desk.button("CV 3 of Rim")), (10, -40))
    expect(page.get_by_text(f"step {int(before.split()[1]) + 1} · stored")).to_be_visible()
    z = float(page.get_by_role("textbox", name="Z", exact=True).input_value())
    pick(2)
    assert float(page.get_by_role("textbox", name="Z", exact=True).input_value()) == z
    pick(1, 2)
    desk.button("Leg length").click()
    line_of(page, "Rim").click()
    expect(relations).to_contain_text("says nothing new")
    length = page.get_by_role("textbox", name="Value of relation 3")
    length.fill("90")
    length.press("Enter")
    expect(relations).to_contain_text("contradicts")
    desk.button("Remove relation 3").click()
    expect(relations).not_to_contain_text("contradicts")


def test_a_reference_picture_is_scaled_by_two_known_points(desk, tmp_path):
    page = desk.page
    path = tmp_path / "side-view.png"
    image = Image.new("RGB", (400, 200), (150, 110, 80))
    image.save(path)
    page.keyboard.press("Shift+F")
    page.wait_for_timeout(900)
    empty = Picture(page)
    page.locator("input[aria-label='Picture file']").set_input_files(path)
    line = line_of(page, "side-view")
    expect(line).to_be_visible()
    page.wait_for_timeout(900)
    shown = Picture(page)
    assert shown.differs(empty)
    line.click()
    card = page.get_by_label("Card of side-view")
    scale = card.get_by_role("textbox", name="Scale", exact=True)
    assert float(scale.input_value()) == 0.5
    desk.button("Scale by two points").click()
    page.mouse.click(540, 420)
    page.mouse.click(740, 420)
    distance = card.get_by_role("textbox", name="True distance")
    distance.fill("50*2")
    distance.press("Enter")
    desk.button("Scale", exact=True).click()
    # 200 pixels of the screen at half a millimetre each: what was seen as 100 mm stays so.
    desk.stored(2)
    seen = float(scale.input_value())
    desk.button("Scale by two points").click()
    page.mouse.click(540, 420)
    page.mouse.click(740, 420)
    distance.fill("300")
    distance.press("Enter")
    desk.button("Scale", exact=True).click()
    desk.stored(3)
    assert float(scale.input_value()) == pytest.approx(3 * seen, rel=1e-4)
    page.keyboard.press("Escape")
    page.keyboard.press("p")
    page.wait_for_timeout(400)
    assert not Picture(page).differs(empty)
    bad = {"name": "x.png", "mimeType": "", "buffer": b"no picture"}
    page.locator("input[aria-label='Picture file']").set_input_files(bad)
    expect(page.get_by_text("x.png is no picture")).to_be_visible()
