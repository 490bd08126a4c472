"""What is exported shares whole edges: read back and sewn by OpenCASCADE, no edge has to be parted."""

import numpy as np
from OCP.BRepBuilderAPI import BRepBuilderAPI_Sewing
from OCP.BRepCheck import BRepCheck_Analyzer
from OCP.STEPControl import STEPControl_Reader
from OCP.TopAbs import TopAbs_ShapeEnum

from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.core.faces.trim import Cutter, divide
from pamble.core.planes import plane_at
from tests.other_library import shape_area
from tests.readback import explored
from tests.shapes import plane


def test_an_edge_beside_two_faces_is_parted_where_they_meet(tmp_path):
    flat = Face(plane((-10, -10, 0), (60, 0, 0), (0, 60, 0)))
    deck = divide(flat, [Cutter("rim", "a plane", plane_at(np.zeros(3), np.array([0, 1.0, 0])))], 1e-6)
    upper = next(r.number for r in deck.regions if r.at[1] > 0.5)
    lid = deck.holding([upper])[0]
    walls = [Face(plane((x, 0, 0), (30, 0, 0), (0, 0, -20))) for x in (-10.0, 20.0)]
    path = tmp_path / "part.step"
    write_step([("Lid", lid), ("Left", walls[0]), ("Right", walls[1])], path)
    reader = STEPControl_Reader()
    reader.ReadFile(str(path))
    reader.TransferRoots()
    shape = reader.OneShape()
    counts = sorted(
        len(explored(f, TopAbs_ShapeEnum.TopAbs_EDGE)) for f in explored(shape, TopAbs_ShapeEnum.TopAbs_FACE)
    )
    assert counts == [4, 4, 5]
    sewing = BRepBuilderAPI_Sewing(1e-3)
    sewing.Add(shape)
    sewing.Perform()
    # The walls share an upright, and each an edge of the lid's.
    assert (sewing.NbContigousEdges(), sewing.NbMultipleEdges()) == (3, 0)
    assert BRepCheck_Analyzer(sewing.SewedShape()).IsValid()
    assert abs(shape_area(shape) - (60 * 50 + 2 * 30 * 20)) < 1e-6
