"""Blends from hole to hole: rims that are round, long, and rounded rectangles whose curvature jumps."""

import numpy as np
import pytest

from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import Seam
from pamble.core.curves.measure import affine_parameters, curvature_jumps
from pamble.core.curves.shapes import ellipse, rounded_rectangle
from pamble.core.faces.face import Face, natural_edge
from pamble.core.faces.trim import Cutter, divide
from pamble.core.joining.blend import build_blend
from pamble.core.joining.spec import BlendSpec
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.surface import Surface

UP = np.array([0.0, 0.0, 1.0])
ROUND = np.sqrt(2) - 1


def holed(seed, height, rim):
    """A freeform panel with a hole, and its rim."""
    rng = np.random.default_rng(seed)
    x, y = np.meshgrid(np.linspace(-100, 100, 6), np.linspace(-80, 80, 6), indexing="ij")
    z = height + 6 * (np.sin(x / 70 + rng.normal()) + np.cos(y / 60 + rng.normal()))
    divided = divide(Face(Surface.bezier(np.dstack([x, y, z]))), [Cutter("rim", "Rim", rim, UP)], 1e-4)
    face = divided.holding([divided.regions[0].number])[0]
    return face.edge("rim")  # one edge, whatever its rim is made of


def oval(a, b, degrees, middle=(0, 0, 0)):
    turn = np.radians(degrees)
    return ellipse(np.array(middle, dtype=float), UP, (a, b), np.array([np.cos(turn), np.sin(turn), 0]))


def slot(width, height, corner, middle=(0, 0, 0)):
    return rounded_rectangle(np.array(middle, dtype=float), UP, (width, height), corner, ROUND)


def test_affine_length_of_an_ellipse_is_its_eccentric_angle():
    share = np.linspace(0, 1, 41)
    p = curve_points(oval(52, 24, 0), affine_parameters(oval(52, 24, 0), share))
    angle = np.unwrap(np.arctan2(p[:, 1] / 24, p[:, 0] / 52))
    assert (angle - angle[0]) / (2 * np.pi) == pytest.approx(share, abs=0.004)


def test_curvature_jumps_where_lines_meet_arcs_and_nowhere_on_an_ellipse():
    assert curvature_jumps(oval(52, 24, 0), round=True) == []
    assert len(curvature_jumps(slot(70, 40, 14), round=True)) == 8


def test_a_tunnel_begins_where_it_is_told_to_and_turns_with_it():
    a, b = holed(1, 40, oval(25, 25, 0)), holed(2, -10, oval(24, 24, 0))
    found = build_blend(a, b, BlendSpec((1, 1), (0.3, 0.3)))
    told = build_blend(a, b, BlendSpec((1, 1), (0.3, 0.3), begins=(0.25, None)))
    wrung = build_blend(a, b, BlendSpec((1, 1), (0.3, 0.3), begins=(0.25, 0.25 + 0.1)))
    assert found.starts is not None
    assert told.starts == pytest.approx((0.25, (found.starts[1] + 0.25) % 1), abs=0.05)
    assert wrung.starts == pytest.approx((0.25, 0.35), abs=1e-6)
    row = wrung.surface.control[0]
    angle = np.degrees(np.arctan2(row[[0, -1], 1], row[[0, -1], 0]))
    assert abs((angle[1] - angle[0] + 180) % 360 - 180) > 20


@pytest.mark.parametrize(
    ("first", "second", "most"),
    [
        (oval(40, 18, 20), oval(36, 16, 30, (4, 3, 0)), 14),
        (oval(25, 25, 0), oval(34, 16, 70, (-6, 2, 0)), 12),
        (slot(70, 40, 14), slot(63, 36, 12.6, (5, 0, 0)), 17),
        (slot(70, 40, 14), oval(30, 17, 5), 13),
    ],
)
def test_a_tunnel_meets_both_rims_with_curvature(first, second, most):
    a, b = holed(1, 40, first), holed(2, -10, second)
    assert len(a.space.control) <= 45
    made = build_blend(a, b, BlendSpec((2, 2), (0.3, 0.3)))
    assert made.spans <= most
    for side, edge in zip(made.edges, (a, b), strict=True):
        own = natural_edge(made.surface, side)
        worst = measure_seam(Seam((0, 1), own, edge, own.domain), 200.0).worst
        assert worst["gap"].value < 0.002
        assert worst["angle"].value < 0.007
        assert worst["curvature"].value < 1.5


def test_a_tunnel_between_leaning_planes_is_neither_wrung_nor_folded():
    """Where planes lean, the nearest point of the other rim lies on its low side, a quarter round. Sections as full as
    on open edges would cross in the middle: rims 120 mm apart have 25 mm of room.
    """
    x, y = np.meshgrid([-80.0, 80.0], [-80.0, 80.0], indexing="ij")
    faces = [Face(Surface.bezier(np.dstack([x, y, z]))) for z in (0.45 * x, 120 - 0.5 * y)]
    divided = [divide(f, [Cutter("rim", "Rim", oval(25, 25, 0), UP)], 1e-4) for f in faces]
    a, b = (d.holding([d.regions[0].number])[0].edge("rim") for d in divided)
    made = build_blend(a, b, BlendSpec((2, 2)))
    assert not [w for w in made.warnings if "folds" in w]
    assert 0.2 < made.spec.full(0) < 0.4
    share = np.linspace(0, 1, 61)
    angles = [
        np.unwrap(np.arctan2(p[:, 1], p[:, 0]))
        for p in (surface_points(made.surface, share, np.full(61, v)) for v in (0.0, 0.5, 1.0))
    ]
    for angle in angles:
        steps = np.diff(angle) * np.sign(angle[-1] - angle[0])
        assert steps.min() > 0
        assert steps.sum() == pytest.approx(2 * np.pi)
        assert np.degrees(np.abs((angle - angles[0] + np.pi) % (2 * np.pi) - np.pi)).max() < 20
    # What is asked for is made.
    assert build_blend(a, b, BlendSpec((2, 2), (0.9, None))).spec.full(0) == 0.9
