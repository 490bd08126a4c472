"""Faces taken out of solids that another library rounded, filled by command, and sewn by that library."""

import json

import numpy as np
import pytest
from OCP.BRep import BRep_Builder
from OCP.BRepFilletAPI import BRepFilletAPI_MakeFillet
from OCP.BRepGProp import BRepGProp
from OCP.GProp import GProp_GProps
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS, TopoDS_Compound

from pamble.cli.main import main
from tests.cli.test_fillet_shells import box, shell, written
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
