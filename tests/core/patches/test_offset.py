"""Offsets of freeform faces: at their distance everywhere, on few CVs."""

import numpy as np
import pytest
from scipy.interpolate import make_interp_spline

from pamble.core.errors import GeometryError
from pamble.core.exchange.step import write_step
from pamble.core.faces.face import Face
from pamble.core.spline import basis
from pamble.core.spline.closest import to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.knots import swap_directions
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.extrude import extrude
from pamble.core.surfaces.offset import offset_surface
from pamble.core.surfaces.revolve import revolve
from tests import readback
from tests.shapes import arc_curve, torus


def stirred(seed: int) -> Surface:
    """A bent panel of any degree and spans, rational now and then."""
    rng = np.random.default_rng(seed)
    degrees = rng.integers(2, 6, 2)
    counts = degrees + 1 + rng.integers(0, 4, 2)
    x, y = np.meshgrid(np.linspace(0, 100, counts[0]), np.linspace(0, 80, counts[1]), indexing="ij")
    z = 10 * np.sin(x / 40 + rng.normal()) + 8 * np.cos(y / 30 + rng.normal())
    net = np.dstack([x, y, z]) + rng.normal(size=(*counts, 3)) * rng.uniform(0, 2)
    knots = (basis.uniform_knots(int(p), int(n - p)) for p, n in zip(degrees, counts, strict=True))
    weights = rng.uniform(0.7, 1.4, counts) if rng.random() < 0.3 else None
    return Surface(int(degrees[0]), int(degrees[1]), *knots, net, weights)


@pytest.mark.parametrize("seed", [1, 9, 20])
def test_an_offset_lies_at_its_distance_and_takes_no_more_cvs_than_its_shape_asks_for(seed, tmp_path):
    surface = stirred(seed)
    made, off = offset_surface(surface, 4.0)
    assert off < 0.001
    assert max(made.control.shape[:2]) <= 40
    write_step([("Offset", Face(made))], tmp_path / "offset.step")
    (face,) = readback.faces(tmp_path / "offset.step")
    d = surface_grid(surface, np.linspace(0, 1, 8), np.linspace(0, 1, 8), 1)
    points = (d[0, 0] + 4.0 * normals(d)).reshape(-1, 3)
    assert max(readback.distance(face, p) for p in points) < 0.001


AXIS = np.zeros(3), np.array([0.0, 0.0, 1.0])
CONE = Curve.line([20, 0, 0], [32, 0, 50])
VASE = Curve.bezier([[20, 0, 0], [34, 0, 15], [12, 0, 35], [26, 0, 60]])
BALL = Curve(2, np.array([0, 0, 0, 0.5, 0.5, 1, 1, 1]),
             np.array([[0, 0, -20], [20, 0, -20], [20, 0, 0], [20, 0, 20], [0, 0, 20.0]]),
             np.array([1, np.sqrt(0.5), 1, np.sqrt(0.5), 1]))  # fmt: skip


@pytest.mark.parametrize("swapped", [False, True])
@pytest.mark.parametrize(
    ("surface", "size"),
    [
        (revolve(CONE, *AXIS, 0, 360), lambda p: (np.hypot(*p[:2]) - 0.24 * p[2]) / np.hypot(1, 0.24)),
        (revolve(BALL, *AXIS, 0, 360), lambda p: np.sqrt((p**2).sum(axis=0))),
        (torus(30, 9), lambda p: np.hypot(np.hypot(*p[:2]) - 30, p[2])),
        (extrude(arc_curve(25, 70), np.array([0, 0, 1.0]), 0, 40), lambda p: np.hypot(*p[:2])),
    ],
)  # fmt: skip
def test_cones_balls_tori_and_cylinders_stay_what_they_are(surface, size, swapped):
    s = swap_directions(surface) if swapped else surface
    before = size(surface_grid(s, [0.3], [0.4])[0, 0, 0, 0])
    made, off = offset_surface(s, 3.0)
    grid = surface_grid(made, np.linspace(0, 1, 41), np.linspace(0, 1, 41))[0, 0].reshape(-1, 3).T
    assert off == 0.0
    assert made.control.shape == s.control.shape
    assert np.abs(size(grid) - before) == pytest.approx(3.0, rel=1e-9)


@pytest.mark.parametrize("distance", [-4.0, 4.0])
def test_of_a_vase_only_the_profile_is_fitted(distance):
    vase = revolve(VASE, *AXIS, 0, 360)
    made, off = offset_surface(vase, distance)
    assert off <= 0.001
    assert made.control.shape[0] == vase.control.shape[0]
    assert made.control.shape[1] <= 16
    places = surface_grid(made, np.linspace(0, 1, 29), np.linspace(0, 1, 31))[0, 0].reshape(-1, 3)
    assert to_surface(vase, places).distance == pytest.approx(4.0, abs=0.0015)


@pytest.mark.parametrize("distance", [-3.0, 3.0])
def test_a_tube_stays_smooth_at_its_joint_and_a_pole_stays_a_point(distance):
    turn = np.linspace(0, 2 * np.pi, 15)
    radius = 20 + 4 * np.sin(2 * turn + 1) + 1.5 * np.sin(3 * turn)
    places = np.stack([radius * np.cos(turn), 1.2 * radius * np.sin(turn)], -1)
    places[-1] = places[0]
    ring = make_interp_spline(turn, places, 3, bc_type="periodic")
    knots = np.concatenate([[0] * 4, turn[1:-1], [turn[-1]] * 4])
    at = basis.greville(knots, 3)
    rows = np.linalg.solve(basis.matrix(knots, 3, at)[0], ring(at))
    net = np.stack([np.column_stack([rows * s, np.full(len(rows), z)]) for s, z in ((1, 0), (0.8, 15), (1.1, 40))], 1)
    tube = Surface(3, 2, knots, [0, 0, 0, 1, 1, 1], net)
    egg = revolve(BALL, *AXIS, 0, 360)
    egg = egg.with_control(egg.control * [1.0, 1.2, 1.5])
    for surface in (tube, egg):
        made, off = offset_surface(surface, distance)
        assert off <= 0.001
        u0, u1 = made.domain[0]
        d = surface_grid(made, [u0, u1], np.linspace(0.02, 0.98, 9), 1)
        normal = normals(d)
        assert d[0, 0][0] == pytest.approx(d[0, 0][1], abs=1e-9)
        assert normal[0] == pytest.approx(normal[1], abs=1e-6 if surface is tube else 1e-4)
    assert [side in made.poles for side in ("v0", "v1")] == [True, True]
    places = surface_grid(made, np.linspace(0, 1, 23), np.linspace(0, 1, 21))[0, 0].reshape(-1, 3)
    assert to_surface(egg, places).distance == pytest.approx(3.0, abs=0.0015)


def test_an_offset_that_folds_round_an_axis_is_told():
    with pytest.raises(GeometryError, match=r"least radius on that side is 16\.7"):
        offset_surface(revolve(VASE, *AXIS, 0, 360), -40.0)
