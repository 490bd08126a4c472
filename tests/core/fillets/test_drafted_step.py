"""Drafted steps that die out: closed forms on a plane, and curvature continuity read back by another library."""

import numpy as np
import pytest

from pamble.core.errors import GeometryError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.core.fillets.drafted_step import drafted_step
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import surface_points
from pamble.core.spline.surface import Surface
from tests import readback
from tests.core.fillets.test_dying import SLANTED, line_on, normal_at
from tests.core.fillets.test_fillet import slab
from tests.core.patches.grounds import ground

SPANS = ground(3, 40, 9)
"""A face of four spans each way: one span across the strip leaves it by .2°, 15 %."""
PLATE = Surface.bezier([[[0, 0, 0], [0, 200, 0]], [[300, 0, 0], [300, 200, 0]]])


def test_a_step_on_a_plane_has_the_height_the_slope_and_the_least_radius_of_the_quintic_s():
    made = drafted_step(Face(PLATE), Curve.line([0, 80, 0], [220, 80, 0]), 6.0, 25.0, 40.0)
    assert made.height == pytest.approx(6, abs=1e-9)
    assert made.steepest == pytest.approx(25, abs=1e-3)
    # h (10 s^3 - 15 s^4 + 6 s^5) over a width W rises by 1.875 h / W, and bends by 5.7735 h / W^2 at most where it is
    # shallow; the slope's share is exact.
    assert made.width == pytest.approx(1.875 * 6 / np.tan(np.radians(25)), rel=2e-3)
    t = np.linspace(0, 1, 9)
    wall = made.wall.surface
    v = np.linspace(*wall.domain[1], 9)
    profile = surface_points(wall, np.zeros(9), v)
    assert profile[:, 2] == pytest.approx(6 * (10 * t**3 - 15 * t**4 + 6 * t**5), abs=1e-6)
    x = np.linspace(0, 0.5 * made.width, 4001) / made.width
    slope = 6 / made.width * (30 * x**2 - 60 * x**3 + 30 * x**4)
    bend = 6 / made.width**2 * (60 * x - 180 * x**2 + 120 * x**3) / (1 + slope**2) ** 1.5
    assert made.radius == pytest.approx(1 / bend.max(), rel=0.01)
    low = drafted_step(Face(PLATE), Curve.line([0, 80, 0], [220, 80, 0]), -6.0, 25.0, 40.0, other_side=True)
    assert surface_points(low.upper.surface, [0.0], [low.upper.surface.domain[1][0]])[0, 2] == pytest.approx(-6)


@pytest.mark.parametrize(
    ("a", "height", "other_side"),
    [(slab(), 5.0, False), (slab(), -3.0, False), (slab(), 4.0, True), (SPANS, 4.0, False), (SPANS, -3.0, True)],
)
def test_wall_upper_face_and_the_face_around_go_on_into_each_other_with_curvature(a, height, other_side, tmp_path):
    made = drafted_step(
        Face(a), line_on(a, *SLANTED), height, 20.0, 12.0 if other_side else 30.0, other_side=other_side
    )
    assert made.missed < 2.0
    assert made.steepest == pytest.approx(20, abs=1e-3)
    top = surface_points(made.wall.surface, [0.0], [made.wall.surface.domain[1][1]])
    foot = to_surface(a, top)
    rise = (top[0] - surface_points(a, foot.u, foot.v)[0]) @ normal_at(a, top)[0]
    assert rise == pytest.approx(height, abs=0.02)
    path = tmp_path / "step.step"
    write_step([("rest", made.rest), ("wall", made.wall), ("upper", made.upper)], path)
    faces = readback.faces(path)
    assert len(faces) == 3
    rest, wall, upper = faces
    for one, other in ((wall, upper), (wall, rest), (upper, rest)):
        seam = readback.nearest_seam(one, other, 1 / 400)
        assert seam.gap < 0.002
        assert seam.angle < 0.01
        assert seam.curvature < 1.0


def test_what_makes_no_step_is_told():
    line = Curve.line([0, 80, 0], [220, 80, 0])
    with pytest.raises(GeometryError, match="A step needs a height"):
        drafted_step(Face(PLATE), line, 0.0, 25.0, 40.0)
    with pytest.raises(GeometryError, match="A wall leans by 1° to 80°"):
        drafted_step(Face(PLATE), line, 6.0, 89.0, 40.0)
    with pytest.raises(GeometryError, match="reaches beyond the face"):
        drafted_step(Face(PLATE), line, 6.0, 25.0, 150.0)


def test_no_second_strip_is_laid_where_the_first_has_cut_the_face_away():
    first = drafted_step(Face(SPANS), line_on(SPANS, *SLANTED), 4.0, 20.0, 30.0)
    with pytest.raises(GeometryError, match="cut away below the strip near"):
        drafted_step(first.rest, line_on(SPANS, lambda t: 1 - 0.5 * t, lambda t: 0.65 - 0.1 * t), 4.0, 20.0, 30.0)
    short = line_on(SPANS, lambda t: 1 - 0.25 * t, lambda t: 0.65 - 0.1 * t)
    assert drafted_step(first.rest, short, 4.0, 20.0, 30.0).missed < 3.0
