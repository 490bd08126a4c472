"""Extending until they meet, cutting by a crossing, corners of a chord: closed forms."""

import numpy as np
import pytest

from pamble.core.curves.jets import curve_jets
from pamble.core.curves.measure import curve_length, extent, length_parameters
from pamble.core.curves.meet import approaches, cut_pieces, meet
from pamble.core.curves.shapes import arc_three_points, circle, ellipse
from pamble.core.errors import BlendError, GeometryError
from pamble.core.joining.curve_corner import corner, corner_of_chord
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points


def test_lines_grow_to_the_corner_and_are_cut_back_to_a_crossing():
    a, b = Curve.line([0, 0, 0], [50, 0, 0]), Curve.line([80, 30, 0], [80, 80, 0])
    made = meet(a, b)
    assert np.allclose(made.place, [80, 0, 0])
    assert made.grown == pytest.approx((30, 30))
    assert made.ends == (1, 0)
    back = meet(a, Curve.line([40, -10, 0], [40, 100, 0]))
    assert back.grown == pytest.approx((-10, -10))
    assert np.allclose(back.curves[0].control, [[0, 0, 0], [40, 0, 0]])
    other = meet(a, Curve.line([40, -10, 0], [40, 100, 0]), ends=(0, None))
    assert np.allclose(other.curves[0].control, [[40, 0, 0], [50, 0, 0]])


def test_an_arc_runs_on_as_the_circle_it_is_or_straight():
    """x^2 + y^2 = 50^2 meets y = -30 at x = 40; the tangent at (0, 50) meets x = 90 at y = 50."""
    arc = arc_three_points([-50, 0, 0], [-30, 40, 0], [0, 50, 0])
    made = meet(arc, Curve.line([60, -30, 0], [90, -30, 0]))
    assert np.allclose(made.place, [40, -30, 0])
    assert np.allclose(1 / curve_jets(made.curves[0], np.linspace(0, made.curves[0].domain[1], 9)).curvature, 50)
    straight = meet(arc, Curve.line([90, 0, 0], [90, 20, 0]), "straight")
    assert np.allclose(straight.place, [90, 50, 0])


def test_curves_that_pass_each_other_say_by_how_much():
    a = Curve.line([0, 0, 0], [50, 0, 0])
    with pytest.raises(GeometryError, match=r"nearest they come is 5\.000 mm, near \(60"):
        meet(a, Curve.line([60, 10, 5], [60, 40, 5]))
    with pytest.raises(GeometryError, match=r"10\.000 mm"):
        meet(a, Curve.line([0, 10, 0], [60, 10, 0]))


def test_all_crossings_of_a_line_and_a_circle_are_found_and_cut_takes_the_outermost():
    ring, line = circle(np.zeros(3), np.array([0, 0, 1.0]), 50), Curve.line([-100, 30, 0], [100, 30, 0])
    crossings = [m for m in approaches(line, ring) if m.gap < 1e-9]
    assert sorted(m.points[0][0] for m in crossings) == pytest.approx([-40, 40])
    pieces = cut_pieces(line, [ring])
    assert [curve_length(p) for p in pieces] == pytest.approx([60, curve_length(line) - 120, 60])


@pytest.mark.parametrize("angle", [40, 90, 150])
def test_a_corner_of_a_chord_between_lines(angle):
    """Contacts at R / tan(angle / 2) from the corner: the chord is 2 R cos(angle / 2)."""
    turn = np.radians(angle)
    a, b = Curve.line([200, 0, 0], [0, 0, 0]), Curve.line([0, 0, 0], [200 * np.cos(turn), 200 * np.sin(turn), 0])
    made = corner_of_chord(a, b, 18.0)
    assert made.radius == pytest.approx(9 / np.cos(turn / 2))
    bent = corner_of_chord(arc_three_points([90, 0, 0], [50, -9, 0], [0, 0, 0]), b, 18.0, smooth=True)
    assert np.linalg.norm(bent.curve.control[-1] - bent.curve.control[0]) == pytest.approx(18)
    with pytest.raises(BlendError):
        corner_of_chord(a, b, 900.0)
    assert corner(a, b, made.radius).radius == made.radius


@pytest.mark.parametrize("turn", [0, 25, 90])
def test_the_width_of_an_ellipse_along_any_direction(turn):
    """Support of an ellipse: sqrt((a cos)^2 + (b sin)^2)."""
    d = np.array([np.cos(np.radians(turn)), np.sin(np.radians(turn)), 0])
    low, high = extent(ellipse(np.array([5.0, 6, 7]), np.array([0, 0, 1.0]), (50, 20), np.array([1.0, 0, 0])), 3 * d)
    assert (high - low) @ d == pytest.approx(2 * np.hypot(50 * d[0], 20 * d[1]), abs=1e-9)


def test_fractions_of_a_length_are_exact():
    ring = circle(np.zeros(3), np.array([0, 0, 1.0]), 50)
    t = length_parameters(ring, np.linspace(0, 1, 13))
    p = curve_points(ring, t)
    chords = np.linalg.norm(np.diff(p, axis=0), axis=1)
    assert np.allclose(chords, 2 * 50 * np.sin(np.pi / 12), atol=1e-8)
