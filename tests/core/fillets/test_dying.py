"""Feature lines that die out: the crease by its law, and the smooth face everywhere else."""

import numpy as np
import pytest

from pamble.core.arrays import cross, unit
from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import find_seams
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.fillets.dying import feature_line
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_derivatives, surface_points
from tests.core.fillets.test_fillet import slab


def line_on(surface, u, v) -> Curve:
    """A curve within a thousandth of a millimetre of the points at laws of the parameters."""
    t = np.linspace(0, 1, 80)
    knots = basis.uniform_knots(5, 8)
    rows = basis.matrix(knots, 5, t)[0]
    return Curve(5, knots, np.linalg.lstsq(rows, surface_points(surface, u(t), v(t)), rcond=None)[0])


SLANTED = (lambda t: 0.7 * t, lambda t: 0.35 + 0.12 * t - 0.1 * t**2)


def normal_at(surface, points):
    foot = to_surface(surface, points)
    d = surface_derivatives(surface, foot.u, foot.v, 1)
    return unit(cross(d[1, 0], d[0, 1]))


@pytest.mark.parametrize("angle", [12.0, -6.0])
@pytest.mark.parametrize("other_side", [False, True])
def test_the_crease_follows_its_law_and_the_rest_goes_on_with_curvature(angle, other_side):
    a = slab()
    line = line_on(a, *SLANTED)
    made = feature_line(Face(a), line, angle, 30.0, other_side=other_side)
    s = made.strip.surface
    assert made.law < 0.01
    t = np.linspace(0, 1, 41)
    points = surface_points(s, t, np.zeros(41))
    turn = np.degrees(np.arccos(np.clip(np.abs(np.vecdot(normal_at(a, points), normal_at(s, points))), -1, 1)))
    assert turn == pytest.approx(abs(angle) * (1 - t) ** 3 * (1 + 3 * t), abs=0.02)
    # Up is where the face's normal points, whichever side the strip lies on.
    middle = surface_points(s, [0.15], [0.4])
    foot = to_surface(a, middle)
    rise = float((middle[0] - surface_points(a, foot.u, foot.v)[0]) @ normal_at(a, middle)[0])
    assert rise * angle > 0
    seams, _ = find_seams([made.rest, made.strip], 0.25)
    worst = {}
    for seam in seams:
        side = seam.a.side if seam.faces[0] == 1 else seam.b.side
        worst[side] = measure_seam(seam, 400.0).worst
    assert set(worst) == {"v0", "v1", "u1"}
    assert all(w["gap"].value < 0.002 for w in worst.values())
    for side in ("v1", "u1"):
        assert worst[side]["angle"].value < 0.006
        assert worst[side]["curvature"].value < 0.5


@pytest.mark.parametrize("height", [1.6, -0.7])
def test_a_height_is_reached_and_nowhere_passed(height):
    a = slab()
    made = feature_line(Face(a), line_on(a, *SLANTED), None, 30.0, height=height)
    t = np.linspace(0, 1, 201)
    points = surface_points(made.strip.surface, *(x.ravel() for x in np.meshgrid(t, t)))
    foot = to_surface(a, points)
    rise = np.vecdot(points - foot.point, normal_at(a, points)) * np.sign(height)
    assert rise.max() == pytest.approx(abs(height), abs=2e-4)
    assert made.angle * height > 0
    assert made.height == pytest.approx(abs(height), abs=1e-9)
    with pytest.raises(GeometryError, match=r"No crease of up to 60° is 40 mm high .* only [\d.]+ mm: make the strip"):
        feature_line(Face(a), line_on(a, *SLANTED), None, 30.0, height=40.0)


def test_what_makes_no_feature_line_is_told():
    a = slab()
    face, line = Face(a), line_on(a, *SLANTED)
    with pytest.raises(GeometryError, match="mm inside the face"):
        feature_line(face, line, 8.0, 30.0, turned=True)
    with pytest.raises(GeometryError, match="mm off the face: project it first"):
        feature_line(face, Curve(5, line.knots, line.control + np.array([0, 0, 4.0])), 8.0, 30.0)
    with pytest.raises(GeometryError, match="reaches beyond the face"):
        feature_line(face, line, 8.0, 300.0)
