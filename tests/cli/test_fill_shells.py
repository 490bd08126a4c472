"""Faces taken out of solids that another library rounded, filled by command, and sewn by that library."""

import json

import numpy as np
import pytest
from OCP.BRep import BRep_Builder
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace, BRepBuilderAPI_MakePolygon, BRepBuilderAPI_Sewing
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeSphere
from OCP.gp import gp_Pnt
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Compound

from pamble.cli.main import main
from pamble.core.exchange.step import write_step
from pamble.core.spline.evaluate import surface_points
from tests.cli.test_fillet_ends import near
from tests.cli.test_fillet_shells import box, shell
from tests.core.corners.test_four import branches
from tests.core.patches.grounds import ground
from tests.other_library import volume, written
from tests.readback import explored


def centre(shape, kind="area") -> np.ndarray:
    found = GProp_GProps()
    (BRepGProp.SurfaceProperties_s if kind == "area" else BRepGProp.LinearProperties_s)(shape, found)
    c = found.CentreOfMass()
    return np.array([c.X(), c.Y(), c.Z()])


def rounded(radii: dict[tuple[float, float, float], float]):
    """A block with edges rounded, each named by its middle; all alike under no name."""
    solid, seen = box(), []
    made = BRepFilletAPI_MakeFillet(solid)
    for edge in explored(solid, TopAbs_ShapeEnum.TopAbs_EDGE):
        middle = tuple(centre(edge, "length").round(3).tolist())
        radius = radii.get(middle, radii.get((), 0.0))
        if radius and not any(edge.IsSame(e) for e in seen):
            made.Add(radius, TopoDS.Edge(edge))
            seen.append(edge)
    return made.Shape()


