"""Curves on trimmed and on several faces end where the faces do."""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import BRepPrimAPI_MakeBox, BRepPrimAPI_MakeCylinder
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

from pamble.core.curves.fit import fit_points
from pamble.core.curves.measure import curve_length, deviation
from pamble.core.curves.on_surface import offset_on_surface
from pamble.core.curves.project import project
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.faces.intersect import face_intersection
from pamble.core.faces.shapes import face_from_shape, shape_faces
from pamble.core.spline import Curve
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import surface_part
from tests.core.exchange.test_step import drilled_box
from tests.shapes import cylinder, plane


def test_a_projection_leaves_out_the_hole_of_a_trimmed_face():
    """A box with a tilted drill of radius 30: across its top the line misses a chord of 60 mm."""
    top = next(f for f in map(face_from_shape, shape_faces(drilled_box())) if len(f.loops) == 2)
    height = float(top.surface.control[..., 2].mean())
    centre = 60 + 0.2 * (height + 10)
    across = Curve.line([-20, centre, 90], [220, centre, 90])
    made = project(across, [top], np.array([0, 0, -1.0]))
    lengths = [curve_length(p.curve) for p in made.pieces]
    assert len(lengths) == 2
    assert sum(lengths) == pytest.approx(200 - 60, abs=4)


def test_a_projection_runs_over_neighbouring_faces_as_one_curve_and_breaks_at_a_crease():
    """A cylinder cut in two along a generator, and a roof of two planes: the ridge is where the pieces end."""
    tube = cylinder(60, 200)
    (u0, u1), (v0, v1) = tube.domain
    halves = [
        Face(surface_part(tube, (u0, 0.5 * (u0 + u1)), (v0, v1))),
        Face(surface_part(tube, (0.5 * (u0 + u1), u1), (v0, v1))),
    ]
    across = Curve.line([10, 50, 20], [50, 12, 60])
    (whole,) = project(across, [Face(tube)], None).pieces
    (joined,) = project(across, halves, None).pieces
    assert deviation(whole.curve, joined.curve).distance < 0.02
    assert np.allclose(np.hypot(*curve_points(joined.curve, np.linspace(0, 1, 50))[:, :2].T), 60, atol=0.02)
    roof = [Face(plane((0, 0, 0), (50, 0, 20), (0, 90, 0))), Face(plane((50, 0, 20), (50, 0, -20), (0, 90, 0)))]
    made = project(Curve.line([-7, 10, 80], [93, 70, 80]), roof, np.array([0, 0, -1.0]))
    assert len(made.pieces) == 2
    ends = np.array([curve_points(made.pieces[0].curve, [1.0])[0], curve_points(made.pieces[1].curve, [0.0])[0]])
    assert np.allclose(ends, [50, 10 + 0.57 * 60, 20], atol=1e-5)
    start = curve_points(made.pieces[0].curve, [0.0])[0]
    assert np.allclose(start, [0, 10 + 0.07 * 60, 0], atol=1e-5)


def test_where_a_trim_ends_a_curve_is_found_on_the_trim_itself():
    """A plate with a round hole of radius 30: the iso-curve through its middle stops 30 mm from it."""
    plate = BRepPrimAPI_MakeBox(200, 120, 10).Shape()
    hole = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(90, 60, -5), gp_Dir(0, 0, 1)), 30, 30).Shape()
    solid = BRepAlgoAPI_Cut(plate, hole).Shape()
    top = next(f for f in map(face_from_shape, shape_faces(solid)) if len(f.loops) == 2)
    near = 30 + np.array([-1e-6, 1e-6])
    angle = np.linspace(0, 2 * np.pi, 41)[:, None]
    points = np.stack([90 + near * np.cos(angle), 60 + near * np.sin(angle)], axis=-1).reshape(-1, 2)
    level = np.column_stack([points, np.full(len(points), float(top.surface.control[..., 2].mean()))])
    feet = to_surface(top.surface, level)
    assert inside(top, feet.u, feet.v).reshape(-1, 2).tolist() == [[False, True]] * 41
    across = project(Curve.line([0, 60, 80], [200, 60, 80]), [top], np.array([0, 0, -1.0]))
    ends = [curve_points(p.curve, p.curve.domain)[:, 0] for p in across.pieces]
    assert np.allclose(ends, [[0, 60], [120, 200]], atol=1e-5)


def test_a_varying_offset_on_a_cylinder_is_a_straight_line_of_its_development():
    """Unrolled, a generator offset from 5 to 25 mm around the tube: at z the angle is the distance over the radius."""
    tube = cylinder(60, 200)
    generator = Curve.line([60 * np.cos(0.7), 60 * np.sin(0.7), 10], [60 * np.cos(0.7), 60 * np.sin(0.7), 190])
    (piece,) = offset_on_surface(generator, Face(tube), (5.0, 25.0)).pieces
    p = curve_points(piece.curve, np.linspace(0, 1, 60))
    turned = np.abs(np.arctan2(p[:, 1], p[:, 0]) - 0.7) * 60
    assert np.allclose(turned, 5 + 20 * (p[:, 2] - 10) / 180, atol=0.02)


def test_an_offset_on_a_face_stops_at_the_edge_of_the_face():
    """On a plane: the offset by 20 of a slanted line, cut where it leaves at x = 100."""
    flat = Face(plane((0, 0, 0), (100, 0, 0), (0, 80, 0)))
    line = Curve.line([10, 10, 0], [90, 70, 0])
    (piece,) = offset_on_surface(line, flat, -20.0).pieces
    ends = curve_points(piece.curve, [0.0, 1.0])
    # 20 mm to the right of (0.8, 0.6) is (12, -16): the offset comes in over v = 0 and goes out over u = 100.
    assert np.allclose(ends[0], [10 + 12 + 8, 0, 0], atol=1e-2)
    assert piece.deviation < 1e-6
    assert ends[1][0] == pytest.approx(100, abs=1e-2)


def test_an_intersection_is_sampled_at_even_steps_and_a_swing_between_points_is_no_fit():
    """A tube cut by a slanted plane, whose own parameter runs unevenly; and points with a wide gap in front."""
    (run,) = face_intersection(Face(cylinder(60, 200)), Face(plane((-20, -20, 40), (200, 0, 120), (0, 200, 60))))
    steps = np.linalg.norm(np.diff(run, axis=0), axis=1)
    assert steps.max() < 1.05 * steps.min()
    x = np.concatenate([[0.0, 9, 18, 27], np.arange(28, 60, 0.2)])
    points = np.column_stack([x, 3 * np.sin(x / 3), np.zeros(len(x))])
    made = fit_points(points, 5, 1e-5, spans=30)
    out = np.abs(curve_points(made.curve, np.linspace(0, 1, 4000))[:, 1]).max()
    assert out < 12 or (not made.reached and made.deviation > 0.2 * out)
