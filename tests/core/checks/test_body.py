"""Area, closedness and volume against OpenCASCADE's solids, which know both, and Steiner's formula."""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut, BRepAlgoAPI_Fuse
from OCP.BRepGProp import BRepGProp
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCone,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.GProp import GProp_GProps

from pamble.core.checks.body import body_of
from pamble.core.exchange.step import read_step
from pamble.core.faces.twins import turn_over
from tests.other_library import written


def leaning(x, y, z, way=(0.3, 0.2, 1.0)):
    return gp_Ax2(gp_Pnt(x, y, z), gp_Dir(*way))


# fmt: off
SOLIDS = {
    "box with a leaning hole": lambda: BRepAlgoAPI_Cut(
        BRepPrimAPI_MakeBox(60, 50, 40).Shape(), BRepPrimAPI_MakeCylinder(leaning(25, 20, -20), 9, 90).Shape()).Shape(),
    "rods that cross": lambda: BRepAlgoAPI_Fuse(
        BRepPrimAPI_MakeCylinder(leaning(0, 0, -40, (0, 0, 1)), 12, 80).Shape(),
        BRepPrimAPI_MakeCylinder(leaning(-40, 2, 0, (1, 0.1, 0)), 7, 80).Shape()).Shape(),
    "ball": lambda: BRepPrimAPI_MakeSphere(30).Shape(),
    "ring with a notch": lambda: BRepAlgoAPI_Cut(
        BRepPrimAPI_MakeTorus(50, 15).Shape(), BRepPrimAPI_MakeBox(gp_Pnt(30, -8, -30), 40, 16, 60).Shape()).Shape(),
    "cone on a box": lambda: BRepAlgoAPI_Fuse(
        BRepPrimAPI_MakeBox(gp_Pnt(-30, -30, -20), 60, 60, 20).Shape(),
        BRepPrimAPI_MakeCone(leaning(0, 0, 0, (0, 0, 1)), 20, 6, 35).Shape()).Shape(),
    "foil with a hole": lambda: BRepAlgoAPI_Cut(
        BRepPrimAPI_MakeBox(60, 50, 0.12).Shape(),
        BRepPrimAPI_MakeCylinder(leaning(25, 20, -20), 9, 90).Shape()).Shape(),
    "thin tube": lambda: BRepAlgoAPI_Cut(
        BRepPrimAPI_MakeCylinder(12, 40).Shape(),
        BRepPrimAPI_MakeCylinder(11.9, 40).Shape()).Shape(),
}
# fmt: on


@pytest.mark.parametrize("name", SOLIDS)
def test_area_and_volume_of_a_solid_whichever_way_its_faces_point(name, tmp_path):
    solid = SOLIDS[name]()
    area, volume = GProp_GProps(), GProp_GProps()
    BRepGProp.SurfaceProperties_s(solid, area, 1e-8)
    BRepGProp.VolumeProperties_s(solid, volume, 1e-8)
    faces = [item.made for item in read_step(written(solid, tmp_path / "solid.step"))]
    faces = [turn_over(f) if i % 3 == 1 else f for i, f in enumerate(faces)]
    found = body_of(faces)
    assert found.closed
    assert found.pieces == 1
    assert found.area == pytest.approx(area.Mass(), rel=2e-6)
    assert found.volume == pytest.approx(volume.Mass(), rel=2e-6)
    # One more turned over is one more, or one less, that points to the other side.
    again = body_of([*faces[:-1], turn_over(faces[-1])])
    if len(faces) > 1:
        assert set(found.turned) ^ set(again.turned) == {len(faces) - 1}
    assert again.volume == pytest.approx(found.volume)


def test_a_body_with_a_face_missing_is_open_by_that_faces_border(tmp_path):
    faces = [item.made for item in read_step(written(BRepPrimAPI_MakeBox(60, 50, 40).Shape(), tmp_path / "box.step"))]
    found = body_of(faces[1:])
    assert found.volume is None
    assert sum(o.length for o in found.open) == pytest.approx(sum(2 * np.array([50, 40])))
    assert found.area == pytest.approx(2 * (60 * 50 + 50 * 40 + 60 * 40) - 50 * 40)
    two = body_of([faces[0], faces[1]])
    assert two.pieces == 2
