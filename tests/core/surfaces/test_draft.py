"""Walls with draft against closed forms: planes and cones over lines and arcs, tangent pieces over other curves."""

import numpy as np
import pytest

from pamble.core.curves.shapes import circle, rounded_rectangle
from pamble.core.errors import GeometryError
from pamble.core.faces.cap import cap
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.kinks import smooth_pieces
from pamble.core.spline.knots import edge_curve, surface_part
from pamble.core.surfaces.draft import drafted

UP = np.array([0, 0, 1.0])
LEAN = np.tan(np.radians(8.0))


def loop(*corners):
    points = np.array([*corners, corners[0]], dtype=float)
    return Curve(
        1, np.array([0.0, *range(len(points)), len(points) - 1.0]), np.column_stack([points, 0 * points[:, 0]])
    )


@pytest.mark.parametrize("degrees", [8.0, -8.0])
def test_a_drafted_circle_is_a_cone_on_the_circles_own_cvs(degrees):
    cone, off = drafted(circle(np.array([1.0, 2, 3]), UP, 20.0), UP, -5, 30, degrees)
    assert (off, cone.control.shape[:2]) == (0.0, (9, 2))
    p = surface_grid(cone, np.linspace(0, 1, 97), np.linspace(0, 1, 5))[0, 0]
    rise = np.tan(np.radians(degrees)) * (p[..., 2] - 3)
    assert np.hypot(p[..., 0] - 1, p[..., 1] - 2) == pytest.approx(20 + rise, abs=1e-11)


@pytest.mark.parametrize("corner", [15.0, 30.0])
def test_a_drafted_rounded_rectangle_keeps_its_distance_from_its_middle(corner):
    """The distance from what its corners' centres span; with corners of 30 mm two sides have no length."""
    wall, off = drafted(rounded_rectangle(np.zeros(3), UP, (100, 60), corner, 0.4142), UP, 0, 20, 8)
    assert off == 0.0
    assert wall.control.shape[0] <= 17
    assert len(smooth_pieces(wall)) == 1
    p = surface_grid(wall, np.linspace(0, 1, 161), np.linspace(0, 1, 5))[0, 0]
    inner = np.maximum(np.abs(p[..., :2]) - [50 - corner, 30 - corner], 0)
    assert np.linalg.norm(inner, axis=-1) == pytest.approx(corner + LEAN * p[..., 2], abs=1e-11)


def test_sharp_corners_are_mitred():
    walls = smooth_pieces(drafted(loop([0, 0], [50, 0], [50, 30], [0, 30]), UP, 0, 20, 8)[0])
    tops = np.array([w.control[:, 1] for w in walls])
    out = 20 * LEAN
    assert tops[:, 0] == pytest.approx(
        np.array([[-out, -out, 20], [50 + out, -out, 20], [50 + out, 30 + out, 20], [-out, 30 + out, 20]]), abs=1e-11
    )
    assert tops[:, 1] == pytest.approx(np.roll(tops[:, 0], -1, axis=0), abs=1e-11)
    with pytest.raises(GeometryError, match="The draft folds the rim at 60 mm"):
        drafted(loop([0, 0], [50, 0], [50, 10], [0, 10]), UP, 0, 60, -8)


def test_pieces_stay_tangent_where_the_curvature_of_the_curve_jumps():
    made, off = drafted(rounded_rectangle(np.zeros(3), UP, (100, 60), 15, 0.5), UP, 0, 20, 8)
    assert 0 < off <= 0.001
    for t in np.arange(1, 8) / 8:
        before, after = (
            surface_grid(surface_part(made, u=u), [t], [1.0], 1)[1, 0, 0, 0] for u in ((t - 0.1, t), (t, t + 0.1))
        )
        turned = np.linalg.norm(np.cross(before, after))
        assert turned < 1e-9 * np.linalg.norm(before) * np.linalg.norm(after)


def test_a_rim_whose_ends_are_one_but_for_rounding_is_capped():
    wall, _ = drafted(circle(np.zeros(3), UP, 39.269523488065815), UP, 0, 60.094356807461885, 1.656172660492516)
    face = cap([edge_curve(wall, "v1")], ["rim"])
    assert [len(loop) for loop in face.loops] == [1]
