"""Eight jobs of a day with curves, done through the window; the results read back from STEP by OpenCASCADE."""

import re
import urllib.request
from pathlib import Path

import numpy as np
import pytest
import trimesh
from OCP.BRep import BRep_Tool
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.GCPnts import GCPnts_AbscissaPoint
from OCP.GeomAPI import GeomAPI_ProjectPointOnSurf
from OCP.gp import gp_Pnt, gp_Vec
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS
from PIL import Image, ImageDraw
from playwright.sync_api import expect

from tests.browser.conftest import Desk, opened
from tests.browser.steps import line_of
from tests.browser.test_curves import draw, use
from tests.readback import explored


@pytest.fixture
def sheet(page, pamble):
    """An empty study in the curves stage."""
    for desk in opened(page, pamble, {"name": "Colander"}):
        desk.button("Curves").click()
        yield desk


def read(desk: Desk, name: str, folder: Path, kind: TopAbs_ShapeEnum) -> list:
    """An object's edges or faces, as OpenCASCADE reads them from the exported file."""
    (id,) = (f["id"] for f in desk.features() if f["name"] == name)
    at = desk.url.replace("/study/", "/api/studies/") + f"/export.step?face={id}"
    path = folder / "read.step"
    path.write_bytes(urllib.request.urlopen(at).read())
    reader = STEPControl_Reader()
    assert int(reader.ReadFile(str(path)).value) == 1
    reader.TransferRoots()
    return explored(reader.OneShape(), kind)


def lines(desk: Desk, name: str, folder: Path) -> list[BRepAdaptor_Curve]:
    """All lines of an object."""
    return [BRepAdaptor_Curve(TopoDS.Edge(e)) for e in read(desk, name, folder, TopAbs_ShapeEnum.TopAbs_EDGE)]


def line(desk: Desk, name: str, folder: Path) -> BRepAdaptor_Curve:
    """The one line of an object."""
    (only,) = lines(desk, name, folder)
    return only


def points(curve: BRepAdaptor_Curve, count: int = 400) -> np.ndarray:
    """Points along a curve, shape (n, 3)."""
    at = np.linspace(curve.FirstParameter(), curve.LastParameter(), count)
    return np.array([[p.X(), p.Y(), p.Z()] for p in map(curve.Value, at)])