def without(shape, near) -> tuple[TopoDS_Compound, str]:
    """The faces of a shape but for the one whose middle is nearest to a place, and that middle in words."""
    faces = explored(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    gone = min(faces, key=lambda f: float(np.linalg.norm(centre(f) - near)))
    rest, build = TopoDS_Compound(), BRep_Builder()
    build.MakeCompound(rest)
    for face in faces:
        if face is not gone:
            build.Add(rest, face)
    return rest, ",".join(f"{x:.4f}" for x in centre(gone))


CORNER = ((100.0, 30.0, 40.0), (50.0, 60.0, 40.0), (100.0, 60.0, 20.0))
HOLES = {
    "a ball's corner": (dict.fromkeys(CORNER, 8.0), (97, 57, 37)),
    "a corner of unlike radii": (dict(zip(CORNER, (6.0, 9.0, 12.0), strict=True)), (96, 56, 36)),
    # The balls in the corners beside it have poles where its sides end.
    "an edge between two balls": ({(): 7.0}, (50, 58, 38)),
}


@pytest.mark.parametrize("name", HOLES)
def test_what_is_taken_out_of_a_rounded_block_is_filled_tangent_and_sews_closed(name, tmp_path, capsys):
    radii, near = HOLES[name]
    rest, at = without(rounded(radii), np.array(near))
    out = tmp_path / "filled.step"
    words = ["fill", written(rest, tmp_path / "open.step"), "--at", at, "--continuity", "G1", "-o", str(out), "--json"]
    capsys.readouterr()
    assert main(words) == 0
    sides = json.loads(capsys.readouterr().out)["sides"]
    assert max(s["gap"] for s in sides) < 0.001
    assert max(s["angle"] for s in sides) < 0.01
    assert shell(out)[0] == 0


def lens():
    """Two balls of 40 mm meet in a circle, of which a piece is cut out: a crease that bows out of the plane in which
    its fillet is narrow."""
    balls = [BRepPrimAPI_MakeSphere(gp_Pnt(0, y, 0), 40.0).Shape() for y in (-20, 20)]
    cut = BRepPrimAPI_MakeBox(gp_Pnt(-17, -30, 5), gp_Pnt(17, 30, 50)).Shape()
    return BRepAlgoAPI_Common(BRepAlgoAPI_Common(*balls).Shape(), cut).Shape()


@pytest.mark.parametrize(("solid", "on"), [(box, (50.0, 0.0, 40.0)), (lens, (0.0, 0.0, np.sqrt(1200.0)))])
def test_a_slot_between_sharp_ends_is_tangent_along_it_and_only_met_at_its_ends(solid, on, tmp_path, capsys):
    sharp = solid()
    made = BRepFilletAPI_MakeFillet(sharp)
    made.Add(3.0, near(sharp, on))
    whole = made.Shape()
    rest, at = without(whole, np.array(on))
    out = tmp_path / "filled.step"
    words = ["fill", written(rest, tmp_path / "open.step"), "--at", at, "--continuity", "G1", "-o", str(out), "--json"]
    capsys.readouterr()
    assert main(words) == 0
    said = json.loads(capsys.readouterr().out)
    assert sorted(s["continuity"] for s in said["sides"]) == ["G0", "G0", "G1", "G1"]
    assert max(s["angle"] for s in said["sides"] if s["continuity"] == "G1") < 0.005
    assert ["are met without tangents" in w for w in said["warnings"]] == [True]
    free, sewn = shell(out)
    assert free == 0
    assert volume(sewn) == pytest.approx(volume(whole), rel=1e-4)


def pyramid(count: int) -> tuple[object, np.ndarray, np.ndarray]:
    """A crooked pyramid, the middles of the edges that rise, and its tip."""
    rng = np.random.default_rng(count)
    turn = rng.uniform(-0.12, 0.12, count) + np.arange(count) * 2 * np.pi / count
    feet = np.stack([40 * np.cos(turn), 40 * np.sin(turn), 0 * turn], axis=1)
    tip = np.array([*rng.uniform(-3, 3, 2), 22.0])
    sewn = BRepBuilderAPI_Sewing()
    for ring in (*([a, b, tip] for a, b in zip(feet, np.roll(feet, -1, axis=0), strict=True)), feet):
        wire = BRepBuilderAPI_MakePolygon()
        for point in ring:
            wire.Add(gp_Pnt(*map(float, point)))
        wire.Close()
        sewn.Add(BRepBuilderAPI_MakeFace(wire.Wire()).Face())
    sewn.Perform()
    return sewn.SewedShape(), 0.5 * (feet + tip), tip


@pytest.mark.parametrize(("count", "order", "angle"), [(4, "G1", 0.01), (5, "G2", 0.03)])
def test_any_number_of_fillets_meet_round_a_hole_that_is_filled(count, order, angle, tmp_path, capsys):
    """Round fillets are bent and the faces between them flat: with G2 their corners contradict each other. That is
    told, and the tangents hold all the same.
    """
    solid, edges, tip = pyramid(count)
    picked = [w for e in edges for w in ("--edge", ",".join(f"{x:.4f}" for x in e))]
    cut, out = tmp_path / "cut.step", tmp_path / "filled.step"
    assert main(["fillet", written(solid, tmp_path / "in.step"), *picked, "--radius", "4", "-o", str(cut)]) == 0
    assert shell(cut)[0] == count
    capsys.readouterr()
    at = ",".join(f"{x:.4f}" for x in tip)
    words = ["fill", str(cut), "--at", at, "--continuity", order, "--layout", "spokes", "-o", str(out), "--json"]
    assert main(words) == 0
    said = json.loads(capsys.readouterr().out)
    assert max(s["gap"] for s in said["sides"]) < 0.002
    assert max(s["angle"] for s in said["sides"]) < angle
    assert len([w for w in said["warnings"] if "contradict" in w]) == (count if order == "G2" else 0)
    assert shell(out)[0] == 0


@pytest.mark.parametrize("cut", ["auto", "1,4"])
def test_faces_round_a_hole_of_six_sides_are_cut_back_and_the_shell_closes(cut, tmp_path, capsys):
    known = ground(2, 25)
    faces = branches(known, (95, 215, 325), 0.05, 0.18)
    write_step([(f"F{n}", f) for n, f in enumerate(faces)], tmp_path / "open.step")
    at, out = surface_points(known, [0.5], [0.5])[0], tmp_path / "filled.step"
    words = ["fill", str(tmp_path / "open.step"), "--at", ",".join(f"{x:.4f}" for x in at), "--cut", cut]
    capsys.readouterr()
    assert main([*words, "--layout", "four", "-o", str(out), "--json"]) == 0
    said = json.loads(capsys.readouterr().out)
    assert len(said["cut"]["corners"]) == 2
    assert said["hole"]["sides"] == 4
    assert max(s["angle"] for s in said["sides"]) < 0.005
    assert shell(out)[0] == 6
    assert main([*words[:-1], "2,3", "-o", str(out)]) == 2
    assert "is not cut back at corners 2, 3: there are" in capsys.readouterr().err
