"""Offsets, two-view curves, projections, fits, corners, edits: closed forms and OpenCASCADE."""

import numpy as np
import pytest
from OCP.BRepAlgoAPI import BRepAlgoAPI_Section
from OCP.BRepPrimAPI import BRepPrimAPI_MakeCylinder
from OCP.Geom import Geom_Line
from OCP.GeomAPI import GeomAPI_IntCS
from OCP.gp import gp_Ax2, gp_Dir, gp_Lin, gp_Pnt
from scipy.interpolate import make_lsq_spline

from pamble.core.curves.edit import extend, join, joint_of, nearest_ends
from pamble.core.curves.fit import fit_points, rebuild, simplify
from pamble.core.curves.interpolate import through_points
from pamble.core.curves.jets import curve_jets
from pamble.core.curves.measure import curve_facts, curve_length, deviation
from pamble.core.curves.meet import cut_pieces, nearest
from pamble.core.curves.mid import mid_curve
from pamble.core.curves.offset import offset_curve
from pamble.core.curves.shapes import (
    arc_by_radius,
    arc_three_points,
    circle,
    ellipse,
    rounded_rectangle,
)
from pamble.core.curves.transform import rotation, translation
from pamble.core.curves.twoview import two_view
from pamble.core.errors import BlendError, GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.intersect import face_intersection, plane_section
from pamble.core.faces.kernel import surface_to_kernel
from pamble.core.faces.landing import pull
from pamble.core.faces.offset_curve import offset_on_surface
from pamble.core.faces.project import project
from pamble.core.joining.curve_corner import corner
from pamble.core.planes import plane_at
from pamble.core.spline import Curve
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import insert_knots, iso_curve, raise_degree
from pamble.demo.mirror_cap import crown
from tests.core.curves.test_jets_and_measure import PARABOLA
from tests.shapes import arc_curve, cylinder, random_curve, revolved


def arc_curve_xz(radius: float) -> Curve:
    """A quarter circle in the xz plane from the x axis up."""
    arc = arc_curve(radius, 80)
    return Curve(2, arc.knots, arc.control[:, [0, 2, 1]], arc.weights)


Z, Y = np.array([0.0, 0, 1]), np.array([0.0, 1, 0])


@pytest.mark.parametrize("distance", [12.0, -12.0])
def test_offset_of_a_circle_is_a_circle(distance):
    (piece,) = offset_curve(circle([5, 0, 0], [0, 0, 1], 50), distance, Z).pieces
    radii = np.linalg.norm(curve_points(piece.curve, np.linspace(0, 1, 300)) - [5, 0, 0], axis=1)
    # Anticlockwise round z, the left side is the inside.
    assert np.abs(radii - (50 - distance)).max() < 0.005


def test_offset_of_a_parabola_has_its_closed_form_and_its_fold_is_cut():
    """Offset of y = x^2/10: (x - d y'/n, y + d/n) with n = sqrt(1 + y'^2); it folds where d > 5."""
    (outer,) = offset_curve(PARABOLA, -8.0, Z).pieces
    x = curve_points(outer.curve, np.linspace(0, 1, 200))
    assert np.abs(to_curve(PARABOLA, x).distance - 8).max() < 0.005
    ends = np.array([[-20 - 8 * 4 / np.hypot(1, 4), 40 - 8 / np.hypot(1, 4), 0]])
    assert np.allclose(x[[0]], ends, atol=1e-6)
    folded = offset_curve(PARABOLA, 15.0, Z)
    assert len(folded.pieces) == 2
    # Both branches meet on the axis where x = d y'/n: n = 3, y = 20 + 15/3.
    assert np.allclose(folded.cuts, [[0, 25, 0]], atol=0.01)


def test_a_varying_offset_of_a_line_is_a_slanted_line():
    (piece,) = offset_curve(Curve.line([0, 0, 0], [100, 0, 0]), (5, 15), Z).pieces
    assert np.allclose(curve_points(piece.curve, [0, 1]), [[0, 5, 0], [100, 15, 0]], atol=1e-6)
    with pytest.raises(GeometryError, match="plane's normal"):
        offset_curve(Curve.line([0, 0, 0], [100, 0, 0]), 5.0)


