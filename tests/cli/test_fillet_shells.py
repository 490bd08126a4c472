"""Edges of solids that another library made, filleted by command, sewn by that library and weighed against closed
forms.
"""

import json

import numpy as np
import pytest
from OCP.BRepAdaptor import BRepAdaptor_Curve
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeSolid,
    BRepBuilderAPI_MakeWire,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakePrism,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.GC import GC_MakeArcOfCircle
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt, gp_Vec
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS
from scipy.integrate import quad

from pamble.cli.main import main
from pamble.core.checks.body import body_of
from pamble.core.exchange.step import read_step, write_step
from pamble.core.spline.evaluate import curve_points
from tests.core.fillets.test_fillet import block
from tests.other_library import volume, written

BOX = 100.0 * 60.0 * 40.0
CORNER = 1 - np.pi / 4
"""What a rounded corner of radius 1 lacks of a square."""


def box():
    return BRepPrimAPI_MakeBox(100.0, 60.0, 40.0).Shape()


def rod(x, y, z, way, radius, length):
    return BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(x, y, z), gp_Dir(*way)), radius, length).Shape()


def boss():
    return BRepAlgoAPI_Fuse(box(), rod(50, 30, 40, (0, 0, 1), 15, 30)).Shape()


def blind_hole():
    return BRepAlgoAPI_Cut(box(), rod(50, 30, 20, (0, 0, 1), 15, 30)).Shape()


def groove():
    return BRepAlgoAPI_Cut(box(), rod(50, -10, 40, (0, 1, 0), 20, 80)).Shape()


def post():
    return BRepAlgoAPI_Fuse(box(), BRepPrimAPI_MakeBox(gp_Pnt(30, 20, 40), 40.0, 20.0, 30.0).Shape()).Shape()


def trough():
    return BRepAlgoAPI_Cut(box(), BRepPrimAPI_MakeBox(gp_Pnt(30, 20, 20), 40.0, 20.0, 30.0).Shape()).Shape()


def lens(foot: bool = False):
    """A block between two arcs that meet in sharp upright edges, or that on a plate."""
    ends = gp_Pnt(0, -20, 0), gp_Pnt(0, 20, 0)
    arcs = [GC_MakeArcOfCircle(a, gp_Pnt(x, 0, 0), b).Value() for (a, b), x in ((ends, 10), (ends[::-1], -10))]
    wire = BRepBuilderAPI_MakeWire(*(BRepBuilderAPI_MakeEdge(arc).Edge() for arc in arcs)).Wire()
    block = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(wire).Face(), gp_Vec(0, 0, 25)).Shape()
    plate = BRepPrimAPI_MakeBox(gp_Pnt(-40, -40, -10), 80.0, 80.0, 10.0).Shape()
    return BRepAlgoAPI_Fuse(plate, block).Shape() if foot else block


def tee():
    return BRepAlgoAPI_Fuse(rod(-80, 0, 0, (1, 0, 0), 30, 160), rod(0, 0, 0, (0, 0, 1), 18, 70)).Shape()


def leaning():
    return BRepAlgoAPI_Fuse(box(), rod(50, 30, 20, (0.3, 0.2, 1), 12, 60)).Shape()


def pillar(solid, radius):
    """A block with its upright edges rounded."""
    made = BRepFilletAPI_MakeFillet(solid)
    walk = TopExp_Explorer(solid, TopAbs_ShapeEnum.TopAbs_EDGE)
    seen = []
    while walk.More():
        edge = TopoDS.Edge(walk.Current())
        ends = BRepAdaptor_Curve(edge)
        a, b = ends.Value(ends.FirstParameter()), ends.Value(ends.LastParameter())
        if abs(a.Z() - b.Z()) > 1 and not any(edge.IsSame(e) for e in seen):
            made.Add(radius, edge)
            seen.append(edge)
        walk.Next()
    return made.Shape()


def rounded():
    """Its rim is a loop of lines and arcs beside eight faces."""
    return pillar(box(), 12.0)


