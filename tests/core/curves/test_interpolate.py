"""Curves through points that take directions: kept, calm, smooth."""

import numpy as np
import pytest

from pamble.core.curves.interpolate import natural_handles, point_parameters, through_points
from pamble.core.curves.jets import curve_jets
from pamble.core.curves.measure import deviation
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.evaluate import curve_derivatives, curve_points

POINTS = np.array([[0.0, 0, 0], [50, 5, 0], [60, 40, 9], [10, 45, 0], [-20, 20, 3]])


def asked(**ways):
    out = np.full((len(POINTS), 3), np.nan)
    for name, way in ways.items():
        out[int(name[1])] = way
    return out


@pytest.mark.parametrize("closed", [False, True])
@pytest.mark.parametrize("degree", [3, 4, 5])
def test_directions_and_weights_are_kept_and_the_curve_is_smooth(degree, closed):
    handles = asked(p0=[0, -1, 0], p2=[-0.6, 0, 0.8], p4=[0, 0, 3])
    made = through_points(POINTS, degree, closed, handles)
    ring = np.vstack([POINTS, POINTS[:1]]) if closed else POINTS
    t = point_parameters(ring)
    d = curve_derivatives(made, t, 1)
    assert np.allclose(d[0], ring, atol=1e-9)
    for i in (0, 2, 4):
        assert np.allclose(d[1][i] / np.linalg.norm(d[1][i]), handles[i] / np.linalg.norm(handles[i]), atol=1e-9)
    pace = np.linalg.norm(np.diff(ring, axis=0), axis=1) / np.diff(t)
    assert np.linalg.norm(d[1][2]) == pytest.approx(0.5 * (pace[1] + pace[2]))
    # Twice continuous everywhere: the second derivative has no jump at any knot.
    inner = basis.breaks(made.knots, made.degree)[1:-1]
    jump = curve_derivatives(made, inner + 1e-9, 2)[2] - curve_derivatives(made, inner - 1e-9, 2)[2]
    assert np.abs(jump).max() < 1e-4 * np.abs(d[1]).max()
    if closed:
        ends = curve_jets(made, made.domain)
        assert np.allclose(ends.tangent[0], ends.tangent[1])
        assert np.allclose(ends.bend[0], ends.bend[1])


@pytest.mark.parametrize("closed", [False, True])
def test_a_direction_that_the_curve_has_already_moves_nothing(closed):
    plain = through_points(POINTS, 3, closed)
    handles = np.full((5, 3), np.nan)
    handles[[1, 3]] = natural_handles(plain, POINTS, np.array([1, 3]), closed)
    assert deviation(plain, through_points(POINTS, 3, closed, handles)).distance < 1e-9


def test_more_weight_holds_the_direction_longer():
    reach = []
    for weight in (0.5, 1.0, 2.0):
        made = through_points(POINTS, 3, False, asked(p0=[0, -weight, 0]))
        reach.append(-curve_points(made, np.linspace(0, 0.3, 200))[:, 1].min())
    assert reach[0] < reach[1] < reach[2]


def test_two_points_with_a_direction_make_an_arc_of_the_degree_and_bad_input_is_told():
    made = through_points(POINTS[:2], 3, False, np.array([[0, 1.0, 0], [np.nan] * 3]))
    assert made.degree == 3
    with pytest.raises(GeometryError, match="at point 2 has no length"):
        through_points(POINTS, 3, False, asked(p1=[0, 0, 0]))
    with pytest.raises(GeometryError, match="at least three"):
        through_points(POINTS[:2], closed=True)