def test_two_view_curve_of_two_arcs_is_the_intersection_of_two_cylinders():
    """Against OpenCASCADE's section of the cylinders that the arcs are cuts of."""
    side = arc_by_radius([0, 0, 0], [100, 0, 0], 120, [0, -1, 0])
    top = arc_by_radius([0, 0, 0], [100, 0, 0], 90, [0, 0, 1])
    made = two_view(side, Y, top, Z, tolerance=1e-4)
    rise_s, rise_t = np.sqrt(120**2 - 50**2), np.sqrt(90**2 - 50**2)
    sides = {tuple(np.sign(curve_points(c, [0.5])[0])) for c in (side, top)}
    zs = -rise_s if (0.0, 0.0, 1.0) in {(0.0, 0.0, s[2]) for s in sides} else rise_s
    yt = -rise_t if any(s[1] > 0 for s in sides) else rise_t
    one = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(50, -200, zs), gp_Dir(0, 1, 0)), 120, 400).Shape()
    two = BRepPrimAPI_MakeCylinder(gp_Ax2(gp_Pnt(50, yt, -200), gp_Dir(0, 0, 1)), 90, 400).Shape()
    section = BRepAlgoAPI_Section(one, two).Shape()
    from OCP.BRepBuilderAPI import BRepBuilderAPI_MakeVertex
    from OCP.BRepExtrema import BRepExtrema_DistShapeShape

    for x, y, z in curve_points(made.fit.curve, np.linspace(0, 1, 25)):
        vertex = BRepBuilderAPI_MakeVertex(gp_Pnt(x, y, z)).Vertex()
        assert BRepExtrema_DistShapeShape(vertex, section).Value() < 2e-3
    assert max(made.unused) < 1e-6


def test_two_view_tells_what_does_not_overlap_and_what_turns_back():
    a = Curve.line([0, 0, 0], [100, 0, 20])
    made = two_view(a, Y, Curve.line([30, 0, 0], [150, 40, 0]), Z)
    assert made.unused == pytest.approx((30, 50))
    assert np.allclose(curve_points(made.fit.curve, [0, 1]), [[30, 0, 6], [100, 23.3333333, 20]])
    with pytest.raises(GeometryError, match="do not overlap"):
        two_view(a, Y, Curve.line([130, 0, 0], [150, 40, 0]), Z)
    with pytest.raises(GeometryError, match="views that cross"):
        two_view(a, Y, a, Y)
    with pytest.raises(GeometryError, match="turns back"):
        two_view(Curve.bezier([[0, 0, 0], [80, 0, 30], [0, 0, 60]]), Y, Curve.line([0, 0, 0], [40, 9, 0]), Z)


def test_projection_along_a_direction_lands_where_opencascade_lands():
    surface = crown()
    curve = Curve.bezier([[-100, 80, 200], [0, 130, 200], [100, 90, 200]])
    way = np.array([0.1, -0.2, -1.0])
    made = project(curve, [Face(surface)], way, tolerance=0.005)
    assert made.off_surface < 0.006
    assert len(made.missed) == 0
    geom = surface_to_kernel(surface)
    found = []
    for x, y, z in curve_points(curve, np.linspace(0.02, 0.98, 15)):
        hits = GeomAPI_IntCS(Geom_Line(gp_Lin(gp_Pnt(x, y, z), gp_Dir(*way))), geom)
        p = hits.Point(1)
        found.append((p.X(), p.Y(), p.Z()))
    samples = curve_points(made.pieces[0].curve, np.linspace(0, 1, 20000))
    assert np.linalg.norm(np.array(found)[:, None] - samples[None], axis=2).min(axis=1).max() < 0.01


def test_a_pulled_curve_misses_where_the_face_ends():
    surface = crown()
    points = surface_points(surface, np.linspace(0.1, 0.9, 9), np.full(9, 0.4))
    assert pull(Face(surface), points + 1e-9).hit.all()
    made = project(Curve.line([-260, 40, 120], [0, 40, 120]), [Face(surface)], None)
    assert len(made.missed) > 0
    with pytest.raises(GeometryError, match="misses the surface"):
        project(Curve.line([0, 900, 0], [10, 900, 0]), [Face(surface)], np.array([0, 0, 1.0]))


def test_raising_the_degree_changes_nothing_and_lowering_it_back_deviates_by_nothing():
    curve = random_curve(np.random.default_rng(3), 3, 1)
    raised = rebuild(curve, 5, 1)
    assert raised.deviation == 0
    assert deviation(raised.curve, curve).distance < 1e-9
    assert simplify(raised.curve, 3, 1e-6, 1).deviation < 1e-6
    assert simplify(raised.curve, 2, 1e-6, 1).deviation > 1e-3