def pocket(depth=20.0):
    tool = BRepPrimAPI_MakeBox(gp_Pnt(20, 15, 40 - depth), 60.0, 30.0, 40.0).Shape()
    return BRepAlgoAPI_Cut(box(), pillar(tool, 8.0)).Shape()


def cap():
    """The part of a ball of 25 mm on one side of y = 1.6: the rim's contact passes .4 mm beside the ball's poles."""
    beyond = BRepPrimAPI_MakeBox(gp_Pnt(-60, 1.6, -60), 120.0, 60.0, 120.0).Shape()
    return BRepAlgoAPI_Cut(BRepPrimAPI_MakeSphere(25.0).Shape(), beyond).Shape()


def rounded_cap(r: float) -> float:
    """Its volume with a rolling ball of radius r along the rim, in slices across y."""
    inner = 1.6 - r
    away = np.sqrt((25 - r) ** 2 - inner**2)
    meets = inner * 25 / (25 - r)
    ball = quad(lambda y: 625 - y**2, -25, meets)[0]
    return np.pi * (ball + quad(lambda y: (away + np.sqrt(max(r**2 - (y - inner) ** 2, 0.0))) ** 2, meets, 1.6)[0])


def ring_and_rod():
    """A rod in a ring, beside the ring's joint: the foot's contact runs over it, the foot itself does not."""
    return BRepAlgoAPI_Fuse(BRepPrimAPI_MakeTorus(30.0, 12.0).Shape(), rod(30, -9, 0, (0, 0, 1), 8, 40)).Shape()


def ring(radius: float, r: float, way: int) -> float:
    """Volume between the corner of a ring at ``radius`` and the ball's torus, by Pappus's theorem: the corner's square
    less the quarter disc, each with the way of its centroid. way: +1 where the square lies outside the ring.
    """
    quarter = np.pi / 4 * r**2
    square = r**2 * (radius + way * r / 2)
    return 2 * np.pi * (square - quarter * (radius + way * (r - 4 * r / (3 * np.pi))))


def mitred(r: float, length: float, corners: float) -> float:
    """Volume between the corner of a row of straight creases and the ball, mitred at right angles: each section reaches
    as far beyond (1) or before (-1) its crease's end as it lies away from the wall there.
    """
    centroid = r * (10 - 3 * np.pi) / (12 - 3 * np.pi)
    return CORNER * r**2 * (length + 2 * corners * centroid)


RIM = "50,0,40 100,30,40 50,60,40 0,30,40"
EDGES = " ".join(
    [f"50,{y},{z}" for y in (0, 60) for z in (0, 40)]
    + [f"{x},30,{z}" for x in (0, 100) for z in (0, 40)]
    + [f"{x},{y},20" for x in (0, 100) for y in (0, 60)]
)

