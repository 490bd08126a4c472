"""Fillets that end at a face across their crease: it is cut off, or has to grow, or a contact runs past the corner
inside the face beside it. OpenCASCADE sews the result, and makes the same fillet.
"""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common, BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepBuilderAPI import (
    BRepBuilderAPI_MakeFace,
    BRepBuilderAPI_MakePolygon,
    BRepBuilderAPI_MakeSolid,
    BRepBuilderAPI_MakeVertex,
    BRepBuilderAPI_Sewing,
)
from OCP.BRepExtrema import BRepExtrema_DistShapeShape
from OCP.BRepFilletAPI import BRepFilletAPI_MakeChamfer, BRepFilletAPI_MakeFillet
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCone, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopExp import TopExp_Explorer
from OCP.TopoDS import TopoDS

from pamble.cli.main import main
from tests import readback
from tests.cli.test_fillet_shells import box, rod, shell, tee
from tests.other_library import volume, written


def block(x, y, z, *sizes):
    return BRepPrimAPI_MakeBox(gp_Pnt(x, y, z), *map(float, sizes)).Shape()


def notch():
    return BRepAlgoAPI_Cut(box(), rod(50, 0, -5, (0, 0, 1), 18, 60)).Shape()


def half_tee():
    """Its edges are intersections of many short spans, which run off beyond their ends."""
    return BRepAlgoAPI_Cut(tee(), block(-200, -200, -200, 203, 400, 400)).Shape()


def cone_corner():
    return BRepAlgoAPI_Cut(BRepPrimAPI_MakeCone(35.0, 12.0, 50.0).Shape(), block(6, 4, 15, 60, 90, 60)).Shape()


def near(solid, place):
    """The edge of a solid nearest to a place."""
    point = BRepBuilderAPI_MakeVertex(gp_Pnt(*place)).Vertex()
    walk, best = TopExp_Explorer(solid, TopAbs_ShapeEnum.TopAbs_EDGE), None
    while walk.More():
        away = BRepExtrema_DistShapeShape(point, walk.Current()).Value()
        if best is None or away < best[0]:
            best = away, TopoDS.Edge(walk.Current())
        walk.Next()
    return best[1]


def chamfered(solid, distance, *places):
    made = BRepFilletAPI_MakeChamfer(solid)
    for place in places:
        made.Add(distance, near(solid, place))
    return made.Shape()


def small_chamfers():
    """Edges shorter than the fillet is wide: they go whole, and the faces behind them end it."""
    return chamfered(box(), 2.0, (0, 0, 20), (100, 0, 20), (0, 60, 20), (100, 60, 20))


def pocket():
    """Mouths turn at corners that lean back over the wall."""
    tool = block(20, 15, 10, 60, 30, 60)
    return BRepAlgoAPI_Cut(box(), chamfered(tool, 2.0, (20, 15, 20), (80, 15, 20))).Shape()


def pyramid():
    """Two faces stand across at its tip."""
    around = np.radians(17 + 90 * np.arange(4))
    at = [(0.0, 0.0, 40.0), *((40 * np.cos(a), 40 * np.sin(a), 0.0) for a in around)]
    return solid_of(at, (0, 1, 2), (0, 2, 3), (0, 3, 4), (0, 4, 1), (4, 3, 2, 1))


def blunted():
    """A corner cut off by less than the fillet takes: the small face goes whole."""
    at = [(98.0, 0.0, 40.0), (100.0, 2.0, 40.0), (100.0, 0.0, 38.0), (101.0, -1.0, 41.0)]
    return BRepAlgoAPI_Cut(box(), solid_of(at, (0, 1, 2), (0, 3, 1), (1, 3, 2), (2, 3, 0))).Shape()


def solid_of(at, *rows):
    sewing = BRepBuilderAPI_Sewing(1e-6)
    for row in rows:
        outline = BRepBuilderAPI_MakePolygon()
        for k in row:
            outline.Add(gp_Pnt(*map(float, at[k])))
        outline.Close()
        sewing.Add(BRepBuilderAPI_MakeFace(outline.Wire()).Face())
    sewing.Perform()
    return BRepBuilderAPI_MakeSolid(TopoDS.Shell(sewing.SewedShape())).Solid()


def step():
    """The edge runs into a wall lower than the fillet; the face beside it runs on in another."""
    return BRepAlgoAPI_Fuse(box(), block(100, 0, 0, 50, 60, 38)).Shape()


def grooved():
    """A groove round the corner, narrower than the fillet."""
    return BRepAlgoAPI_Cut(box(), rod(100, 0, -5, (0, 0, 1), 3, 60)).Shape()


