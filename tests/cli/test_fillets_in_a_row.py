"""Fillets along an edge beside several faces that run on into each other, read back by OpenCASCADE alone."""

import json
from itertools import pairwise

import numpy as np
import pytest
from OCP.BRep import BRep_Tool
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_GTransform,
    BRepBuilderAPI_MakeEdge,
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakeWire,
)
from OCP.BRepOffsetAPI import BRepOffsetAPI_ThruSections
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakePrism, BRepPrimAPI_MakeSphere, BRepPrimAPI_MakeTorus
from OCP.GC import GC_MakeArcOfCircle
from OCP.GeomAPI import GeomAPI_Interpolate
from OCP.GeomLProp import GeomLProp_SLProps
from OCP.gp import gp_Ax2, gp_Dir, gp_GTrsf, gp_Mat, gp_Pnt, gp_Vec, gp_XYZ
from OCP.OCP.collections import HArray1_gp_Pnt

from pamble.cli.main import main
from pamble.core.checks.body import body_of
from pamble.core.exchange.step import read_step
from tests.cli.test_fillet_shells import shell
from tests.other_library import volume, written
from tests.readback import faces, nearest_seam


def oblique():
    """A deck that bends down into a cylinder without a kink, cut by a wall that stands at 55° to where it begins."""
    end = (30 + 40 * np.sin(np.radians(40)), 40 * np.cos(np.radians(40)) - 20)
    middle = gp_Pnt(30 + 40 * np.sin(np.radians(20)), 0, 40 * np.cos(np.radians(20)) - 20)
    arc = GC_MakeArcOfCircle(gp_Pnt(30, 0, 20), middle, gp_Pnt(end[0], 0, end[1])).Value()
    corners = [gp_Pnt(x, 0, z) for x, z in (end, (end[0], 0), (0, 0), (0, 20), (30, 20))]
    made = BRepBuilderAPI_MakeWire(BRepBuilderAPI_MakeEdge(arc).Edge())
    for a, b in pairwise(corners):
        made.Add(BRepBuilderAPI_MakeEdge(a, b).Edge())
    body = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(made.Wire()).Face(), gp_Vec(0, 40, 0)).Shape()
    beyond = gp_Ax2(gp_Pnt(0, -10, -50), gp_Dir(0, 0, 1), gp_Dir(1, 0.7, 0))
    return BRepAlgoAPI_Common(body, BRepPrimAPI_MakeBox(beyond, 200.0, 200.0, 200.0).Shape()).Shape()


def pad():
    """Lofted straight from a rectangle with round ends to a smaller one: planes give way to leaning oblique cones."""
    made = BRepOffsetAPI_ThruSections(True, True, 1e-5)
    for scale, z in ((1.0, 0.0), (0.75, 25.0)):
        x, r = 14 * scale, 12 * scale
        ends = [gp_Pnt(-x, -r, z), gp_Pnt(x, -r, z), gp_Pnt(x, r, z), gp_Pnt(-x, r, z)]
        wire = BRepBuilderAPI_MakeWire()
        for k, top in ((0, None), (1, gp_Pnt(x + r, 0, z)), (2, None), (3, gp_Pnt(-x - r, 0, z))):
            a, b = ends[k], ends[(k + 1) % 4]
            made_of = (a, b) if top is None else (GC_MakeArcOfCircle(a, top, b).Value(),)
            wire.Add(BRepBuilderAPI_MakeEdge(*made_of).Edge())
        made.AddWire(wire.Wire())
    made.Build()
    return made.Shape()


BODIES = {
    "a deck that bends, cut at 55°": (oblique, "22,5.4,20", 3.0, 2),
    "a leaning pad with round ends": (pad, "0,-12,0", 2.0, 4),
}