# fmt: off
SHELLS = {
    "one edge": (box, "50,0,40", 6.0, BOX - CORNER * 36 * 100),
    "a short edge": (box, "0,30,40", 6.0, BOX - CORNER * 36 * 60),
    "an upright edge": (box, "100,60,20", 11.0, BOX - CORNER * 121 * 40),
    "foot of a boss": (boss, "35,30,40", 5.0, BOX + np.pi * 225 * 30 + ring(15, 5, 1)),
    "rim of a boss": (boss, "65,30,70", 4.0, BOX + np.pi * 225 * 30 - ring(15, 4, -1)),
    "floor of a hole": (blind_hole, "65,30,20", 4.0, BOX - np.pi * 225 * 20 + ring(15, 4, -1)),
    "edge of a groove": (groove, "30,30,40", 3.0, None),
    "two edges that run on": (tee, "0,18,24", 3.0, None),
    "rim of lines and arcs": (
        rounded, "50,0,40", 5.0,
        BOX - 4 * CORNER * 144 * 40 - CORNER * 25 * 2 * (76 + 36) - ring(12, 5, -1),
    ),
    # The edge is given by a wall, on which it ends at corners; the crease runs on along the floor.
    "floor of a pocket": (
        pocket, "50,15,20", 5.0,
        BOX - (1800 - 4 * CORNER * 64) * 20 + CORNER * 25 * 2 * (44 + 14) + ring(8, 5, -1),
    ),
    # Its walls' upright edges are so short that several of their places lie beside the rim.
    "mouth of a shallow pocket": (
        lambda: pocket(1.5), "50,15,40", 0.5,
        BOX - (1800 - 4 * CORNER * 64) * 1.5 - CORNER * 0.25 * 2 * (44 + 14) - ring(8, 0.5, 1),
    ),
    "rim of a cap, beside its poles": (cap, "23.0,1.6,9.665", 2.0, rounded_cap(2.0)),
    "foot of a rod beside a ring's joint": (ring_and_rod, "37.332,-12.2003,7.6141", 3.0, None),
    "foot of a leaning rod": (leaning, "43.47,33.31,40", 3.0, None),
    # In the corner a cube gives way to an eighth of a ball.
    "three edges and their corner": (
        box, "50,0,40 100,30,40 100,0,20", 6.0, BOX - CORNER * 36 * (94 + 54 + 34) - (1 - np.pi / 6) * 216
    ),
    "rim beside sharp edges": (box, RIM, 6.0, BOX - mitred(6, 320, -4)),
    "two edges beside a sharp one": (box, "50,0,40 100,30,40", 9.0, BOX - mitred(9, 160, -1)),
    "foot of a square post": (post, "50,20,40 70,30,40 50,40,40 30,30,40", 5.0, BOX + 24000 + mitred(5, 120, 4)),
    "floor of a square trough": (
        trough, "50,20,20 70,30,20 50,40,20 30,30,20", 4.0, BOX - 16000 + mitred(4, 120, -4)
    ),
    "mouth of a square trough": (
        trough, "50,20,40 70,30,40 50,40,40 30,30,40", 4.0, BOX - 16000 - mitred(4, 120, 4)
    ),
    # The walls across the ends have to grow, one beside the mouth, one over the wall's edge.
    "one edge of a trough's mouth": (trough, "50,20,40", 3.0, BOX - 16000 - CORNER * 9 * 40),
    "an inner edge up to the open": (trough, "30,20,30", 3.0, BOX - 16000 + CORNER * 9 * 20),
    # The other wall stands across both ends.
    "one edge of a lens": (lens, "10,0,25", 3.0, None),
    "rim of a lens": (lens, "10,0,25 -10,0,25", 3.0, None),
    "foot of a lens": (lambda: lens(foot=True), "10,0,0 -10,0,0", 3.0, None),
    # Steiner's formula for the bodies parallel to a box, 88 x 48 x 28 here.
    "all edges": (
        box, EDGES, 6.0,
        88 * 48 * 28 + 2 * 6 * (88 * 48 + 48 * 28 + 28 * 88) + np.pi * 36 * (88 + 48 + 28) + 4 / 3 * np.pi * 216,
    ),
}
# fmt: on


def shell(path) -> tuple[int, TopoDS]:
    """Free edges of what OpenCASCADE sews of a file, and the shell."""
    reader = STEPControl_Reader()
    reader.ReadFile(str(path))
    reader.TransferRoots()
    sewing = BRepBuilderAPI_Sewing(0.01)
    sewing.Add(reader.OneShape())
    sewing.Perform()
    assert BRepCheck_Analyzer(sewing.SewedShape()).IsValid()
    return sewing.NbFreeEdges(), sewing.SewedShape()


def solid_of(sewn):
    return BRepBuilderAPI_MakeSolid(TopoDS.Shell(sewn)).Solid()


def named(places: str) -> list[str]:
    return [word for place in places.split() for word in ("--edge", place)]