def test_dozens_of_cvs_come_down_to_the_fewest_within_the_tolerance():
    calm = Curve.bezier([[0, 0, 0], [40, 30, 5], [90, 35, 0], [140, 10, -5], [180, 0, 0]])
    heavy = insert_knots(raise_degree(calm, 1), np.linspace(0.05, 0.95, 19))
    assert len(heavy.control) > 20
    light = simplify(heavy, 5, 0.02)
    assert len(light.curve.control) == 6
    assert deviation(light.curve, heavy).distance < 0.02


def test_a_fit_is_as_near_as_scipys_least_squares_on_the_same_knots():
    t = np.linspace(0, 1, 500)
    points = np.column_stack([100 * t, 10 * np.sin(6 * t), 5 * np.cos(4 * t)])
    fit = fit_points(points, 5, 1e-9, 4)
    reference = make_lsq_spline(t, points, fit.curve.knots, k=5)
    assert fit.deviation <= np.linalg.norm(reference(t) - points, axis=1).max() * 1.05


def test_mid_curve_of_concentric_circles_and_of_one_make():
    inner, outer = (ellipse([0, 0, 0], [0, 0, 1], (r, r), [1, 0, 0], 120) for r in (40, 60))
    radii = np.linalg.norm(curve_points(mid_curve(inner, outer, 0.25).curve, np.linspace(0, 1, 99)), axis=1)
    assert np.abs(radii - 45).max() < 0.005
    a, b = Curve.bezier([[0, 0, 0], [5, 9, 0], [10, 0, 0]]), Curve.bezier([[0, 0, 8], [5, 1, 8], [10, 0, 8]])
    assert np.allclose(mid_curve(a, b).curve.control, (a.control + b.control) / 2)


def test_shapes_are_exact():
    r = np.linalg.norm(curve_points(circle([1, 2, 3], [1, 1, 1], 30), np.linspace(0, 1, 97)) - [1, 2, 3], axis=1)
    assert np.allclose(r, 30)
    arc = arc_three_points([0, 0, 0], [10, 10, 0], [20, 0, 0])
    assert curve_length(arc) == pytest.approx(10 * np.pi)
    rect = rounded_rectangle([0, 0, 0], [0, 0, 1], (100, 60), 15, np.sqrt(2) - 1)
    assert curve_length(rect) == pytest.approx(2 * (70 + 30) + 2 * np.pi * 15)
    closed = through_points([[0, 0, 0], [50, 5, 0], [60, 40, 9], [10, 45, 0]], closed=True)
    ends = curve_jets(closed, closed.domain)
    assert np.allclose(ends.point[0], ends.point[1])
    assert np.allclose(ends.bend[0], ends.bend[1], atol=1e-9)
    for bad, words in (
        (lambda: arc_three_points([0, 0, 0], [1, 0, 0], [2, 0, 0]), "on a line"),
        (lambda: arc_by_radius([0, 0, 0], [100, 0, 0], 40, [0, 0, 1]), "too small"),
        (lambda: rounded_rectangle([0, 0, 0], [0, 0, 1], (20, 10), 8, 0.4), "do not fit"),
        (lambda: through_points([[0, 0, 0], [0, 0, 0]]), "one point"),
    ):
        with pytest.raises(GeometryError, match=words):
            bad()


def test_corner_of_two_lines_is_the_arc_of_the_school_book():
    a, b = Curve.line([0, 0, 0], [100, 0, 0]), Curve.line([0, 0, 0], [40, 80, 0])
    angle = np.arctan2(80, 40)
    made = corner(a, b, 12)
    assert curve_length(made.curve) == pytest.approx(12 * (np.pi - angle))
    assert curve_facts(made.curve).least_radius == pytest.approx(12)
    assert curve_length(made.trimmed[0]) == pytest.approx(100 - 12 / np.tan(angle / 2))
    smooth = corner(a, b, 12, smooth=True).curve
    assert curve_jets(smooth, [0, 1]).curvature.max() < 1e-9
    with pytest.raises(BlendError, match="does not fit"):
        corner(a, b, 400)
    with pytest.raises(BlendError, match="gap is 5"):
        corner(a, Curve.line([0, 5, 0], [0, 80, 0]), 12)


@pytest.mark.parametrize("end", [0, 1])
def test_an_extension_has_its_length_and_leaves_the_curve_alone(end):
    curve = random_curve(np.random.default_rng(8), 4, 2)
    longer = extend(curve, end, 0.7)
    assert curve_length(longer) - curve_length(curve) == pytest.approx(0.7, rel=1e-6)
    t = np.linspace(*curve.domain, 30)
    assert np.allclose(curve_points(longer, t), curve_points(curve, t), atol=1e-8)


