"""Fillets along rims whose curvature jumps within one face: of walls over rounded rectangles, drafted and lofted."""

import numpy as np
import pytest

from pamble.core.curves.shapes import ellipse, rounded_rectangle
from pamble.core.faces.cap import cap
from pamble.core.faces.face import Face
from pamble.core.fillets.fillet import Ask, fillet
from pamble.core.spline.evaluate import surface_grid
from pamble.core.surfaces.draft import drafted
from pamble.core.surfaces.extrude import ruled

UP = np.array([0, 0, 1.0])


def rounded(wall, radius):
    """The fillet of the upper rim of a wall under a lid, and the faces that are left."""
    side = Face(wall)
    made = fillet([cap([side.edge("v1").space], ["rim"]), side], [Ask(1, side.edge("v1"), (radius, radius))])
    (row,) = made.faces
    return made, row


@pytest.mark.parametrize(("degrees", "corner"), [(0.0, 4.816), (0.0, 15.0), (7.0, 5.5), (-5.0, 6.0)])
def test_the_ball_along_planes_and_cones_of_one_wall_is_the_closed_forms(degrees, corner):
    """It keeps its distance from the line on which its centre goes: at a height, so far from the corners' centres."""
    height, radius, size = 20.8, 1.45, np.array([99.9, 72.1])
    rim = rounded_rectangle(np.zeros(3), UP, tuple(size), corner, 0.4142)
    made, row = rounded(drafted(rim, UP, 0, height, degrees)[0], radius)
    s = row.face.surface
    p = surface_grid(s, np.linspace(*s.domain[0], 701), np.linspace(*s.domain[1], 15))[0, 0]
    lean = np.tan(np.radians(degrees))
    way = corner + lean * (height - radius) - radius / np.cos(np.radians(degrees))
    out = np.linalg.norm(np.maximum(np.abs(p[..., :2]) - (size / 2 - corner), 0), axis=-1)
    assert np.hypot(out - way, p[..., 2] - (height - radius)) == pytest.approx(radius, abs=2e-4)
    assert max(row.figures.angle) < 0.005
    assert not made.warnings


def test_lines_of_less_smoothness_are_found_where_stations_lie_on_them():
    one, two = (ellipse(np.array([0, 0, z]), UP, radii) for z, radii in ((0.0, (53, 39)), (40.0, (24, 17))))
    _, row = rounded(ruled(one, two), 0.6)
    assert max(row.figures.angle) < 0.005


def test_lines_of_less_smoothness_that_lean_are_passed_where_the_ball_touches_them():
    one = rounded_rectangle(np.zeros(3), UP, (53, 39), 5.6, 0.4142)
    two = rounded_rectangle(np.array([2.3, 0, 52.6]), UP, (30.5, 20.3), 4.1, 0.4142)
    _, row = rounded(ruled(one, two), 2.8)
    assert max(row.figures.angle) < 0.006
    assert row.figures.radius < 1e-4