@pytest.mark.parametrize("name", SHELLS)
def test_a_filleted_solid_sews_closed_and_holds_its_volume(name, tmp_path, capsys):
    make, edge, radius, held = SHELLS[name]
    solid, out = written(make(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    assert main(["fillet", solid, *named(edge), "--radius", str(radius), "--out", str(out)]) == 0
    assert "aimed at" not in capsys.readouterr().out
    free, sewn = shell(out)
    assert free == 0
    if held is not None:
        assert volume(solid_of(sewn)) == pytest.approx(held, rel=2e-6)


@pytest.mark.parametrize("name", ["three edges and their corner", "foot of a leaning rod", "rim beside sharp edges"])
def test_fillets_and_balls_have_their_outside_where_the_solid_has_it(name, tmp_path):
    make, edge, radius, _ = SHELLS[name]
    solid, out = written(make(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    assert main(["fillet", solid, *named(edge), "--radius", str(radius), "--out", str(out)]) == 0
    body = body_of([item.face for item in read_step(out)])
    assert body.closed
    assert body.turned == ()


@pytest.mark.parametrize(
    "name", ["an upright edge", "edge of a groove", "rim of a boss", "floor of a hole", "one edge of a lens"]
)
def test_with_sections_of_curvature_it_sews_closed_too(name, tmp_path):
    make, edge, radius, _ = SHELLS[name]
    solid, out = written(make(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    words = ["fillet", solid, *named(edge), "--radius", str(radius), "--section", "g2", "--out", str(out)]
    assert main(words) == 0
    assert shell(out)[0] == 0


@pytest.mark.parametrize("section", ["rho", "g2", "g3"])
def test_blended_sections_meet_in_mitres_round_a_rim(section, tmp_path):
    """A conic of rho 1/2 is a parabola: it takes r^2 / 6 off a right angle, its centre r / 5 from both faces."""
    solid, out = written(box(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    assert main(["fillet", solid, *named(RIM), "--radius", "4", "--section", section, "-o", str(out)]) == 0
    free, sewn = shell(out)
    assert free == 0
    found = volume(solid_of(sewn))
    parabola = 16 / 6 * (2 * (100 + 60) - 8 * 4 / 5)
    if section == "rho":
        assert found == pytest.approx(100 * 60 * 40 - parabola, rel=1e-9)
    else:  # fuller than the parabola, and less so than the chord
        assert parabola < 100 * 60 * 40 - found < 3 * parabola


def test_a_rim_of_curved_faces_at_odd_angles_is_mitred_and_sews_closed(tmp_path, capsys):
    path, out = tmp_path / "block.step", tmp_path / "filleted.step"
    write_step([(f"F{i}", f) for i, f in enumerate(block(6))], path)
    rim = [block(6)[1].edge(e).space for e in ("u0", "v1", "u1", "v0")]
    places = " ".join(",".join(f"{x:.6f}" for x in curve_points(c, [0.5])[0]) for c in rim)
    for radii in (["4"], ["3.2", "5", "4.4", "2.6"]):
        assert main(["fillet", str(path), *named(places), "--radius", *radii, "-o", str(out), "--json"]) == 0
        told = json.loads(capsys.readouterr().out)
        assert max(s["angle"] for f in told["fillets"] for s in f["sides"]) < 0.004
        assert max(f["radius_error"] for f in told["fillets"]) < 0.001
        assert shell(out)[0] == 0


def test_a_corner_of_creases_that_open_to_different_sides_is_refused(tmp_path, capsys):
    step = BRepAlgoAPI_Cut(box(), BRepPrimAPI_MakeBox(gp_Pnt(60, -1, 25), 50.0, 70.0, 20.0).Shape()).Shape()
    solid = written(step, tmp_path / "step.step")
    words = ["fillet", solid, *named("60,30,25 80,0,25 60,0,35"), "--radius", "4", "--out", str(tmp_path / "out.step")]
    assert main(words) == 2
    told = capsys.readouterr().err
    assert "Near (60.00, 0.00, 25.00) mm" in told
    assert "open to different sides" in told
    assert main([*words, "--radius", "5"]) == 2
    assert "once for each of the 3 edges" in capsys.readouterr().err
