"""Laws and published values of the basis, curves and surfaces; scipy and OpenCASCADE as second opinion."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from OCP.gp import gp_Pnt, gp_Vec
from scipy.interpolate import BSpline, NdBSpline

from pamble.core.errors import GeometryError
from pamble.core.faces.kernel import surface_to_kernel
from pamble.core.spline import Curve, Surface, basis, knots
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives, surface_grid
from pamble.core.spline.power import curve_form, surface_form
from tests.shapes import random_curve, random_surface

seeds = st.integers(0, 10_000)
degrees = st.integers(1, 9)
T = np.linspace(0, 1, 41)


@given(seeds, degrees, st.integers(1, 5))
def test_partition_of_unity(seed, degree, spans):
    curve = random_curve(np.random.default_rng(seed), degree, spans)
    values = basis.matrix(curve.knots, degree, T, 2)
    assert np.allclose(values[0].sum(axis=1), 1, atol=1e-11)
    assert values[0].min() > -1e-12
    assert np.allclose(values[1].sum(axis=1), 0, atol=1e-8 * np.abs(values[1]).max())


@given(seeds, degrees)
def test_affine_map_of_control_points_maps_the_curve(seed, degree):
    rng = np.random.default_rng(seed)
    curve, a, b = random_curve(rng, degree, 3, rational=True), rng.normal(size=(3, 3)), rng.normal(size=3)
    moved = Curve(degree, curve.knots, curve.control @ a.T + b, curve.weights)
    assert np.allclose(curve_points(moved, T), curve_points(curve, T) @ a.T + b, atol=1e-9)


@given(seeds, st.integers(1, 6), st.booleans())
def test_raising_inserting_reversing_move_nothing(seed, degree, rational):
    curve = random_curve(np.random.default_rng(seed), degree, 3, rational)
    before = curve_points(curve, T)
    assert np.allclose(curve_points(knots.raise_degree(curve, 2), T), before, atol=1e-9)
    assert np.allclose(curve_points(knots.insert_knots(curve, np.array([0.3, 0.77])), T), before, atol=1e-9)
    assert np.allclose(curve_points(knots.reverse_curve(curve), 1 - T), before, atol=1e-9)


@given(seeds, st.integers(1, 6), st.floats(0.1, 0.9))
def test_split_halves_agree_with_the_whole(seed, degree, at):
    rng = np.random.default_rng(seed)
    surface = random_surface(rng, (degree, 3), rational=True)
    for direction in "uv":
        halves = knots.split_surface(surface, direction, at)
        for half in halves:
            (u0, u1), (v0, v1) = half.domain
            u, v = u0 + T * (u1 - u0), v0 + T[::-1] * (v1 - v0)
            whole = surface_derivatives(surface, u, v, 1)
            assert np.allclose(surface_derivatives(half, u, v, 1), whole, rtol=1e-6, atol=1e-6)


@pytest.mark.parametrize(("degree", "spans"), [(1, 4), (2, 4), (3, 4), (5, 4), (9, 4), (12, 4), (9, 1), (25, 1)])
def test_curve_derivatives_against_scipy(degree, spans):
    curve = random_curve(np.random.default_rng(degree), degree, spans)
    reference = BSpline(curve.knots, curve.control, degree)
    mine = curve_derivatives(curve, T, 3)
    for order in range(4):
        expected = reference(T, order)
        assert np.allclose(mine[order], expected, atol=1e-10 * max(1, np.abs(expected).max()))


@pytest.mark.parametrize("size", [(5, 3), (9, 2), (25, 4)])
def test_power_forms_keep_the_digits(size):
    surface = Surface.bezier(np.random.default_rng(sum(size)).normal(size=(size[0] + 1, size[1] + 1, 3)))
    reference = NdBSpline((surface.knots_u, surface.knots_v), surface.control, size)
    found = surface_form(surface).derivatives(T, T[::-1], 2)
    for order in ((0, 0), (1, 0), (0, 1), (1, 1), (0, 2)):
        expected = reference(np.column_stack([T, T[::-1]]), nu=order)
        assert np.abs(found[order] - expected).max() < 1e-10 * max(10, np.abs(expected).max())


@given(seeds, st.integers(1, 9), st.integers(0, 3), st.booleans())
def test_power_forms_go_on_beyond_the_ends_as_the_spans_there_do(seed, degree, order, rational):
    rng = np.random.default_rng(seed)
    t = 1.02 * T - 0.01
    curve, surface = random_curve(rng, degree, 3, rational), random_surface(rng, (degree, 2), rational)
    for mine, expected in (
        (curve_form(curve).derivatives(t, order), curve_derivatives(curve, t, order)),
        (surface_form(surface).derivatives(t, t[::-1], order), surface_derivatives(surface, t, t[::-1], order)),
    ):
        assert mine == pytest.approx(expected, abs=1e-8 * (1 + np.abs(expected).max()))


@pytest.mark.parametrize("rational", [False, True])
@pytest.mark.parametrize("size", [(5, 3), (3, 2), (9, 9)])
def test_surface_derivatives_against_opencascade(size, rational):
    rng = np.random.default_rng(sum(size))
    surface = random_surface(rng, size, rational)
    geom = surface_to_kernel(surface)
    u, v = rng.uniform(0, 1, (2, 20))
    mine = surface_derivatives(surface, u, v, 3)
    for i in range(20):
        p, vectors = gp_Pnt(), [gp_Vec() for _ in range(9)]
        geom.D3(u[i], v[i], p, *vectors)
        orders = [(1, 0), (0, 1), (2, 0), (0, 2), (1, 1), (3, 0), (0, 3), (2, 1), (1, 2)]
        for (k, l), d in zip(orders, vectors, strict=True):
            expected = np.array([d.X(), d.Y(), d.Z()])
            assert np.allclose(mine[k, l, i], expected, atol=1e-9 * max(1.0, np.abs(mine[k, l]).max()))
        assert np.allclose(mine[0, 0, i], [p.X(), p.Y(), p.Z()])


def test_grid_scattered_and_large_nets_agree():
    surface = random_surface(np.random.default_rng(7), (5, 4), rational=True)
    large = knots.insert_surface_knots(surface, np.linspace(0.01, 0.99, 12), np.linspace(0.02, 0.98, 11))
    u, v = np.meshgrid(T, T, indexing="ij")
    grid = surface_grid(surface, T, T, 2).reshape(3, 3, -1, 3)
    assert np.allclose(grid, surface_derivatives(surface, u.ravel(), v.ravel(), 2), rtol=1e-9, atol=1e-7)
    assert np.allclose(grid, surface_derivatives(large, u.ravel(), v.ravel(), 2), rtol=1e-5, atol=1e-4)


def test_worked_example_of_basis_functions():
    """Piegl and Tiller, The NURBS Book, examples 2.3 and 2.4 (values from memory)."""
    vector = np.array([0, 0, 0, 1, 2, 3, 4, 4, 5, 5, 5], dtype=float)
    first, values = basis.local(vector, 2, np.array([2.5]), 2)
    assert first[0] == 2
    assert np.allclose(values[0, 0], [1 / 8, 6 / 8, 1 / 8])
    assert np.allclose(values[0, 1], [-1 / 2, 0, 1 / 2])
    assert np.allclose(values[0, 2], [1, -2, 1])


def test_worked_example_of_a_rational_circle():
    """Piegl and Tiller, The NURBS Book, example 4.2: a quarter circle with weights 1, 1, 2 (values from memory)."""
    circle = Curve(2, basis.uniform_knots(2, 1), [[1, 0], [1, 1], [0, 1]], [1, 1, 2])
    d = curve_derivatives(circle, [0.0, 0.5, 1.0], 2)
    assert np.allclose(d[0, 1], [3 / 5, 4 / 5])
    assert np.allclose(d[1, [0, 2]], [[0, 2], [-1, 0]])
    assert np.allclose(d[2, [0, 2]], [[-4, 0], [1, -1]])


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        ((3, [0, 0, 0, 0, 1, 1, 1, 1], np.zeros((3, 3))), "at least 4 control points"),
        ((2, [0, 0, 0, 1, 0.5, 1, 1, 1], np.zeros((5, 3))), "out of order"),
        ((2, [0, 0, 0, 1, 1, 1, 2], np.zeros((3, 3))), "6 knots"),
        ((1, [0, 0, 0, 0], np.zeros((2, 3))), "no length"),
        ((1, [0, 0, 1, 1], [[0, 0, np.nan], [1, 1, 1]]), "not a finite"),
        ((1, [0, 0, 1, 1], np.zeros((2, 3)), [1, 0]), "positive"),
        ((2, [0, 0, 0, 0.5, 0.5, 0.5, 1, 1, 1], np.zeros((6, 3))), "repeated"),
    ],
)
def test_bad_curves_are_refused_in_words(arguments, words):
    with pytest.raises(GeometryError, match=words):
        Curve(*arguments)


def test_bad_surfaces_and_splits_are_refused_in_words():
    with pytest.raises(GeometryError, match="grid of points"):
        Surface(1, 1, [0, 0, 1, 1], [0, 0, 1, 1], np.zeros((2, 2)))
    surface = random_surface(np.random.default_rng(0), (3, 3))
    with pytest.raises(GeometryError, match="not at 2"):
        knots.split_surface(surface, "u", 2.0)
