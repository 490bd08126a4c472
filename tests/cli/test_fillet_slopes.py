"""A rim of a sloping top that runs over a rounded upright edge, narrower than the ball is high there: read back and
sewn by OpenCASCADE, what is left of the top in closed form."""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Common
from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeFace
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeHalfSpace
from OCP.gp import gp_Dir, gp_Pln, gp_Pnt
from OCP.TopAbs import TopAbs_ShapeEnum
from OCP.TopoDS import TopoDS

from pamble.cli.main import main
from tests.cli.test_fillet_shells import shell
from tests.other_library import shape_area, written
from tests.readback import explored, faces

UPRIGHT, RIM = 2.5, 2.0


@pytest.mark.parametrize("degrees", [5, 20, 40])
def test_a_rim_runs_over_a_rounded_upright_edge_of_a_sloping_top(degrees, tmp_path):
    # A post of 40 mm with a sloping top, one of its upright edges rounded first.
    t = np.radians(degrees)
    n = np.array([0.8 * np.sin(t), 0.6 * np.sin(t), np.cos(t)])
    top = BRepBuilderAPI_MakeFace(gp_Pln(gp_Pnt(0, 0, 30), gp_Dir(*n)), -200, 200, -200, 200).Face()
    below = BRepPrimAPI_MakeHalfSpace(top, gp_Pnt(0, 0, -50)).Solid()
    post = BRepPrimAPI_MakeBox(gp_Pnt(-20, -20, 0), gp_Pnt(20, 20, 80)).Shape()
    into = written(BRepAlgoAPI_Common(post, below).Shape(), tmp_path / "post.step")
    first, out = tmp_path / "upright.step", tmp_path / "rim.step"
    assert main(["fillet", into, "--edge", "20,20,5", "--radius", str(UPRIGHT), "-o", str(first)]) == 0
    rim = f"0,20,{30 - 20 * n[1] / n[2]}"
    assert main(["fillet", str(first), "--edge", rim, "--radius", str(RIM), "-o", str(out)]) == 0
    free, sewn = shell(out)
    assert free == 0
    assert len(explored(sewn, TopAbs_ShapeEnum.TopAbs_FACE)) == len(faces(out))
    # The ball's centre keeps its radius from both walls and from the rounded edge between them: seen from above the
    # top is left where such a centre lies below it, a square with a corner rounded by the difference of both radii.
    wide, deep = (40 - RIM + RIM * x for x in n[:2])
    left = (wide * deep - (1 - np.pi / 4) * (UPRIGHT - RIM) ** 2) / n[2]
    areas = [shape_area(TopoDS.Face(f)) for f in faces(out)]
    assert min(abs(a - left) for a in areas) < 1e-3
