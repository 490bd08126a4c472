"""Curves on trimmed and on several faces end where the faces do."""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Cut
from OCP.BRepPrimAPI import (
    BRepPrimAPI_MakeBox,
    BRepPrimAPI_MakeCylinder,
    BRepPrimAPI_MakeSphere,
    BRepPrimAPI_MakeTorus,
)
from OCP.gp import gp_Ax2, gp_Dir, gp_Pnt

from pamble.core.arrays import unit
from pamble.core.curves.fit import fit_points
from pamble.core.curves.geodesic import walk
from pamble.core.curves.measure import curve_length, deviation, length_and_turn
from pamble.core.curves.shapes import circle
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.faces.intersect import face_intersection
from pamble.core.faces.offset_curve import offset_on_surface
from pamble.core.faces.project import project
from pamble.core.faces.shapes import face_from_shape, shape_faces
from pamble.core.spline import Curve
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.evaluate import curve_points, surface_points
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


def test_an_intersection_is_sampled_where_it_turns_and_a_swing_between_points_is_no_fit():
    """A tube cut by a slanted plane, whose own parameter runs unevenly; and points with a wide gap in front."""
    (run,) = face_intersection(Face(cylinder(60, 200)), Face(plane((-20, -20, 40), (200, 0, 120), (0, 200, 60))))
    steps = np.linalg.norm(np.diff(run, axis=0), axis=1)
    assert steps.max() < 2 * steps.min()
    pace = np.diff(length_and_turn(run))
    assert pace[1:-1].max() < 1.2 * pace[1:-1].min()
    x = np.concatenate([[0.0, 9, 18, 27], np.arange(28, 60, 0.2)])
    points = np.column_stack([x, 3 * np.sin(x / 3), np.zeros(len(x))])
    made = fit_points(points, 5, 1e-5, spans=30)
    out = np.abs(curve_points(made.curve, np.linspace(0, 1, 4000))[:, 1]).max()
    assert out < 12 or (not made.reached and made.deviation > 0.2 * out)


def whole_face(shape):
    """The one curved face of a shape of the boundary model."""
    return next(f for f in map(face_from_shape, shape_faces(shape)) if f.surface.weights is not None)


def test_a_projection_on_a_ring_breaks_at_its_silhouettes():
    """Down a line over the middle of a ring of radii 40 and 12: two stretches over the tube, whose height is known."""
    ring = whole_face(BRepPrimAPI_MakeTorus(40, 12).Shape())
    made = project(Curve.line([-70, 5, 30], [70, 5, 30]), [ring], np.array([0, 0, -1.0]))
    assert len(made.pieces) == 2
    for piece in made.pieces:
        x, y, z = curve_points(piece.curve, np.linspace(0, 1, 300)).T
        # The near side of the tube, up to both of its silhouettes.
        assert np.abs(np.hypot(np.hypot(x, y) - 40, z) - 12).max() < 0.02
        assert z.min() > -0.02
        assert np.sort(np.hypot(x, y)[[0, -1]]) == pytest.approx([28, 52], abs=0.01)
    # From inside, the nearest sheet changes with a leap: there the curve is two.
    ball = whole_face(BRepPrimAPI_MakeSphere(30).Shape())
    slanted = project(Curve.line([-20, 3, -8], [20, 3, 8]), [ball], np.array([0, 0, 1.0]))
    heights = [curve_points(p.curve, [0.5])[0, 2] for p in slanted.pieces]
    assert len(heights) == 2
    assert heights[0] < -20 < 20 < heights[1]


def test_geodesics_run_over_knots_the_joint_and_the_pole_of_a_ball():
    """Great circles: cos(d/R) P + R sin(d/R) D."""
    surface = whole_face(BRepPrimAPI_MakeSphere(30).Shape()).surface
    rng = np.random.default_rng(3)
    start = 30 * unit(rng.normal(size=(60, 3)))
    start[0], start[1] = [30, 0, 0], [0.2, 0, np.sqrt(900 - 0.04)]
    way = unit(np.cross(start, rng.normal(size=(60, 3))))
    way[0], way[1] = [0, -1, 0], unit(np.cross(np.cross(start[1], [-1, 0, 0]), start[1]))
    feet = to_surface(surface, start)
    assert feet.distance.max() < 1e-9
    u, v, stays = walk(surface, feet.u, feet.v, way, 25.0, 20)
    assert stays.all()
    exact = np.cos(25 / 30) * start + 30 * np.sin(25 / 30) * way
    assert np.abs(surface_points(surface, u, v) - exact).max() < 1e-6


def test_a_loop_of_an_offset_on_a_face_is_cut_out():
    """On a plane: the parabola of the planar case, whose fold at 15 mm crosses itself on its axis."""
    flat = Face(plane((-100, -100, 0), (200, 0, 0), (0, 200, 0)))
    parabola = Curve.bezier([[-20, 40, 0], [0, -40, 0], [20, 40, 0]])
    made = offset_on_surface(parabola, flat, 15.0)
    assert len(made.pieces) == 2
    assert made.cuts[0][0] == pytest.approx(0, abs=0.01)
    joint = curve_points(made.pieces[0].curve, [1.0])[0]
    assert to_curve(parabola, joint[None]).distance[0] == pytest.approx(15, abs=0.01)


def test_an_offset_that_shrinks_to_a_point_is_refused_in_words():
    """A circle on a plane, offset by its radius toward its centre."""
    flat = Face(plane((-100, -100, 0), (200, 0, 0), (0, 200, 0)))
    with pytest.raises(GeometryError, match="Nothing of the offset"):
        offset_on_surface(circle([5, 0, 0], [0, 0, 1], 30), flat, 30.0)


def test_a_fit_sets_its_spans_where_the_shape_asks_for_them():
    """A step between two calm stretches: 16 even spans are needed, half as many that are set by the shape."""
    s = np.linspace(0, 1, 800)
    points = np.column_stack([200 * s, 30 * np.tanh((s - 0.3) / 0.02), 5 * s * s])
    made = fit_points(points, 5, 0.02)
    assert made.reached
    assert made.curve.spans <= 9
    assert not fit_points(points, 5, 0.02, spans=made.curve.spans).reached
    assert to_curve(made.curve, points).distance.max() < 0.02
