"""Closest points against closed forms and OpenCASCADE."""

import numpy as np
import pytest
from OCP.Geom import Geom_SphericalSurface
from OCP.GeomAPI import GeomAPI_ProjectPointOnSurf
from OCP.GeomConvert import GeomConvert
from OCP.gp import gp_Ax3, gp_Pnt

from pamble.core.faces.kernel import surface_from_kernel, surface_to_kernel
from pamble.core.spline import Curve, basis
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_points
from pamble.core.spline.knots import reverse_surface, swap_directions
from pamble.core.spline.surface import Surface
from tests.shapes import arc_curve, cylinder, panel


def test_feet_on_an_arc_are_radial():
    arc = arc_curve(30.0, 120)
    angle = np.radians(np.linspace(2, 118, 50))
    reach = np.linspace(5, 70, 50)
    feet = to_curve(arc, np.column_stack([reach * np.cos(angle), reach * np.sin(angle), np.zeros(50)]))
    assert np.allclose(feet.point[:, :2], 30 * np.column_stack([np.cos(angle), np.sin(angle)]), atol=1e-9)
    assert np.allclose(feet.distance, np.abs(reach - 30), atol=1e-9)


def test_foot_beside_the_joint_of_a_closed_curve():
    square = np.array(
        [[1, 0, 0], [1, 1, 0], [0, 1, 0], [-1, 1, 0], [-1, 0, 0], [-1, -1, 0], [0, -1, 0], [1, -1, 0], [1, 0, 0]]
    )
    corner = np.sqrt(0.5)
    knots = np.array([0, 0, 0, 1, 1, 2, 2, 3, 3, 4, 4, 4], dtype=float)
    circle = Curve(2, knots, square, [1, corner, 1, corner, 1, corner, 1, corner, 1])
    point = np.array([[2 * np.cos(-1e-3), 2 * np.sin(-1e-3), 0.0], [2 * np.cos(1e-3), 2 * np.sin(1e-3), 0.0]])
    assert np.allclose(to_curve(circle, point).distance, 1.0, atol=1e-12)


def test_the_foot_lies_on_the_nearer_of_two_stretches_though_the_other_has_the_nearer_sample():
    # One long span that runs back close beside many short ones.
    knots = [0, 0, 0, 0, 0.1, 0.2, 0.3, 0.4, 0.5, 1, 1, 1, 1]
    row = [[0, 0, 0], [30, 8, 0], [90, -6, 0], [150, 9, 0], [210, -5, 0], [300, 0, 0], [520, 60, 0], [200, 40, 0]]
    curve = Curve(3, knots, [*row, [0, 12, 0]])
    t = np.linspace(0, 1, 3001)
    assert to_curve(curve, curve_points(curve, t)).distance.max() < 1e-9


@pytest.mark.parametrize(
    "surface", [panel(lambda x, y: (x, y, 0.002 * (x - 150) ** 2 - 0.003 * y * x)), cylinder(40, 90)]
)
def test_points_lifted_along_the_normal_come_back(surface):
    rng = np.random.default_rng(3)
    u, v = rng.uniform(0.01, 0.99, (2, 400))
    d = surface_derivatives(surface, u, v, 1)
    feet = to_surface(surface, d[0, 0] + 3.0 * normals(d))
    assert np.allclose(feet.u, u, atol=1e-9)
    assert np.allclose(feet.v, v, atol=1e-9)
    assert np.allclose(feet.distance, 3.0, atol=1e-9)


def test_distances_beside_the_surface_against_opencascade():
    rng = np.random.default_rng(5)
    surface = panel(lambda x, y: (x, y, rng.normal(size=x.shape) * 6))
    points = rng.uniform([-20, -20, 10], [320, 120, 60], (60, 3))
    mine = to_surface(surface, points).distance
    geom = surface_to_kernel(surface)
    for p, distance in zip(points, mine, strict=True):
        tool = GeomAPI_ProjectPointOnSurf(gp_Pnt(*p), geom)
        # OpenCASCADE gives feet inside only: beside the surface it may find none or a farther one.
        if tool.NbPoints():
            assert distance <= tool.LowerDistance() + 1e-7


@pytest.mark.parametrize("side", ["v0", "u1"])
def test_feet_beside_a_pole_are_found_from_all_sides_of_it(side):
    """Fans over up to a whole turn, flat and steep, round and flattened: places close to their points lie on them."""
    rng = np.random.default_rng(7)
    for turn, flat in ((1.2, 1.0), (2.5, 0.4), (5.9, 0.6)):
        p, q = rng.integers(2, 6, 2)
        ku, kv = basis.uniform_knots(int(p), 3), basis.uniform_knots(int(q), 2)
        u, v = np.meshgrid(basis.greville(ku, p), basis.greville(kv, q), indexing="ij")
        fan = np.stack([v * np.cos(turn * u), flat * v * np.sin(turn * u), 0.7 * v**2], axis=-1)
        surface = Surface(int(p), int(q), ku, kv, 50 * fan)
        surface = surface if side == "v0" else reverse_surface(swap_directions(surface), "u")
        assert surface.poles == (side,)
        share = rng.uniform(0, 1, (2, 1500))
        at = [share[0], share[1] ** 4] if side == "v0" else [1 - share[1] ** 4, share[0]]
        assert to_surface(surface, surface_points(surface, *at)).distance.max() < 1e-6
    ball = surface_from_kernel(GeomConvert.SurfaceToBSplineSurface_s(Geom_SphericalSurface(gp_Ax3(), 30.0)))
    way = rng.normal(size=(1500, 3)) * [0.05, 0.05, 1]
    way /= np.linalg.norm(way, axis=1)[:, None]
    feet = to_surface(ball, way * rng.uniform(20, 45, (1500, 1)))
    assert np.abs(feet.point - 30 * way).max() < 1e-6


def test_uneven_domains_are_searched_in_every_span():
    knots = basis.knots_from_breaks(np.array([0, 1e-3, 0.5, 10.0]), 3)
    curve = Curve(3, knots, np.random.default_rng(1).normal(size=(6, 3)))
    t = np.array([2e-4, 9e-4, 0.2, 4.0])
    assert np.allclose(to_curve(curve, curve_points(curve, t)).distance, 0, atol=1e-10)
