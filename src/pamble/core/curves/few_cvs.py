"""Curves of few CVs through points, with their ends on the first and the last, or smooth where they close."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.fit import fit_points
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve

_DEGREE = 5
_CLOSED_SPANS = (2, 3, 4, 5, 6, 7, 8, 10, 12, 14, 16, 20, 24, 30, 40, 50, 60)


def open_fit(points: Array, share: Array, tolerance: float, spans: int | None = None) -> Curve:
    """A curve with the fewest spans within ``tolerance`` mm of points (m, 3) at rising shares (m,), or of ``spans``."""
    fit = fit_points(points, _DEGREE, tolerance, spans, share).curve
    control = fit.control.copy()
    control[0], control[-1] = points[0], points[-1]
    return Curve(fit.degree, fit.knots, control)


def closed_fit(points: Array, share: Array, tolerance: float, spans: int | None = None) -> Curve:
    """A closed curve with the fewest even spans, smooth where it closes."""
    made = None
    for n in (spans,) if spans is not None else _CLOSED_SPANS:
        fit = fit_points(points, _DEGREE, tolerance, n, share).curve
        made = Curve(_DEGREE, fit.knots, closing(fit.knots, _DEGREE, fit.control))
        if to_curve(made, points).distance.max() <= tolerance:
            break
    assert made is not None
    return made


def closing(knots: Array, degree: int, control: Array) -> Array:
    """Control points moved as little as closes the curve with one tangent and one curvature."""
    rows = basis.matrix(knots, degree, np.array([knots[0], knots[-1]]), 2)
    gap = np.stack([rows[k][1] - rows[k][0] for k in (1, 2)])
    free = np.ones(len(control), dtype=bool)
    free[[0, -1]] = False
    control = control.copy()
    control[free] -= np.linalg.lstsq(gap[:, free], gap @ control, rcond=None)[0]
    return control
