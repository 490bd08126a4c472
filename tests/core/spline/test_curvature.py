"""Curvature in closed form; do Carmo, Differential Geometry of Curves and Surfaces, for every formula used here."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from pamble.core.spline import Surface, basis
from pamble.core.spline.differential import curvatures, jet
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.knots import raise_surface_degree, reverse_surface, swap_directions
from tests.shapes import arc_curve, cylinder, panel, revolved, torus

U, V = (g.ravel() for g in np.meshgrid(np.linspace(0.02, 0.98, 15), np.linspace(0.02, 0.98, 15)))


def at(surface, order=2):
    return surface_derivatives(surface, U, V, order)


def test_cylinder_bends_one_way_only():
    _, k = curvatures(at(cylinder(25.0, 60)))
    assert np.allclose(np.maximum(np.abs(k.largest), np.abs(k.smallest)), 1 / 25)
    assert np.allclose(k.gauss, 0, atol=1e-14)


def test_sphere_is_umbilic_everywhere():
    arc = arc_curve(40.0, 80)
    profile = type(arc)(2, arc.knots, arc.control[:, [0, 2, 1]], arc.weights)
    _, k = curvatures(at(revolved(profile, 100)))
    assert np.allclose(np.abs(k.largest), 1 / 40, rtol=1e-9)
    assert np.allclose(np.abs(k.smallest), 1 / 40, rtol=1e-9)


def test_gauss_and_mean_curvature_of_a_torus():
    large, small = 50.0, 12.0
    d = at(torus(large, small))
    _, k = curvatures(d)
    p = d[0, 0]
    cosine = (np.hypot(p[:, 0], p[:, 1]) - large) / small
    assert np.allclose(k.gauss, cosine / (small * (large + small * cosine)), rtol=1e-9)
    assert np.allclose(np.abs(k.mean), (large + 2 * small * cosine) / (2 * small * (large + small * cosine)), rtol=1e-9)


def test_enneper_surface_has_no_mean_curvature():
    """Enneper: (u - u^3/3 + u v^2, v - v^3/3 + v u^2, u^2 - v^2), K = -4 / (1 + u^2 + v^2)^4."""
    nodes = basis.greville(basis.uniform_knots(3, 1, -1, 1), 3)
    u, v = np.meshgrid(nodes, nodes, indexing="ij")
    points = np.stack([u - u**3 / 3 + u * v**2, v - v**3 / 3 + v * u**2, u**2 - v**2], axis=-1)
    inverse = np.linalg.inv(basis.matrix(basis.uniform_knots(3, 1, -1, 1), 3, nodes)[0])
    k3 = basis.uniform_knots(3, 1, -1, 1)
    surface = Surface(3, 3, k3, k3, np.einsum("ia,jb,abc->ijc", inverse, inverse, points))
    uu, vv = 2 * U - 1, 2 * V - 1
    _, k = curvatures(surface_derivatives(surface, uu, vv, 2))
    assert np.allclose(k.mean, 0, atol=1e-13)
    assert np.allclose(k.gauss, -4 / (1 + uu**2 + vv**2) ** 4, rtol=1e-10)


@given(st.integers(0, 1000))
def test_curvature_belongs_to_the_shape_not_to_its_parameters(seed):
    rng = np.random.default_rng(seed)
    surface = panel(lambda x, y: (x, y, rng.normal(size=x.shape) * 8))
    n, k = curvatures(at(surface))
    for other, flip in ((raise_surface_degree(surface, 1, 2), 1), (swap_directions(surface), -1)):
        u, v = (U, V) if flip > 0 else (V, U)
        m, c = curvatures(surface_derivatives(other, u, v, 2))
        assert np.allclose(m, flip * n, atol=1e-9)
        assert np.allclose(c.gauss, k.gauss, atol=1e-9)
        assert np.allclose(c.mean, flip * k.mean, atol=1e-9)


def test_third_form_of_a_height_field_and_its_independence_of_parameters():
    """On z = a x^3 + b x^2 y the height's third derivative at the origin along (p, q, 0) is 6 a p^3 + 6 b p^2 q."""
    a, b = 0.02, -0.03
    nodes = basis.greville(basis.uniform_knots(3, 1, -1, 1), 3)
    # A slanted, stretched parametrisation, so that tangential accelerations are not zero.
    u, v = np.meshgrid(nodes, nodes, indexing="ij")
    x, y = u + 0.3 * v + 0.2 * u * u, v + 0.1 * u * v
    k3 = basis.uniform_knots(9, 1, -1, 1)
    fine = basis.greville(k3, 9)
    uu, vv = np.meshgrid(fine, fine, indexing="ij")
    x, y = uu + 0.3 * vv + 0.2 * uu * uu, vv + 0.1 * uu * vv
    points = np.stack([x, y, a * x**3 + b * x**2 * y], axis=-1)
    inverse = np.linalg.inv(basis.matrix(k3, 9, fine)[0])
    surface = Surface(9, 9, k3, k3, np.einsum("ia,jb,abc->ijc", inverse, inverse, points))
    j = jet(surface_derivatives(surface, [0.0], [0.0], 3))
    for p, q in ((1, 0), (0, 1), (1, 1), (2, -1)):
        third = j.third(np.array([[p, q, 0.0]]))[0] * np.sign(j.normal[0, 2])
        assert np.isclose(third, 6 * a * p**3 + 6 * b * p**2 * q, atol=1e-7)
    turned = jet(surface_derivatives(reverse_surface(surface, "u"), [0.0], [0.0], 3))
    d = np.array([[1.0, 0.5, 0]])
    assert np.isclose(turned.third(d)[0], -j.third(d)[0], atol=1e-7)
