"""Curves that come round close without a corner; offsets of lines and arcs are exact."""

import numpy as np
import pytest

from pamble.core.curves.fit import comes_round, fit_points
from pamble.core.curves.interpolate import through_points
from pamble.core.curves.offset import offset_curve
from pamble.core.curves.shapes import circle, ellipse, rounded_rectangle
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.kinks import chain

Z = np.array([0.0, 0.0, 1.0])


def wavy(seed: int) -> Curve:
    t = np.linspace(0, 2 * np.pi, 8, endpoint=False)
    r = np.random.default_rng(seed).uniform(30, 45, 8)
    return through_points(np.column_stack([r * np.cos(t), r * np.sin(t), 0 * t]), 3, closed=True)


RINGS = {
    "ellipse": ellipse(np.zeros(3), Z, (60.0, 25.0), np.array([1.0, 0, 0]), 360.0),
    "through points": wavy(3),
    "others": wavy(8),
}


@pytest.mark.parametrize("name", RINGS)
@pytest.mark.parametrize("distance", [4.0, -6.0])
def test_an_offset_of_a_closed_curve_closes_as_smoothly(name, distance):
    curve = RINGS[name]
    (fit,) = offset_curve(curve, distance, Z).pieces
    d = curve_derivatives(fit.curve, fit.curve.domain, 2)
    assert np.abs(d[:, 0] - d[:, 1]).max() < 1e-6 * np.abs(d).max()
    away = to_curve(curve, curve_points(fit.curve, np.linspace(0, 1, 901))).distance
    assert np.abs(away - abs(distance)).max() < 0.0055
    assert len(fit.curve.control) <= 32


@pytest.mark.parametrize("distance", [5.0, -9.0])
def test_an_offset_of_lines_and_arcs_is_lines_and_arcs(distance):
    rim = rounded_rectangle(np.zeros(3), Z, (80.0, 50.0), 12.0, np.sqrt(2) - 1)
    (fit,) = offset_curve(rim, distance, Z).pieces
    assert (fit.deviation, len(fit.curve.control)) == (0.0, len(rim.control))
    p = np.abs(curve_points(fit.curve, np.linspace(*fit.curve.domain, 401)))
    # The outline of a rounded rectangle that is larger on all sides: its corners are about the same centres.
    grown = -distance
    corner = np.maximum(p[:, :2] - [28.0, 13.0], 0.0)
    assert np.linalg.norm(corner, axis=1) == pytest.approx(12.0 + grown, abs=1e-9)
    (round_it,) = offset_curve(circle(np.zeros(3), Z, 30.0), distance, Z).pieces
    q = curve_points(round_it.curve, np.linspace(*round_it.curve.domain, 101))
    assert np.linalg.norm(q, axis=1) == pytest.approx(30.0 + grown, abs=1e-12)


def test_an_offset_of_lines_with_a_corner_is_not_moved_along_them():
    bent = chain([Curve.line([0, 0, 0], [40, 0, 0]), Curve.line([40, 0, 0], [40, 30, 0])], [0, 0.5, 1])
    for fit in offset_curve(bent, 5.0, Z).pieces:
        p = curve_points(fit.curve, np.linspace(*fit.curve.domain, 101))
        assert to_curve(bent, p).distance == pytest.approx(5.0, abs=0.05)


def test_points_that_come_round_at_a_corner_keep_it():
    t = np.linspace(0, 2 * np.pi, 300)
    round_it = np.column_stack([40 * np.cos(t), 25 * np.sin(t), 3 * np.sin(2 * t)])
    round_it[-1] = round_it[0]
    drop = np.column_stack([t * (2 * np.pi - t), 8 * np.sin(t), 0 * t])
    drop[-1] = drop[0]
    assert (comes_round(round_it), comes_round(drop)) == (True, False)
    smooth, pointed = (fit_points(p, tolerance=0.01).curve for p in (round_it, drop))
    for curve, turn in ((smooth, 0.0), (pointed, 2 * np.degrees(np.arctan2(2 * np.pi, 8)))):
        d = curve_derivatives(curve, curve.domain, 1)[1]
        a, b = d / np.linalg.norm(d, axis=1)[:, None]
        assert np.degrees(np.arccos(np.clip(a @ b, -1, 1))) == pytest.approx(turn, abs=5.0 if turn else 1e-4)