def tower(*radii):
    """Rings of five corners above each other: its upright edges kink from floor to floor."""
    around, last = 0.4 * np.pi * np.arange(5), 5 * len(radii) - 5
    rings = [(r * np.cos(a), r * np.sin(a), 25.0 * k) for k, r in enumerate(radii) for a in around]
    walls = [(a + k, a + (k + 1) % 5, a + 5 + (k + 1) % 5, a + 5 + k) for a in range(0, last, 5) for k in range(5)]
    return solid_of(rings, *walls, (4, 3, 2, 1, 0), range(last, last + 5))


def kinked():
    return tower(38, 30, 17)


def waisted():
    return tower(40, 31, 27)


def sunk_rod():
    """A rod that rises by 3.6° out of a block: its joint leaves the crease as flat."""
    way = np.array([np.cos(0.063), 0.0, np.sin(0.063)])
    joint = np.array([0.0, -14.142, -5.0]) - 5 * way[2] * -way
    axes = gp_Ax2(gp_Pnt(*(np.array([50, 30, 45]) - 70 * way)), gp_Dir(*way), gp_Dir(*joint))
    return BRepAlgoAPI_Fuse(box(), BRepPrimAPI_MakeCylinder(axes, 15.0, 90.0).Shape()).Shape()


def parted_drum():
    """A rod out of a drum whose wall is in two; its own joint lies beside one of them, so that the crease has an edge
    more there.
    """
    drum, half = BRepPrimAPI_MakeCylinder(30.0, 40.0).Shape(), block(-50, 0, -5, 100, 50, 50)
    whole = BRepAlgoAPI_Fuse(BRepAlgoAPI_Cut(drum, half).Shape(), BRepAlgoAPI_Common(drum, half).Shape()).Shape()
    axes = gp_Ax2(gp_Pnt(5, 0, 20), gp_Dir(1, 0, 0), gp_Dir(0, 1, 0.3))
    return BRepAlgoAPI_Fuse(BRepPrimAPI_MakeCylinder(axes, 9.0, 45.0).Shape(), whole).Shape()


CASES = {
    "beside a joint that leaves the crease at a flat angle": (sunk_rod, (60, 16, 40), 0.3),
    "up to a kink": (kinked, (34, 0, 12.5), 3.0),
    "down to a waist": (waisted, (29, 0, 37.5), 3.0),
    "over chamfers that it consumes": (small_chamfers, (50, 0, 40), 5.0),
    "a floor between chamfered corners": (pocket, (50, 15, 10), 5.0),
    "a mouth between corners that lean back": (pocket, (50, 15, 40), 5.0),
    "at a tip of four faces": (pyramid, (20 * np.cos(np.radians(17)), 20 * np.sin(np.radians(17)), 20), 3.0),
    "over a small corner that goes whole": (blunted, (40, 0, 40), 5.0),
    "along a face that goes on under a low wall": (step, (125, 0, 38), 3.0),
    "over a round groove": (grooved, (50, 0, 40), 6.0),
    "both ends of an edge on one round wall": (notch, (60.58, 14.56, 40), 2.0),
    "an upright edge between two curved ends": (notch, (32, 0, 12), 3.0),
    "where two rods meet, cut in half": (half_tee, (15.86, 8.52, 28.77), 2.0),
    "a rim cut in half": (half_tee, (16.43, 7.36, 70), 3.0),
    "beside a corner that juts into a cone": (cone_corner, (21.32, 4, 28.94), 2.0),
    "a foot that ends in the open": (cone_corner, (12.54, 4, 15), 2.0),
}


@pytest.mark.parametrize("name", CASES)
def test_the_shell_closes_and_the_other_library_makes_the_same(name, tmp_path):
    make, place, radius = CASES[name]
    solid, out = make(), tmp_path / "filleted.step"
    words = ["fillet", written(solid, tmp_path / "solid.step"), "--edge", ",".join(map(str, place)), "-o", str(out)]
    known = BRepFilletAPI_MakeFillet(solid)
    known.Add(radius, near(solid, place))
    change = volume(known.Shape()) - volume(solid)
    assert main([*words, "--radius", str(radius)]) == 0
    free, sewn = shell(out)
    assert free == 0
    # What is filleted is small beside the whole, whose volume is known to a few millionths.
    assert volume(sewn) - volume(solid) == pytest.approx(change, rel=0.01, abs=3e-6 * volume(solid))
    assert main([*words, "--radius", str(radius), "--section", "g3"]) == 0
    assert shell(out)[0] == 0


