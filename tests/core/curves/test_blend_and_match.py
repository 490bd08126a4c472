"""Blend curves and matching: what joins, what moves, what stays."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from pamble.core.curves.jets import CurveJets, end_jet, joint_figures
from pamble.core.curves.match import average_ends, match_end
from pamble.core.curves.transform import rotation, scaling, translation
from pamble.core.errors import BlendError
from pamble.core.faces.face import natural_edge
from pamble.core.joining.blend import build_blend
from pamble.core.joining.curve_blend import blend_curve, square_jet
from pamble.core.joining.spec import BlendSpec
from pamble.core.spline import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import iso_curve, reverse_curve
from tests.shapes import arc_curve, cylinder, plane

A = Curve.bezier([[0, 0, 0], [30, 0, 5], [60, 10, 8], [90, 15, 0]])
B = Curve.bezier([[150, 60, 0], [160, 100, 10], [150, 150, 20], [120, 200, 0]])
C = Curve.bezier([[95, 20, 3], [110, 30, 0], [130, 40, 0], [150, 50, 5], [170, 90, 0], [180, 120, 0]])


@pytest.mark.parametrize("continuity", [(0, 0), (1, 1), (2, 2), (3, 3), (3, 1), (0, 2)])
def test_a_blend_curve_meets_both_ends(continuity):
    made = blend_curve(end_jet(A, 1), end_jet(B, 0), continuity)
    assert made.curve.degree == sum(continuity) + 1
    for joint, order in zip(made.joints, continuity, strict=True):
        assert joint.gap < 1e-9
        assert order < 1 or joint.angle < 1e-9
        assert order < 2 or joint.curvature_abs < 1e-12
        assert order < 3 or joint.rate_abs < 1e-12


def test_a_blend_curve_between_faces_is_a_section_of_their_blend():
    """A cylinder and a plane square to one section: the blend surface's own section, found independently."""
    wall, floor = cylinder(50, 120), plane((80, -60, 0), (0, 0, 120), (90, 0, 0))
    edges = natural_edge(wall, "u0"), natural_edge(floor, "v0")
    surface = build_blend(*edges, BlendSpec((2, 2), ends="straight")).surface
    section = iso_curve(surface, "u", 0.5)
    jets = [square_jet(e, 0.5) for e in edges]
    curve = blend_curve(jets[0], jets[1], (2, 2)).curve
    t = np.linspace(0, 1, 21)
    expected = curve_points(section, t)
    if np.linalg.norm(expected[0] - jets[0].point[0]) > 1e-6:
        expected = expected[::-1]
    assert np.allclose(curve_points(curve, t), expected, atol=1e-6)


@settings(max_examples=20)
@given(st.floats(0.2, 5), st.floats(-180, 180), st.tuples(*[st.floats(-50, 50)] * 3))
def test_blending_commutes_with_moving_turning_and_scaling(factor, degrees, shift):
    change = rotation([1, 2, 3], degrees, [5, 0, 0]).then(scaling((factor,) * 3, [0, 0, 0])).then(translation(shift))
    here = change.apply(blend_curve(end_jet(A, 1), end_jet(B, 0), (3, 2)).curve)
    there = blend_curve(end_jet(change.apply(A), 1), end_jet(change.apply(B), 0), (3, 2)).curve
    assert np.allclose(here.control, there.control, atol=1e-6 * max(1, factor) * 300)


def test_g2_moves_the_first_three_cvs_and_leaves_the_fourth():
    """Rows of CVs that a join claims: G0 one, G1 two, G2 three, G3 four (common practice, no published source)."""
    for order in range(4):
        made = match_end(C, 0, end_jet(A, 1), order)
        assert np.all(made.moved[: order + 1] > 1e-3)
        assert np.all(made.moved[order + 1 :] == 0)
        assert made.joint.gap < 1e-9
        assert order < 1 or made.joint.angle < 1e-9
        assert order < 2 or made.joint.curvature_abs < 1e-12
        assert order < 3 or made.joint.rate_abs < 1e-12


def test_matching_what_matches_already_moves_nothing():
    once = match_end(C, 0, end_jet(A, 1), 3).curve
    assert match_end(once, 0, end_jet(A, 1), 3).moved.max() < 1e-9


def test_degree_three_serves_a_g2_end_and_keeps_the_far_end():
    cubic = Curve.bezier([[95, 20, 3], [120, 30, 0], [150, 50, 5], [180, 120, 0]])
    made = match_end(cubic, 0, end_jet(A, 1), 2)
    assert made.raised == 0
    assert made.moved[-1] == 0
    assert match_end(cubic, 0, end_jet(A, 1), 3).raised == 1


def test_a_spread_match_holds_position_tangent_and_curvature_of_the_far_end():
    long = Curve.bezier(np.column_stack([np.linspace(95, 300, 9), 20 + 5 * np.sin(np.arange(9)), np.zeros(9)]))
    near, wide = (match_end(long, 0, end_jet(A, 1), 2, spread) for spread in (False, True))
    assert wide.joint.curvature_abs < 1e-12
    assert np.count_nonzero(wide.moved > 1e-6) > np.count_nonzero(near.moved > 1e-6)
    far = joint_figures(end_jet(wide.curve, 1), end_jet(long, 1).turned(), 100)
    assert far.gap < 1e-9
    assert far.curvature_abs < 1e-12


def test_averaging_moves_both_and_they_meet_with_g2():
    a, b = average_ends(A, 1, C, 0, 2)
    f = joint_figures(end_jet(a.curve, 1), end_jet(b.curve, 0), 100)
    assert f.gap < 1e-9
    assert f.angle < 1e-9
    assert f.curvature_abs < 1e-12
    assert a.moved.max() > 1
    assert b.moved.max() > 1


def test_matching_at_the_end_is_matching_the_reversed_curve_at_its_start():
    at_end = match_end(reverse_curve(C), 1, end_jet(A, 1), 2).curve
    assert np.allclose(reverse_curve(at_end).control, match_end(C, 0, end_jet(A, 1), 2).curve.control)


@pytest.mark.parametrize(
    ("build", "words"),
    [
        (lambda: blend_curve(end_jet(A, 1), end_jet(A, 1)), "one point"),
        (lambda: blend_curve(end_jet(A, 1), end_jet(B, 0), (2, 2), (0.0, None)), "Fullness 0"),
        (lambda: blend_curve(end_jet(A, 1), end_jet(B, 0), (2, 2), degree=4), "need degree 5"),
        (lambda: match_end(arc_curve(30, 90), 0, end_jet(A, 1)), "rational"),
    ],
)
def test_what_cannot_be_joined_is_said_in_words(build, words):
    with pytest.raises(BlendError, match=words):
        build()


def test_too_much_fullness_is_told():
    jets = CurveJets(*(np.array([v], dtype=float) for v in ((0, 0, 0), (1, 0, 0), (0, 0, 0), (0, 0, 0))))
    other = CurveJets(*(np.array([v], dtype=float) for v in ((40, 40, 0), (0, -1, 0), (0, 0, 0), (0, 0, 0))))
    assert blend_curve(jets, other).warnings == ()
    assert "inflections" in blend_curve(jets, other, (2, 2), (2.6, 2.6)).warnings[0]
