"""Curves seen by their length, and what is measured on them, against closed forms."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.interpolate import BSpline, make_interp_spline

from pamble.core.curves.jets import curve_jets, end_jet, joint_figures
from pamble.core.curves.layout import check_layout
from pamble.core.curves.measure import curve_facts, curve_length, deviation, inflections
from pamble.core.curves.shapes import conic_arc, ellipse
from pamble.core.errors import GeometryError
from pamble.core.spline import Curve
from pamble.core.spline.knots import raise_degree, reverse_curve
from tests.shapes import random_curve

PARABOLA = Curve.bezier([[-20, 40, 0], [0, -40, 0], [20, 40, 0]])
"""y = x^2 / 10."""


def test_jets_of_a_helix():
    """Radius a, pitch 2 pi b: curvature a/(a^2+b^2), torsion b/(a^2+b^2) (do Carmo, section 1-5, exercise 1)."""
    a, b = 30.0, 8.0
    t = np.linspace(0, 6, 400)
    s = make_interp_spline(t, np.column_stack([a * np.cos(t), a * np.sin(t), b * t]), k=7)
    jets = curve_jets(Curve(7, s.t, s.c), np.linspace(1, 5, 20))
    k, tau = a / (a * a + b * b), b / (a * a + b * b)
    assert np.allclose(jets.curvature, k, rtol=1e-7)
    assert np.allclose(jets.rate, 0, atol=1e-7)
    torsion = np.einsum("ij,ij->i", np.cross(jets.tangent, jets.bend), jets.change) / k**2
    assert np.allclose(torsion, tau, rtol=1e-5)
    assert np.allclose(np.einsum("ij,ij->i", jets.tangent, jets.change), -(k**2), rtol=1e-6)


@given(st.integers(0, 999), st.integers(3, 6), st.integers(1, 3))
def test_jets_do_not_depend_on_parametrisation(seed, degree, spans):
    curve = random_curve(np.random.default_rng(seed), degree, spans)
    once = curve_jets(curve, [0.3])
    again = curve_jets(reverse_curve(raise_degree(curve, 1)), [0.7]).turned()
    for name in ("point", "tangent", "bend", "change"):
        a, b = getattr(once, name), getattr(again, name)
        assert np.allclose(a, b, rtol=1e-5, atol=1e-6 * (1 + np.abs(a).max()))


def test_an_arc_tangent_to_a_line_is_g1_and_its_comb_jumps_by_one_over_r():
    arc = ellipse([0, 40, 0], [0, 0, 1], (40, 40), [0, -1, 0], 90)
    line = Curve.line([-60, 0, 0], [0, 0, 0])
    f = joint_figures(end_jet(line, 1), end_jet(arc, 0), 100)
    assert f.gap < 1e-12
    assert f.angle < 1e-9
    assert f.curvature_abs == pytest.approx(1 / 40)


def test_three_cvs_on_a_line_give_an_end_without_curvature():
    curve = Curve.bezier([[0, 0, 0], [10, 0, 0], [25, 0, 0], [40, 10, 0], [50, 30, 0]])
    assert end_jet(curve, 0).curvature[0] < 1e-12


def test_two_cvs_square_to_a_mirror_plane_join_the_mirror_image_with_g2():
    half = Curve.bezier([[0, 0, 5], [10, 0, 5], [25, 8, 2], [40, 10, 0]])
    mirrored = Curve.bezier(half.control * [-1, 1, 1])
    f = joint_figures(end_jet(half, 0), end_jet(mirrored, 0), 40)
    assert f.angle < 1e-9
    assert f.curvature_abs < 1e-12


def test_length_of_a_parabola():
    """Arc length of y = x^2/10 from 0 to 20, by the antiderivative with asinh."""
    expected = 0.5 * 20 * np.hypot(1, 4) + 2.5 * np.arcsinh(4)
    assert curve_length(PARABOLA) == pytest.approx(2 * expected, rel=1e-10)
    facts = curve_facts(PARABOLA)
    assert facts.least_radius == pytest.approx(5, rel=1e-6)
    assert np.allclose(facts.least_point, 0, atol=1e-9)


@pytest.mark.parametrize("rho", [0.3, 0.4142, 0.5, 0.7])
def test_end_curvature_of_a_conic_from_rho(rho):
    """k = h / (2 w^2 a^2), a the first leg, h the end's distance from it (Farin, Curves and Surfaces for CAGD, from
    memory); w = rho / (1 - rho)."""
    start, corner, end = np.array([0.0, 0, 0]), np.array([50.0, 0, 0]), np.array([80.0, 40, 0])
    w = rho / (1 - rho)
    assert end_jet(conic_arc(start, corner, end, rho), 0).curvature[0] == pytest.approx(40 / (2 * w * w * 50**2))


def test_inflections_of_a_cubic_and_none_on_a_straight_or_round_one():
    cubic = Curve.bezier([[-1, -1, 0], [-1 / 3, 1, 0], [1 / 3, -1, 0], [1, 1, 0]])
    assert np.allclose(inflections(cubic), [0.5])
    assert curve_facts(Curve.line([0, 0, 0], [10, 0, 0])).least_radius is None
    assert len(inflections(ellipse([0, 0, 0], [0, 0, 1], (30, 12)))) == 0


def test_deviation_is_seen_from_both_sides():
    short, long = Curve.line([0, 0, 0], [50, 0, 0]), Curve.line([0, 3, 0], [90, 3, 0])
    assert deviation(short, long).distance == pytest.approx(np.hypot(40, 3))


def test_layout_praises_calm_polygons_and_names_the_cv_at_fault():
    calm = Curve.bezier([[0, 0, 0], [20, 12, 0], [42, 18, 0], [65, 18, 0], [88, 11, 0]])
    assert check_layout(calm).faults == ()
    zigzag = Curve.bezier([[0, 0, 0], [20, 12, 0], [40, 2, 0], [65, 18, 0], [88, 11, 0]])
    assert {f.cv for f in check_layout(zigzag).faults} & {1, 2, 3}
    crowded = Curve.bezier([[0, 0, 0], [20, 12, 0], [21, 12.4, 0], [65, 18, 0], [88, 11, 0]])
    assert any("legs jump" in f.words for f in check_layout(crowded).faults)
    coincident = Curve.bezier([[0, 0, 0], [20, 12, 0], [20, 12, 0], [65, 18, 0]])
    assert any("coincides" in f.words for f in check_layout(coincident).faults)


def test_a_curve_that_stands_still_is_said_in_words():
    with pytest.raises(GeometryError, match="stands still"):
        curve_jets(Curve.bezier([[0, 0, 0], [0, 0, 0], [10, 0, 0]]), [0.0])


@pytest.mark.parametrize("seed", range(6))
@pytest.mark.parametrize("quick", [False, True])
def test_the_least_radius_agrees_with_a_dense_evaluation_by_scipy(seed, quick):
    """Several spans, every other seed with a break at which the curvature jumps."""
    random = np.random.default_rng(seed)
    inner = [0.3, 0.3, 0.3, 0.7] if seed % 2 else [0.21, 0.4, 0.77]
    knots = np.r_[[0.0] * 5, inner, [1.0] * 5]
    x = np.linspace(0, 200, len(knots) - 5)
    curve = Curve(4, knots, np.column_stack([x, *random.normal(0, 25, (2, len(x)))]))
    spline = BSpline(knots, curve.control, 4)
    t = np.sort(np.r_[np.linspace(0, 1, 400_001), 0.3 - 1e-10, 0.3 + 1e-10])
    d1, d2 = spline.derivative(1)(t), spline.derivative(2)(t)
    bend = np.linalg.norm(np.cross(d1, d2), axis=1) / np.linalg.norm(d1, axis=1) ** 3
    facts = curve_facts(curve, quick)
    assert facts.least_radius == pytest.approx(1 / bend.max(), rel=1e-6)
    assert facts.least_point == pytest.approx(spline(t[np.argmax(bend)]), abs=0.05)