@pytest.mark.parametrize("top", [23.5, 25.5])
def test_above_a_waist_that_hardly_kinks_walls_grow_far_beneath_the_fillet(top, tmp_path):
    """OpenCASCADE fillets the upper floor by itself, and adds the lower one carried on up to the top."""
    solid, out, place = tower(40, 31, top), tmp_path / "filleted.step", (0.5 * (31 + top), 0, 37.5)
    words = ["fillet", written(solid, tmp_path / "solid.step"), "--edge", ",".join(map(str, place)), "-o", str(out)]
    assert main([*words, "--radius", "3"]) == 0
    free, sewn = shell(out)
    assert free == 0
    upper = BRepAlgoAPI_Cut(tower(62 - top, 31, top), block(-100, -100, 0, 200, 200, 25)).Shape()
    known = BRepFilletAPI_MakeFillet(upper)
    known.Add(3.0, near(upper, place))
    assert volume(sewn) == pytest.approx(volume(BRepAlgoAPI_Fuse(known.Shape(), tower(40, 31, 22)).Shape()), rel=2e-6)


@pytest.mark.parametrize("face", ["60,0,20", "0,30,20"])
def test_a_crease_beside_a_face_in_two_is_followed_whichever_face_is_meant(face, tmp_path):
    solid, out, place = parted_drum(), tmp_path / "filleted.step", (29.65, 4.5, 12.2)
    known = BRepFilletAPI_MakeFillet(solid)
    known.Add(2.0, near(solid, place))
    edge = ",".join(map(str, place)) + "@" + face
    assert main(["fillet", written(solid, tmp_path / "in.step"), "--edge", edge, "--radius", "2", "-o", str(out)]) == 0
    free, sewn = shell(out)
    assert free == 0
    assert volume(sewn) - volume(solid) == pytest.approx(volume(known.Shape()) - volume(solid), rel=1e-3)


def gnawed_cone():
    """An edge of it is an arc, and a fillet runs on beyond that for longer than half of it."""
    leaning = gp_Ax2(gp_Pnt(6.47, -16.07, 2.5), gp_Dir(-0.525, -0.473, 0.7076), gp_Dir(0.803, 0.0, 0.596))
    tool = BRepPrimAPI_MakeBox(leaning, 28.85, 52.42, 18.44).Shape()
    return BRepAlgoAPI_Cut(BRepPrimAPI_MakeCone(28.18, 5.53, 50.0).Shape(), tool).Shape()


def test_a_fillet_runs_on_beyond_an_arc_by_more_than_half_of_it(tmp_path):
    """And is as exact there: a part of it lies beyond the edge at both ends."""
    solid, place, out = gnawed_cone(), (-8.25, 16.07, 22.33), tmp_path / "filleted.step"
    known = BRepFilletAPI_MakeFillet(solid)
    known.Add(3.5, near(solid, place))
    change = volume(known.Shape()) - volume(solid)
    edge = "--edge=" + ",".join(map(str, place))
    assert main(["fillet", written(solid, tmp_path / "solid.step"), edge, "--radius", "3.5", "-o", str(out)]) == 0
    free, sewn = shell(out)
    assert free == 0
    assert volume(sewn) - volume(solid) == pytest.approx(change, rel=0.003)
    cone, *_, made = readback.faces(out)
    seam = readback.nearest_seam(made, cone, 0.01, 80)
    assert seam.gap < 1e-4
    assert seam.angle < 0.005


def ribbed(turn: float):
    """A rib that runs into a round boss whose joint stands at an angle, degrees."""
    way = gp_Dir(np.cos(np.radians(turn)), np.sin(np.radians(turn)), 0)
    boss = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(50, 30, 40), gp_Dir(0, 0, 1), way), 15.0, 40.0).Shape()
    return BRepAlgoAPI_Fuse(BRepAlgoAPI_Fuse(box(), boss).Shape(), block(10, 25, 40, 40, 10, 25)).Shape()


@pytest.mark.parametrize(("height", "turn"), [(65, 164.0), (40, 158.0)])
def test_where_the_joint_of_a_round_wall_lies_in_the_corner_makes_no_difference(height, turn, tmp_path):
    changes = []
    for at in (0.0, turn):
        solid, out = ribbed(at), tmp_path / "filleted.step"
        words = ["fillet", written(solid, tmp_path / "solid.step"), "--edge", f"20,35,{height}", "--radius", "3"]
        assert main([*words, "-o", str(out)]) == 0
        free, sewn = shell(out)
        assert free == 0
        changes.append(volume(sewn) - volume(solid))
    assert changes[1] == pytest.approx(changes[0], abs=0.01)


def test_a_contact_that_leaves_its_face_on_the_way_is_told_with_its_place(tmp_path, capsys):
    boss = BRepAlgoAPI_Fuse(box(), block(45, 1, 40, 10, 10, 20)).Shape()
    words = ["fillet", written(boss, tmp_path / "boss.step"), "--edge", "20,0,40", "-o", str(tmp_path / "out.step")]
    assert main([*words, "--radius", "0.9"]) == 0
    capsys.readouterr()
    assert main([*words, "--radius", "3"]) == 2
    assert "(50." in (told := capsys.readouterr().err)
    assert "the contact of the ball leaves its face: a smaller radius is needed." in told