@pytest.mark.parametrize("section", ["ball", "g3"])
@pytest.mark.parametrize("body", BODIES)
def test_fillets_run_on_tangentially_where_the_curvature_of_the_faces_jumps(body, section, tmp_path, capsys):
    make, edge, radius, count = BODIES[body]
    solid, out = written(make(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    words = ["fillet", solid, "--edge", edge, "--radius", str(radius), "--section", section, "-o", str(out)]
    assert main(words) == 0
    assert "the fillets meet there at" not in capsys.readouterr().out
    assert shell(out)[0] == 0
    beside, fillets = faces(out)[:-count], faces(out)[-count:]
    row = list(pairwise([*fillets, *fillets[: count > 2]]))
    for one, two in row:
        joint = nearest_seam(one, two, 1 / 100, 13)
        assert joint.gap < 0.001
        # Without a lean: .18 to .42° on the deck, .16 to .37° on the pad.
        assert joint.angle < (1e-3 if section == "ball" else 0.012)
    for one in fillets:
        seams = [nearest_seam(one, wall, 1 / 100, 13) for wall in beside]
        sides = [s for s in seams if s.gap < 0.002 and s.angle < 45.0]
        assert len(sides) == 2
        assert max(s.angle for s in sides) < 0.015
        assert section in ("ball", "rho") or max(s.curvature for s in sides) < 5.0


def overhanging():
    """A boss with round corners on a plate, that juts out over a side of it: its walls run on below the plate's top."""
    far, k = 5.0, 5.0 * (1 - np.sqrt(0.5))
    at = [(18, -20), (42, -20), (42, 15), (42 - k, 20 - k), (37, 20), (23, 20), (18 + k, 20 - k), (18, 15)]
    p = [gp_Pnt(x, y, 5) for x, y in at]
    corners = [GC_MakeArcOfCircle(*p[i : i + 3]).Value() for i in (2, 5)]
    made = BRepBuilderAPI_MakeWire()
    for part in ((p[0], p[1]), (p[1], p[2]), (corners[0],), (p[4], p[5]), (corners[1],), (p[7], p[0])):
        made.Add(BRepBuilderAPI_MakeEdge(*part).Edge())
    boss = BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(made.Wire()).Face(), gp_Vec(0, 0, 30 + far)).Shape()
    return BRepAlgoAPI_Fuse(BRepPrimAPI_MakeBox(60.0, 60.0, 20.0).Shape(), boss).Shape()


@pytest.mark.parametrize("section", ["ball", "g2"])
def test_the_foot_of_a_boss_that_juts_out_over_its_plate_is_filleted_to_the_plates_side(section, tmp_path):
    solid, out = overhanging(), tmp_path / "filleted.step"
    words = ["fillet", written(solid, tmp_path / "solid.step"), "--edge", "30,20,20", "--radius", "2", "-o", str(out)]
    assert main([*words, "--section", section]) == 0
    free, sewn = shell(out)
    assert free == 0
    assert body_of([item.face for item in read_step(out)]).turned == ()
    # Two straight stretches of 15, one of 14, and two quarters of a torus of which Pappus tells the volume.
    corner = (1 - np.pi / 4) * 2.0**2
    middle = 5.0 + 2.0 * (1 - 1 / (6 * (1 - np.pi / 4)))
    if section == "ball":
        assert volume(sewn) - volume(solid) == pytest.approx(corner * (44 + np.pi * middle), rel=1e-5)


def egg():
    """A block whose wall is one smooth spline all round, in two faces."""
    places = HArray1_gp_Pnt(1, 7)
    for k, radius in enumerate((40, 46, 38, 44, 36, 42, 39)):
        angle = 2 * np.pi * k / 7
        places.SetValue(k + 1, gp_Pnt(radius * np.cos(angle), 0.7 * radius * np.sin(angle), 0))
    through = GeomAPI_Interpolate(places, True, 1e-6)
    through.Perform()
    outline = through.Curve()
    start, end = outline.FirstParameter(), outline.LastParameter()
    made = BRepBuilderAPI_MakeWire()
    for a, b in pairwise([start, start + 0.4 * (end - start), end]):
        made.Add(BRepBuilderAPI_MakeEdge(outline, a, b).Edge())
    return BRepPrimAPI_MakePrism(BRepBuilderAPI_MakeFace(made.Wire()).Face(), gp_Vec(3, 0, 30)).Shape()


def test_fillets_in_a_row_end_in_the_very_same_rows(tmp_path):
    solid, out = written(egg(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    words = ["fillet", solid, "--edge", "43,0,30", "--radius", "5", "--section", "rho", "-o", str(out)]
    assert main(words) == 0
    found = [BRep_Tool.Surface_s(f) for f in faces(out)][-2:]
    ends = [
        np.array([[s.Pole(row, j + 1).Coord() for j in range(s.NbVPoles())] for row in (1, s.NbUPoles())])
        for s in found
    ]
    for one, two in (ends, ends[::-1]):
        assert np.abs(one[1] - two[0]).max() < 1e-12
    assert shell(out)[0] == 0


def torus_with_a_nose():
    """A torus joined with an ellipsoid in two halves: fillets along its rim end a hair beside breaks of their own."""
    torus = BRepPrimAPI_MakeTorus(gp_Ax2(gp_Pnt(0, 0, 5), gp_Dir(0, 0, 1)), 28.169268586065915, 11.771965335256061)
    axes = gp_Ax2(gp_Pnt(-1.32463343, 13.15007791, 3.49060018), gp_Dir(0.74134184, 0.36106303, 0.56572587))
    stretch = gp_Mat(1.33949173, 0, 0, 0, 1.17201906, 0, 0, 0, 1.0310354)
    ball = BRepPrimAPI_MakeSphere(axes, 16.0).Shape()
    nose = BRepBuilderAPI_GTransform(ball, gp_GTrsf(stretch, gp_XYZ(0, 0, 0)), True).Shape()
    return BRepAlgoAPI_Fuse(torus.Shape(), nose).Shape()


@pytest.mark.parametrize("section", ["ball", "g3"])
def test_fillets_and_their_contacts_run_straight_up_to_where_they_end(section, tmp_path, capsys):
    solid, out = written(torus_with_a_nose(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    words = ["fillet", solid, "--edge", "1.0881,26.5792,16.6671", "--radius", "1", "--section", section, "-o", str(out)]
    assert main([*words, "--json"]) == 0
    told = json.loads(capsys.readouterr().out)
    # A span of .00002 mm left at their ends turned them round there: by 180°, 29° between the two.
    assert max(side["angle"] for made in told["fillets"] for side in made["sides"]) < 0.005
    assert not any("meet there at" in words for words in told["warnings"])
    found = faces(out)[-2:]
    for a, b in (found, found[::-1]):
        assert nearest_seam(a, b, 1 / 100, 33).angle < 0.01
    assert shell(out)[0] == 0


def test_the_radius_changes_along_a_loop_and_comes_back_to_where_it_starts(tmp_path, capsys):
    solid, out = written(pad(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    words = ["fillet", solid, "--edge", "0,-12,0", "--radius", "2", "-o", str(out)]
    assert main([*words, "--radius-at", "0.25=3", "--radius-at", "0.6=1.4"]) == 0
    assert shell(out)[0] == 0
    fillets, radii = faces(out)[-4:], []
    for surface in map(BRep_Tool.Surface_s, fillets):
        low, high, *_ = surface.Bounds()
        for u in np.linspace(low, high, 41):
            # Across the middle of a section the greater curvature is the ball's.
            found = GeomLProp_SLProps(surface, u, 0.5, 2, 1e-9)
            assert found.IsCurvatureDefined()
            radii.append(1 / max(abs(found.MinCurvature()), abs(found.MaxCurvature())))
    assert [min(radii), max(radii)] == pytest.approx([1.4, 3.0], rel=0.01)
    for one, two in pairwise([*fillets, fillets[0]]):
        assert nearest_seam(one, two, 1 / 100, 13).angle < 0.15
    capsys.readouterr()
    # With a wider swing the balls' own sections would end apart; those of curvature are made one.
    assert main([*words, "--radius-at", "0.5=4", "--section", "g2"]) == 0
    assert shell(out)[0] == 0
    fillets = faces(out)[-4:]
    for one, two in pairwise([*fillets, fillets[0]]):
        assert nearest_seam(one, two, 1 / 100, 13).angle < 0.012
    assert main([*words, "--radius-at", "0.5=5"]) == 2
    assert "mm apart" in capsys.readouterr().err
    assert main([*words, "--radius-end", "3"]) == 2
    assert "ends with the radius with which it starts" in capsys.readouterr().err


def test_a_fillet_of_constant_width_eases_its_radius_over_joints_and_tells_what_it_bends(tmp_path, capsys):
    solid, out = written(pad(), tmp_path / "solid.step"), tmp_path / "filleted.step"
    assert main(["fillet", solid, "--edge", "0,-12,0", "--section", "chord", "--chord", "3", "-o", str(out)]) == 0
    assert shell(out)[0] == 0
    assert "the fillets meet there at 0.03°" in capsys.readouterr().out
    fillets = faces(out)[-4:]
    for one, two in pairwise([*fillets, fillets[0]]):
        # Not eased: .05°.
        assert nearest_seam(one, two, 1 / 100, 13).angle < 0.04
