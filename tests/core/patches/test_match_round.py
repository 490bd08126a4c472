"""Sides that come round to their start matched to loops: tubes, and halves of them, beside cylinders in closed form."""

import numpy as np
import pytest

from pamble.core.arrays import norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.patches.match import match_sides
from pamble.core.patches.match_pairs import Pair
from pamble.core.patches.rebuild import rebuild_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import curvatures
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import swap_directions
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.revolve import revolve

RADIUS = 20.0
POST = Face(revolve(Curve.line([RADIUS, 0, -30], [RADIUS, 0, 0]), np.zeros(3), np.array([0, 0, 1.0]), 0, 360))


def tube(start: float, end: float) -> Surface:
    """A tube over the post, a little too narrow, that leaves it by .4 mm and flares; from one angle to another."""
    profile = Curve.bezier([[19.5, 0, 0.4], [19.7, 0, 10], [21, 0, 20], [26, 0, 34]])
    turned = revolve(profile, [0.2, -0.1, 0], [0, 0, 1], start, end)
    return rebuild_surface(turned, (5, 5), (8, 1), kept_pace=False).surface


@pytest.mark.parametrize("order", [0, 1, 2])
@pytest.mark.parametrize(("start", "turned"), [(0, False), (140, False), (-75, True)])
def test_a_tube_meets_a_cylinder_all_round_and_stays_smooth_at_its_joint(start, turned, order):
    face = Face(swap_directions(tube(start, start + 360)) if turned else tube(start, start + 360))
    made = match_sides(face, [Pair("u0" if turned else "v0", POST.edge("v1"), order)], 80.0)
    assert made.ratio <= 1
    surface = swap_directions(made.face.surface) if turned else made.face.surface
    u = np.linspace(*surface.domain[0], 97)
    d = surface_grid(surface, u, [0.0], 2)
    point, (normal, bent) = d[0, 0][:, 0], curvatures(d)
    away = np.column_stack([unit(point[:, :2]), np.zeros(len(point))])
    assert np.hypot(*point[:, :2].T) == pytest.approx(RADIUS, abs=0.002)
    assert point[:, 2] == pytest.approx(0.0, abs=0.002)
    if order > 0:
        assert np.degrees(norm(np.cross(normal[:, 0], away))).max() < 0.005
    if order > 1:
        assert np.sort(np.abs([bent.largest[:, 0], bent.smallest[:, 0]]), axis=0)[1] == pytest.approx(
            1 / RADIUS, rel=0.006
        )
    ends = surface_grid(surface, surface.domain[0], np.linspace(0, 1, 9), 2)
    for k, close in ((0, 1e-12), (1, 0.01), (2, 2.0)):
        assert ends[k, 0][0] == pytest.approx(ends[k, 0][1], abs=close)


def test_half_a_tube_is_matched_over_the_start_of_a_loop():
    made = match_sides(Face(tube(-100, 80)), [Pair("v0", POST.edge("v1"), 1)], 80.0)
    assert made.ratio <= 1
    point = surface_grid(made.face.surface, np.linspace(0, 1, 41), [0.0])[0, 0][:, 0]
    assert np.hypot(*point[:, :2].T) == pytest.approx(RADIUS, abs=0.002)
    assert point[0, 0] < 0 < point[20, 0]


@pytest.mark.parametrize("turn", [360, 180])
def test_a_loop_that_is_too_far_away_is_told_with_how_far(turn):
    near = tube(-100, turn - 100)
    far = near.with_control(near.control + np.array([0, 0, 90.0]))
    with pytest.raises(GeometryError, match="mm apart"):
        match_sides(
            Face(far.with_control(far.control + np.array([0, 0, 90.0]))), [Pair("v0", POST.edge("v1"), 1)], 80.0
        )


def test_a_loop_is_not_matched_to_an_edge_that_ends():
    half = Face(revolve(Curve.line([RADIUS, 0, -30], [RADIUS, 0, 0]), np.zeros(3), np.array([0, 0, 1.0]), 0, 180))
    with pytest.raises(GeometryError, match="comes round to its start"):
        match_sides(Face(tube(0, 360)), [Pair("v0", half.edge("v1"), 1)], 80.0)