def end(curve: BRepAdaptor_Curve, last: bool) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Point, unit tangent and curvature vector at an end."""
    p, d, dd = gp_Pnt(), gp_Vec(), gp_Vec()
    curve.D2(curve.LastParameter() if last else curve.FirstParameter(), p, d, dd)
    d, dd = (np.array([v.X(), v.Y(), v.Z()]) for v in (d, dd))
    speed = np.linalg.norm(d)
    return np.array([p.X(), p.Y(), p.Z()]), d / speed, (dd - d * (dd @ d) / speed**2) / speed**2


def meets(a: BRepAdaptor_Curve, last: bool, b: BRepAdaptor_Curve, other: bool) -> None:
    """One curve runs on from another with its curvature."""
    (p, t, k), (q, s, c) = end(a, last), end(b, other)
    assert np.linalg.norm(p - q) < 1e-9
    assert np.linalg.norm(np.cross(t, s)) < 1e-9
    assert np.linalg.norm(k - c) < 1e-6 * np.linalg.norm(c)


def off(these: np.ndarray, those: np.ndarray) -> float:
    """Largest distance of points from a polyline through others."""
    a, b = those[:-1], those[1:]
    way = b - a
    t = np.einsum("ijk,jk->ij", these[:, None] - a, way) / np.einsum("jk,jk->j", way, way)
    foot = a + np.clip(t, 0, 1)[..., None] * way
    return float(np.linalg.norm(these[:, None] - foot, axis=2).min(axis=1).max())


def number(desk: Desk, field: str, value: str) -> None:
    box = desk.page.get_by_role("textbox", name=field, exact=True)
    box.fill(value)
    box.press("Enter")


def test_a_pair_in_two_views_over_a_scan(sheet, tmp_path):
    desk, page = sheet, sheet.page
    path = tmp_path / "bowl-scan.stl"
    path.write_bytes(trimesh.creation.icosphere(subdivisions=3, radius=60.0).export(file_type="stl"))
    page.locator("input[aria-label='Mesh file']").set_input_files(path)
    expect(line_of(page, "bowl-scan")).to_be_visible()
    draw(desk, "Shift+F", "Side", (420, 520), (560, 260), (760, 300), (860, 480))
    draw(desk, "Shift+T", "Top", (420, 420), (560, 560), (740, 330), (860, 430))
    page.keyboard.press("0")
    page.wait_for_timeout(900)
    desk.at_rest()
    use(desk, "Two-view curve", ("Side", 450, 436), ("Top", 450, 364))
    page.keyboard.press("Enter")
    expect(line_of(page, "Two-view curve")).to_be_visible()

    def held() -> np.ndarray:
        space, side, top = (points(line(desk, n, tmp_path), 1500) for n in ("Two-view curve", "Side", "Top"))
        assert off(space[::5, [0, 2]], side[:, [0, 2]]) < 0.01
        assert off(space[::5, [0, 1]], top[:, [0, 1]]) < 0.01
        return space

    before = held()
    line_of(page, "Side").click()
    page.keyboard.press("c")
    cv = desk.button("CV 3 of Side")
    cv.click()
    page.get_by_role("radiogroup", name="Drag along").get_by_text("Z", exact=True).click()
    at = int(re.search(r"step (\d+)", page.get_by_text("· stored").inner_text()).group(1))
    desk.drag(desk.centre(cv), (0, -60))
    desk.stored(at + 1)
    assert np.abs(held() - before).max() > 5


def test_b_curve_by_numbers(sheet, tmp_path):
    desk, page = sheet, sheet.page
    draw(desk, "Shift+F", "Spine", (400, 500), (500, 400), (600, 380), (700, 400), (800, 480))
    line_of(page, "Spine").click()
    page.keyboard.press("c")
    wanted = np.array([[-80, 4, 0], [-45.5, 1, 38.25], [0, -6, 51], [45.5, 1, 38.25], [80, 4, 2.125]])
    for n, place in enumerate(wanted):
        desk.button(f"CV {n + 1} of Spine").click()
        for axis, value in zip("XYZ", place, strict=True):
            number(desk, axis, f"{value:g}")
    desk.stored(16)
    spine = line(desk, "Spine", tmp_path).BSpline()
    poles = [spine.Pole(k + 1) for k in range(spine.NbPoles())]
    assert spine.Degree() == 4
    assert np.array([[p.X(), p.Y(), p.Z()] for p in poles]) == pytest.approx(wanted, abs=1e-9)


def test_c_points_and_handles(sheet, tmp_path):
    desk, page = sheet, sheet.page
    page.keyboard.press("Shift+F")
    page.wait_for_timeout(900)
    desk.more("Curve through points")
    for x, y in ((360, 480), (470, 330), (600, 420), (740, 320), (880, 440)):
        page.mouse.click(x, y)
    page.keyboard.press("Enter")
    desk.stored(1)
    name = "Curve through points"
    page.keyboard.press("c")
    first = points(line(desk, name, tmp_path), 2000)
    desk.button(f"Point 3 of {name}").click()
    desk.button("Insert after").click()
    desk.stored(2)
    assert off(first[::5], points(line(desk, name, tmp_path), 2000)) < 1e-3
    desk.button(f"Point 1 of {name}").click()
    desk.button("Give a direction").click()
    desk.stored(3)
    desk.drag(desk.centre(desk.button(f"Direction handle at point 1 of {name}")), (30, -40))
    desk.stored(4)
    desk.button(f"Point 5 of {name}").click()
    number(desk, "Z", "30")
    desk.stored(5)
    made = line(desk, name, tmp_path)
    step = desk.features()[0]
    (way,) = step["params"]["directions"]
    assert end(made, False)[1] @ way["direction"] / np.linalg.norm(way["direction"]) == pytest.approx(1, abs=1e-12)
    places = np.array([p["at"] if isinstance(p, dict) else p for p in step["params"]["points"]])
    assert places[4, 2] == 30
    assert len(places) == 6
    assert off(places, points(made, 40_000)) < 1e-4
    # The control polygon on top: what is pulled there stays when the points below it move.
    line_of(page, name).click()
    desk.button("CVs on top").click()
    desk.stored(6)
    below = points(made)
    desk.drag(desk.centre(desk.button(f"CV 4 of {name}")), (0, 40))
    desk.stored(7)
    assert np.abs(points(line(desk, name, tmp_path)) - below).max() > 3


def test_d_blended_oval(sheet, tmp_path):
    desk, page = sheet, sheet.page
    draw(desk, "Shift+F", "Lower", (420, 440), (520, 520), (740, 520), (840, 440))
    draw(desk, None, "Upper", (400, 340), (520, 240), (740, 240), (860, 340))
    for k, x in enumerate((410, 850)):
        desk.let_go()
        desk.button("Blend curve").click()
        for spot in ((425, 445), (405, 334)) if x < 600 else ((835, 445), (855, 334)):
            page.mouse.click(*spot)
        card = page.get_by_label("Card of Blend curve")
        for at in ("At the first", "At the second"):
            card.get_by_role("radiogroup", name=at).get_by_text("G2" if k else "G3").click()
        page.keyboard.press("Enter")
        expect(line_of(page, "Blend curve 2" if k else "Blend curve")).to_be_visible()
    lower, upper, left, right = (line(desk, n, tmp_path) for n in ("Lower", "Upper", "Blend curve", "Blend curve 2"))
    for blend, last in ((left, False), (right, True)):
        for mine, other in ((False, lower), (True, upper)):
            meets(blend, mine, other, last)


def test_e_outline_is_traced_from_a_picture_and_put_on_a_face(page, pamble, tmp_path):
    for desk in opened(page, pamble, {"demo": "mirror-cap"}):
        page.locator(".part[data-drawn=true]").wait_for()
        desk.button("Curves").click()
        page.keyboard.press("Shift+T")
        desk.at_rest()
        image = Image.new("RGB", (400, 300), (240, 236, 228))
        ImageDraw.Draw(image).ellipse((120, 90, 280, 210), outline=(40, 40, 40), width=4)
        path = tmp_path / "badge-outline.png"
        image.save(path)
        page.locator("input[aria-label='Picture file']").set_input_files(path)
        line_of(page, "badge-outline").click()
        # Brought under the crown, which is hidden while the outline is traced, and laid on it along the view.
        number(desk, "Lower left corner 2", "-20")
        desk.stored(2)
        for n, face in enumerate(("Crown", "Flank")):
            desk.button(f"Hide {face}").click()
            desk.stored(3 + n)
        desk.at_rest()
        desk.more("Curve through points")
        for turn in np.arange(8) * np.pi / 4:
            page.mouse.click(623 + 92 * np.cos(turn), 462 + 69 * np.sin(turn))
        page.get_by_role("switch", name="Closed").press("Space")
        page.keyboard.press("Enter")
        desk.stored(5)
        desk.button("Show Crown").click()
        desk.stored(6)
        desk.let_go()
        desk.button("Project").click()
        line_of(page, "Curve through points").click()
        line_of(page, "Crown").click()
        page.keyboard.press("Enter")
        desk.stored(7)
        traced, laid = (points(line(desk, n, tmp_path), 3000) for n in ("Curve through points", "Project"))
        assert off(laid[::10, :2], traced[:, :2]) < 0.03
        crown = BRep_Tool.Surface_s(TopoDS.Face(read(desk, "Crown", tmp_path, TopAbs_ShapeEnum.TopAbs_FACE)[0]))
        feet = [GeomAPI_ProjectPointOnSurf(gp_Pnt(*p), crown).LowerDistance() for p in laid[::100]]
        assert max(feet) < 0.02
        # Half an ellipse of 160 by 120 pixels, seen at half a millimetre each.
        assert np.ptp(laid, axis=0)[:2] == pytest.approx([80, 60], abs=2.5)


def test_f_craft(sheet, tmp_path):
    desk, page = sheet, sheet.page
    draw(desk, "Shift+F", "Upright", (420, 560), (420, 340))
    draw(desk, None, "Level", (460, 300), (700, 300))
    desk.more("Extend until they meet")
    page.mouse.click(420, 360)
    page.keyboard.press("Enter")
    desk.stored(5)
    for n, name in enumerate(("Upright", "Level")):
        desk.button(f"Hide {name}").click()
        desk.stored(6 + n)
    desk.let_go()
    desk.more("Corner")
    page.mouse.click(420, 460)
    page.mouse.click(600, 300)
    page.keyboard.press("Enter")
    desk.stored(8)
    lengths = sorted(GCPnts_AbscissaPoint.Length_s(c) for c in lines(desk, "Corner", tmp_path))
    # A quarter of a circle of 20 mm, and what it leaves of 130 and 140 mm at half a millimetre a pixel.
    assert lengths == pytest.approx([10 * np.pi, 110, 120], abs=1e-5)
    desk.button("Hide Extend until they meet").click()
    desk.stored(9)
    desk.let_go()
    desk.more("Copy, array")
    page.mouse.click(600, 300)
    card = page.get_by_label("Card of Copy, array")
    card.get_by_text("mirror", exact=True).click()
    for axis, value in enumerate("10"):
        number(desk, f"Mirror square to {'XY'[axis]}", value)
    desk.button("Keep").click()
    desk.stored(10)
    level = max(lines(desk, "Corner", tmp_path), key=GCPnts_AbscissaPoint.Length_s)
    assert points(line(desk, "Copy, array", tmp_path)) == pytest.approx(points(level) * [-1, 1, 1], abs=1e-9)


def test_g_space_curve_follows_a_dimension(sheet, tmp_path):
    desk, page = sheet, sheet.page
    draw(desk, "Shift+F", "Foot", (420, 460), (480, 420), (500, 380))
    desk.button("New dimension").click()
    name = page.get_by_role("textbox", name="Name of the new dimension")
    name.fill("rise")
    name.press("Enter")
    desk.button("Plan").click()
    page.keyboard.press("Shift+T")
    page.wait_for_timeout(900)
    desk.button("Plane", exact=True).click()
    page.mouse.click(640, 400)
    card = page.get_by_label("Card of Plane")
    card.get_by_role("radiogroup", name="Square to").get_by_text("z", exact=True).click()
    number(desk, "Offset", "rise")
    page.keyboard.press("Enter")
    desk.stored(4)
    desk.button("Working plane").click()
    page.get_by_placeholder("or a plane of the study").click()
    page.get_by_role("option", name="Plane").last.click()
    desk.let_go()
    desk.button("Curves").click()
    draw(desk, None, "Rim", (600, 300), (700, 280), (800, 340))
    desk.let_go()
    desk.button("Blend curve").click()
    page.mouse.click(970, 429)
    desk.at_rest()
    page.mouse.click(610, 298)
    page.keyboard.press("Enter")
    desk.stored(7)
    value = page.get_by_role("textbox", name="Dimension rise")
    value.fill("35")
    value.press("Enter")
    desk.stored(8)
    foot, rim, blend = (line(desk, n, tmp_path) for n in ("Foot", "Rim", "Blend curve"))
    assert points(rim)[:, 2] == pytest.approx(35, abs=1e-9)
    meets(blend, False, foot, True)
    meets(blend, True, rim, False)


def test_h_midway_between_two_edges_and_pulled_on(page, pamble, tmp_path):
    for desk in opened(page, pamble, {"demo": "mirror-cap"}):
        page.locator(".part[data-drawn=true]").wait_for()
        desk.button("Curves").click()
        desk.more("Mid curve")
        page.get_by_role("button", name="v end").first.click()
        page.get_by_role("button", name="v start").last.click()
        page.keyboard.press("Enter")
        desk.stored(1)
        plain = points(line(desk, "Mid curve", tmp_path))
        page.keyboard.press("c")
        desk.drag(desk.centre(desk.button("CV 5 of Mid curve")), (0, 40))
        desk.stored(2)
        pulled = points(line(desk, "Mid curve", tmp_path)) - plain
        assert np.abs(pulled).max() > 3
        # The crown moves: the curve stays midway, and what was pulled stays on top of it.
        line_of(page, "Crown").click()
        page.keyboard.press("c")
        desk.drag(desk.centre(desk.button("CV 3, 4 of Crown")), (0, -30))
        desk.stored(3)
        both = points(line(desk, "Mid curve", tmp_path))
        desk.button("More for CVs of Mid curve").click()
        page.get_by_role("menuitem", name="Switch off").click()
        desk.stored(4)
        mid = points(line(desk, "Mid curve", tmp_path))
        assert np.abs(mid - plain).max() > 1
        assert both - mid == pytest.approx(pulled, abs=0.05)
