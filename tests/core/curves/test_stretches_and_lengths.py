"""Stretches, lengths and reaches of random curves, against scipy and dense samples."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.integrate import quad
from scipy.interpolate import BSpline

from pamble.core.curves.measure import curve_facts, curve_length, extent, length_parameters
from pamble.core.curves.meet import nearest
from pamble.core.curves.polygon import offset_polygon
from pamble.core.curves.stretches import stretches
from pamble.core.curves.transform import rotation
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from tests.shapes import random_curve

SEEDS = st.integers(0, 10_000)


def test_the_ends_of_stretches_are_found_between_the_samples():
    """Where sin is above 0.3, told apart by whether cos is positive."""

    def label(t):
        return np.where(np.sin(t) > 0.3, np.where(np.cos(t) > 0, 0, 1), -1)

    found = stretches(label, np.linspace(0, 8, 41))
    rise, fall = np.arcsin(0.3), np.pi - np.arcsin(0.3)
    wanted = [(0, rise, np.pi / 2), (1, np.pi / 2, fall), (0, rise + 2 * np.pi, 2.5 * np.pi), (1, 2.5 * np.pi, 8)]
    assert [f[0] for f in found] == [w[0] for w in wanted]
    assert np.allclose([f[1:] for f in found], [w[1:] for w in wanted], atol=1e-7)
    # Closed in on from inside: the label holds at both ends.
    assert all((label(np.array(f[1:])) == f[0]).all() for f in found)
    assert stretches(lambda t: np.full(len(t), -1), np.linspace(0, 1, 9)) == []
    assert stretches(lambda t: np.zeros(len(t), dtype=int), np.linspace(0, 1, 9)) == [(0, 0.0, 1.0)]


@settings(max_examples=25)
@given(SEEDS, st.integers(2, 7), st.integers(1, 5))
def test_fractions_of_the_length_against_quadrature(seed, degree, spans):
    wild = random_curve(np.random.default_rng(seed), degree, spans)
    # A drift keeps it from standing still anywhere.
    drift = np.outer(np.linspace(0, 3 * len(wild.control), len(wild.control)), [1, 0, 0])
    curve = Curve(degree, wild.knots, wild.control + drift)
    speed = BSpline(curve.knots, curve.control, curve.degree).derivative()
    a, b = curve.domain
    breaks = np.unique(curve.knots)[1:-1]

    def along(t):
        inner = [x for x in breaks if x < t]
        return quad(lambda x: np.linalg.norm(speed(x)), a, t, points=inner or None, limit=400)[0]

    whole = along(b)
    assert curve_length(curve) == pytest.approx(whole, rel=1e-8)
    fractions = np.array([0.0, 0.13, 0.5, 0.91, 1.0])
    exact, quick = (length_parameters(curve, fractions, quick=q) for q in (False, True))
    assert [along(t) / whole if t > a else 0.0 for t in exact] == pytest.approx(fractions.tolist(), abs=1e-8)
    assert np.abs(exact - quick).max() < 2e-3 * (b - a)
    assert curve_facts(curve, quick=True).length == pytest.approx(whole, rel=5e-3)


@settings(max_examples=25)
@given(SEEDS, st.integers(2, 6))
def test_the_reach_along_a_direction_is_that_of_a_dense_polyline(seed, degree):
    rng = np.random.default_rng(seed)
    curve, d = random_curve(rng, degree, 3), rng.normal(size=3)
    d /= np.linalg.norm(d)
    heights = curve_points(curve, np.linspace(*curve.domain, 20_001)) @ d
    low, high = extent(curve, d)
    size = np.ptp(heights)
    assert low @ d == pytest.approx(heights.min(), abs=1e-5 * size)
    assert high @ d == pytest.approx(heights.max(), abs=1e-5 * size)


@settings(max_examples=25)
@given(SEEDS)
def test_the_nearest_approach_is_not_beaten_by_any_pair_of_points(seed):
    rng = np.random.default_rng(seed)
    a, b = random_curve(rng, 3, 2), random_curve(rng, 4, 2)
    found = nearest(a, b)
    p, q = (curve_points(c, np.linspace(*c.domain, 400)) for c in (a, b))
    gaps = np.linalg.norm(p[:, None] - q[None], axis=2)
    assert found.gap <= gaps.min() + 1e-9
    assert np.linalg.norm(found.points[0] - found.points[1]) == pytest.approx(found.gap)


@settings(max_examples=25)
@given(SEEDS, st.floats(-170, 170), st.floats(0.5, 6))
def test_an_offset_polygon_turns_with_the_polygon_and_comes_back(seed, degrees, distance):
    rng = np.random.default_rng(seed)
    angle = np.cumsum(rng.uniform(0.1, 0.5, 6))
    legs = np.column_stack([np.cos(angle), np.sin(angle), np.zeros(6)]) * rng.uniform(15, 60, 6)[:, None]
    polygon = np.vstack([np.zeros(3), np.cumsum(legs, axis=0)])
    turn = rotation(rng.normal(size=3), degrees, np.array([3.0, -2, 8]))
    points = polygon @ turn.matrix.T + turn.shift
    assert np.allclose(offset_polygon(points, distance), offset_polygon(polygon, distance) @ turn.matrix.T + turn.shift)
    assert np.allclose(offset_polygon(offset_polygon(points, distance), -distance), points)
