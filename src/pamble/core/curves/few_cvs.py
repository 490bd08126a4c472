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


def closing(knots: Array, degree: int, control: Array, order: int = 2, places: Array | None = None) -> Array:
    """Control points moved as little as closes the curve with one tangent and, of the second order, one curvature.

    places: parameters (m,) at which the curve itself is moved as little as can be, in place of its control points.
    """
    rows = basis.matrix(knots, degree, np.array([knots[0], knots[-1]]), order)
    gap = np.stack([rows[k][1] - rows[k][0] for k in range(1, order + 1)])
    free = np.ones(len(control), dtype=bool)
    free[[0, -1]] = False
    control, inner = control.copy(), gap[:, free]
    # What is moved least is measured by the upper factor of the normal matrix.
    measure = np.eye(inner.shape[1])
    if places is not None:
        moved = basis.matrix(knots, degree, places)[0][:, free]
        normal = moved.T @ moved
        measure = np.linalg.cholesky(normal + 1e-12 * np.trace(normal) * measure).T
    least = np.linalg.lstsq(np.linalg.solve(measure.T, inner.T).T, gap @ control, rcond=None)[0]
    control[free] -= np.linalg.solve(measure, least)
    return control
