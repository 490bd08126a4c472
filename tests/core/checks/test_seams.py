"""Seam figures on shapes with known answers."""

import itertools

import numpy as np
import pytest

from pamble.core.checks.comb import curve_comb
from pamble.core.checks.measured import measure_seam
from pamble.core.checks.report import check_faces
from pamble.core.checks.seams import find_seams, part_diagonal
from pamble.core.curves.shapes import rounded_rectangle
from pamble.core.faces.cap import cap
from pamble.core.faces.face import Face, natural_edge
from pamble.core.faces.twins import turn_over
from pamble.core.spline import Surface
from pamble.core.spline.kinks import restarted
from pamble.core.spline.knots import curve_part, reverse_surface
from pamble.core.surfaces.extrude import extrude
from tests.shapes import arc_curve, cylinder, plane

FLAT = Face(plane((0, 0, 0), (100, 0, 0), (0, 50, 0)))


def measured(*faces: Face):
    seams, open_edges = find_seams(faces)
    return [measure_seam(s, part_diagonal(faces)) for s in seams], open_edges


def tilted(degrees: float, gap: float = 0.0) -> Face:
    turn = np.radians(degrees)
    return Face(plane((0, 50 + gap, 0), (100, 0, 0), (0, 40 * np.cos(turn), -40 * np.sin(turn))))


@pytest.mark.parametrize("degrees", [0.0, 0.001, 10.0, 90.0, 179.0])
def test_angle_between_two_planes(degrees):
    (seam,), open_edges = measured(FLAT, tilted(degrees))
    assert np.allclose(seam.figures.angle, degrees, atol=1e-9)
    assert seam.figures.gap.max() < 1e-12
    assert seam.figures.curvature.max() < 1e-9
    assert seam.length[-1] == pytest.approx(100)
    assert len(open_edges) == 6


@pytest.mark.parametrize("turn", [lambda f: f, turn_over, lambda f: Face(reverse_surface(f.surface, "u"))])
def test_figures_do_not_depend_on_which_way_normals_point(turn):
    (seam,), _ = measured(FLAT, turn(tilted(10.0)))
    assert np.allclose(seam.figures.angle, 10.0, atol=1e-9)
    assert seam.figures.opposed == (turn(tilted(10.0)).surface.control[0, 0, 0] != 0 or turn is turn_over)


def test_a_gap_is_measured_across_the_seam():
    (seam,), _ = measured(FLAT, tilted(0.0, gap=0.02))
    assert np.allclose(seam.figures.gap, 0.02, atol=1e-12)


def test_a_cylinder_that_leaves_a_plane_smoothly_is_tangent_with_one_over_r():
    """An arc tangent to a line is G1, the curvature jumps by 1/R."""
    tube = Face(cylinder(25, 60))
    flat = Face(plane((25, 0, 0), (0, -30, 0), (0, 0, 60)))
    seam = next(s for s in measured(tube, flat)[0] if s.length[-1] > 50)
    assert seam.figures.angle.max() < 1e-9
    assert np.allclose(seam.figures.curvature_abs, 1 / 25, rtol=1e-9)
    assert np.allclose(seam.figures.curvature, 100)


def test_curvature_mismatch_of_two_cylinders_is_relative_to_the_larger_curvature():
    small, large = cylinder(50, 60), cylinder(80, 60)
    mirrored = large.with_control(large.control * [1, -1, 1] + np.array([50 - 80, 0, 0]))
    seam = next(s for s in measured(Face(small), Face(mirrored))[0])
    assert seam.figures.angle.max() < 1e-9
    assert np.allclose(seam.figures.curvature_abs, 1 / 50 - 1 / 80)
    assert np.allclose(seam.figures.curvature, 100 * (1 - 50 / 80))


def test_a_long_edge_meets_two_short_ones():
    left, right = plane((0, 50, 0), (35, 0, 0), (0, 30, 0)), plane((35, 50, 0), (65, 0, 0), (0, 30, 0))
    seams, open_edges = measured(FLAT, Face(left), Face(right))
    lengths = sorted(s.length[-1] for s in seams)
    assert lengths == pytest.approx([30, 35, 65], abs=1e-6)
    assert not [o for o in open_edges if o.face == 0 and o.edge.name == "v1"]


def test_what_stays_open_is_listed_with_its_length():
    short = Face(plane((20, 50, 0), (30, 0, 0), (0, 30, 0)))
    _, open_edges = measured(FLAT, short)
    pieces = sorted(o.length for o in open_edges if o.face == 0 and o.edge.name == "v1")
    assert pieces == pytest.approx([20, 50], abs=1e-6)


def test_edges_that_only_share_a_corner_are_no_seam():
    wedge = Face(Surface.bezier([[[0, 50, 0], [0, 90, 0]], [[100, 58, 0], [100, 90, 0]]]))
    seams, _ = measured(FLAT, wedge)
    assert seams == []


def test_a_closed_box_has_no_open_edge():
    x, y, z = (100.0, 0, 0), (0, 50.0, 0), (0, 0, 30.0)
    sides = [
        ((0, 0, 0), x, y),
        ((0, 0, 30), x, y),
        ((0, 0, 0), x, z),
        ((0, 50, 0), x, z),
        ((0, 0, 0), y, z),
        ((100, 0, 0), y, z),
    ]
    faces = [Face(plane(*s)) for s in sides]
    report = check_faces(faces, [f"side {i}" for i in range(6)])
    assert len(report["seams"]) == 12
    assert report["closed"]
    assert all(s["angle"]["max"] == pytest.approx(90) for s in report["seams"])
    assert all(s["reaches"] == "G0" for s in report["seams"])


def test_comb_of_an_arc_is_even_and_points_outward():
    arc = arc_curve(40, 90)
    face = Surface(2, 1, arc.knots, [0, 0, 1, 1], np.stack([arc.control, arc.control + np.array([0, 0, 10])], axis=1),
                   np.stack([arc.weights, arc.weights], axis=1))  # fmt: skip
    comb = curve_comb(natural_edge(face, "v0").space, 30)
    assert np.allclose(comb.curvature, 1 / 40)
    assert np.allclose(comb.tooth * 40, comb.point / 40, atol=1e-9)
    assert np.allclose(np.diff(comb.length), np.pi / 2 * 40 / 30, rtol=1e-3)
    assert np.allclose(np.diff(comb.point, axis=0).std(axis=0)[2], 0)


def test_short_edges_meet_a_closed_one_over_its_joint_and_round_its_small_corners():
    """A plate whose rim is in pieces: the first and the last lie about the joint of a wall's rim."""
    rim = rounded_rectangle(np.zeros(3), np.array([0, 0, 1.0]), (80, 50), 3.0, 0.4142)
    wall = Face(extrude(rim, np.array([0, 0, 1.0]), 0, 12))
    plate = cap([curve_part(rim, a, b) for a, b in itertools.pairwise([0, 0.06, 0.3, 0.45, 0.7, 1])], list("abcde"))
    seams, left = find_seams([wall, plate])
    assert sorted(s.a.name for s in seams if s.faces[0] != s.faces[1]) == list("abcde")
    assert [(o.face, o.edge.name) for o in left] == [(0, "v1")]
    turned = cap([curve_part(restarted(rim, 0.4), *ab) for ab in ((0.4, 0.9), (0.9, 1.4))], ["a", "b"])
    assert len(find_seams([wall, turned])[1]) == 1