def test_joined_halves_are_the_whole_and_a_gap_is_refused():
    from pamble.core.spline.knots import split_curve

    curve = random_curve(np.random.default_rng(5), 4, 2)
    whole = join(*split_curve(curve, 0.4))
    assert deviation(whole, curve).distance < 1e-8
    with pytest.raises(GeometryError, match="mm apart"):
        join(Curve.line([0, 0, 0], [1, 0, 0]), Curve.line([1.2, 0, 0], [2, 0, 0]))


def test_curves_cut_each_other_where_they_cross():
    a, b = Curve.line([0, 0, 0], [100, 0, 0]), Curve.line([30, -20, 0], [30, 50, 0])
    assert curve_length(cut_pieces(a, [b])[0]) == pytest.approx(30)
    assert np.allclose(nearest(a, b).points[0], [30, 0, 0])
    with pytest.raises(GeometryError, match="do not meet"):
        cut_pieces(a, [Curve.line([30, 5, 0], [30, 50, 0])])


def test_sections_and_intersections_lie_on_both_within_rounding():
    (run,) = plane_section(Face(crown()), plane_at([10.0, 0, 0], [1, 0.2, 0]))
    assert np.abs((run - [10, 0, 0]) @ [1, 0.2, 0]).max() < 1e-10
    assert to_surface(crown(), run).distance.max() < 1e-10
    upright = cylinder(40, 200, 150)
    lying = translation([-100, 0, 100]).apply(rotation([0, 1, 0], 90, [0, 0, 0]).apply(cylinder(25, 200, 150)))
    runs = face_intersection(Face(upright), Face(lying))
    assert len(runs) == 2
    for x in runs:
        assert np.abs(np.hypot(x[:, 0], x[:, 1]) - 40).max() < 1e-9
        assert np.abs(np.hypot(x[:, 1], x[:, 2] - 100) - 25).max() < 1e-9
    for height in (0.0, 100.0):  # An edge that lies in the plane is the section.
        (run,) = plane_section(Face(cylinder(40, 100, 90)), plane_at([0, 0, height], [0, 0, 1]))
        assert np.abs(run[:, 2] - height).max() < 1e-12
        assert np.linalg.norm(np.diff(run, axis=0), axis=1).sum() == pytest.approx(20 * np.pi, rel=1e-4)
    with pytest.raises(GeometryError, match="misses the face"):
        plane_section(Face(crown()), plane_at([900.0, 0, 0], [1.0, 0, 0]))


def test_offset_on_a_sphere_is_a_circle_of_latitude_and_on_a_cylinder_a_generator():
    """A geodesic square to the equator is a meridian: distance d along it rises to R sin(d/R)."""
    ball = revolved(arc_curve_xz(60.0), 90)
    equator = iso_curve(ball, "v", ball.domain[1][0])
    (piece,) = offset_on_surface(equator, Face(ball), 20.0).pieces
    height = curve_points(piece.curve, np.linspace(0, 1, 50))[:, 2]
    assert np.abs(height - 60 * np.sin(20 / 60)).max() < 1e-3
    tube = cylinder(40, 100, 90)
    generator = iso_curve(tube, "u", 0.3)
    made = [offset_on_surface(generator, Face(tube), d) for d in (15.0, -15.0)]
    angles = [np.arctan2(*curve_points(m.pieces[0].curve, [0.2, 0.8])[:, [1, 0]].T) for m in made]
    start = np.arctan2(*curve_points(generator, [0.5])[:, [1, 0]].T)
    assert np.allclose(np.sort([a[0] - start[0] for a in angles]), [-15 / 40, 15 / 40], atol=1e-5)
    assert np.allclose([a[0] for a in angles], [a[1] for a in angles], atol=1e-6)
    with pytest.raises(GeometryError, match="runs over the edge"):
        offset_on_surface(generator, Face(tube), 500.0)
    with pytest.raises(GeometryError, match="mm off the face"):
        offset_on_surface(Curve.line([0, 0, 0], [0, 0, 90]), Face(tube), 5.0)


def test_joints_are_told_at_the_ends_that_meet_whichever_they_are():
    a, b = Curve.line([0, 0, 0], [50, 0, 0]), Curve.line([50, 40, 0], [50, 0, 0])
    assert nearest_ends(a, b) == (1, 1)
    assert joint_of(a, 1, b, 1).angle == pytest.approx(90)
    assert curve_length(join(a, b)) == pytest.approx(90)
