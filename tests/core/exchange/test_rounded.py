"""Files that round their coordinates: their loops close, their edges are calm, and their faces are worked on."""

import re

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder, BRepPrimAPI_MakeTorus
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt
from OCP.STEPControl import STEPControl_StepModelType, STEPControl_Writer

from pamble.core.exchange.step import read_step, write_step
from pamble.core.faces.calmed import calmed
from pamble.core.faces.face import Face
from pamble.core.faces.shapes import face_from_shape
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import insert_knots
from tests.core.faces.test_trim import flat, pieces
from tests.other_library import face_area
from tests.shapes import panel

CUTS = (flat((60, 0, 0), (1, 0.2, 0), "t:a"), flat((0, 75, 0), (0.1, 1, 0.1), "t:b"))
WAY = Curve(3, basis.uniform_knots(3, 1), np.array([[0, 0, 0], [30, 25, 4], [70, 30, -6], [110, 5, 3]], dtype=float))


def cut_panel() -> Face:
    slab = Face(panel(lambda x, y: (x, y, 8 * np.sin(x / 50) + 0.002 * x * y)))
    return max(pieces(slab, *CUTS), key=face_area)


def round_off(path, decimals: int) -> list[Face]:
    """The faces of a file once its coordinates in space have so many decimals."""

    def short(found: re.Match) -> str:
        return found[1] + ",".join(f"{float(x):.{decimals}f}" for x in found[2].split(",")) + ")"

    path.write_text(re.sub(r"(CARTESIAN_POINT\s*\('[^']*',\s*\()([^,)]*,[^,)]*,[^,)]*)\)", short, path.read_text()))
    return [face_from_shape(item.shape) for item in read_step(path)]


@pytest.mark.parametrize("decimals", [3, 4])
def test_faces_of_a_file_with_few_decimals_close_and_are_cut_like_the_exact_ones(decimals, tmp_path):
    exact = cut_panel()
    path = tmp_path / "rounded.step"
    write_step([("slab", exact)], path)
    (read,) = round_off(path, decimals)
    (loop,) = read.loops
    ends = np.array([curve_points(e.pcurve, e.domain)[:: 1 if e.inward > 0 else -1] for e in loop])
    assert ends[:, 1] == pytest.approx(np.roll(ends[:, 0], -1, axis=0), abs=1e-12)
    across = flat((170, 35, 0), (1, 1, 0.2), "t:c")
    areas = [sorted(face_area(f) for f in pieces(face, across)) for face in (exact, read)]
    assert len(areas[1]) == 2
    assert areas[1] == pytest.approx(areas[0], abs=250 * 10.0**-decimals)


def test_closed_faces_whose_trim_runs_a_hair_over_a_turn_are_taken(tmp_path):
    ring = BRepPrimAPI_MakeTorus(gp_Ax2(gp_Pnt(0.3, 0.2, 0.1), gp_Dir(0.2, 0.5, 1)), 30.0, 12.0).Shape()
    rod = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(28, 5, -40), gp_Dir(0.1, -0.2, 1)), 6.0, 90.0).Shape()
    path, writer = tmp_path / "ring.step", STEPControl_Writer()
    writer.Transfer(BRepAlgoAPI_Cut(ring, rod).Shape(), STEPControl_StepModelType.STEPControl_AsIs)
    writer.Write(str(path))
    exact = sorted(face_area(item.face) for item in read_step(path))
    assert sorted(map(face_area, round_off(path, 4))) == pytest.approx(exact, rel=1e-4)


@pytest.mark.parametrize("last", [0.001, 0.00254])
def test_an_edge_of_many_rounded_cvs_is_the_calm_curve_that_was_meant(last):
    many = insert_knots(WAY, np.linspace(0, 1, 40)[1:-1])
    stored = Curve(3, many.knots, np.round(many.control / last) * last)
    found = calmed(stored)
    assert found is not None
    made, unit = found
    assert unit == pytest.approx(last)
    assert len(made.control) < 10
    assert made.control[[0, -1]] == pytest.approx(stored.control[[0, -1]], abs=1e-12)
    t = np.linspace(0, 1, 300)
    assert to_curve(made, curve_points(WAY, t)).distance.max() < last
    assert calmed(many) is None


def test_an_edge_that_waves_in_earnest_stays_as_it_is():
    rng = np.random.default_rng(3)
    many = insert_knots(WAY, np.linspace(0, 1, 40)[1:-1])
    assert calmed(Curve(3, many.knots, np.round(many.control + rng.normal(0, 0.05, (42, 3)), 3))) is None
