"""Curves through points, with directions and weights at points that ask for them."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import make_interp_spline

from pamble.core.arrays import Array, IntArray, floats, norm
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives


def point_parameters(points: Array) -> Array:
    """Centripetal parameters (m,) on [0, 1] of points (m, 3) in order (The NURBS Book, section 9.2).

    Raises `GeometryError` for two points in one place.
    """
    step = norm(np.diff(points, axis=0))
    if len(step) and step.min() < 1e-9:
        raise GeometryError(f"Points {int(np.argmin(step)) + 1} and {int(np.argmin(step)) + 2} are one point.")
    t = np.concatenate([[0.0], np.cumsum(np.sqrt(step))])
    return np.asarray(t / t[-1])


def through_points(points: Array, degree: int = 3, closed: bool = False, handles: Array | None = None) -> Curve:
    """Spline through points (m, 3) in order, by centripetal parameters; closed: joins its own start smoothly.

    handles: (m, 3) directions that the curve takes at points, their lengths as weights (1 is the pace of the points
    beside it, 2 holds the direction twice as far); rows of NaN leave a point free. The curve is continuous in its
    derivatives up to degree - 1 either way. Source: The NURBS Book, sections 9.2 and 9.2.4; repeated sites after
    de Boor, A Practical Guide to Splines, chapter XIII (from memory). Raises `GeometryError` for too few points, two in
    one place, or a direction of no length.
    """
    p = floats(points)
    if len(p) < 2:
        raise GeometryError("A curve through points needs at least two.")
    given = np.zeros(0, dtype=np.intp)
    if handles is not None:
        given = np.flatnonzero(~np.isnan(floats(handles)).any(axis=1))
        lengths = norm(floats(handles)[given])
        if len(given) and lengths.min() < 1e-9:
            raise GeometryError(f"The direction at point {int(given[np.argmin(lengths)]) + 1} has no length.")
    if closed:
        if len(p) < 3:
            raise GeometryError("A closed curve needs at least three points.")
        p = np.vstack([p, p[:1]])
    t = point_parameters(p)
    if handles is None or not len(given):
        if closed:
            spline = make_interp_spline(t, p, k=3, bc_type="periodic")
        else:
            spline = make_interp_spline(t, p, k=min(degree, len(p) - 1))
        return Curve(spline.k, spline.t, spline.c)
    rates = _rates(p, t, given, floats(handles), closed)
    return _closed(p, t, given, rates) if closed else _open(p, t, given, rates, degree)


def _rates(p: Array, t: Array, given: IntArray, handles: Array, closed: bool) -> Array:
    """Derivatives (k, 3) at the points with a direction: the mean pace of the legs beside them, times the weight."""
    pace = norm(np.diff(p, axis=0)) / np.diff(t)
    before = np.append(pace[-1] if closed else pace[0], pace)
    after = np.append(pace, pace[0] if closed else pace[-1])
    return np.asarray(handles[given] * (0.5 * (before + after)[given])[:, None])


def _open(p: Array, t: Array, given: IntArray, rates: Array, degree: int) -> Curve:
    sites = np.sort(np.concatenate([t, t[given]]))
    k = min(degree, len(sites) - 1)
    # Knots at the means of k neighbouring sites, repeated ones counted twice: the system is regular (de Boor).
    inner = [sites[j : j + k].mean() for j in range(1, len(sites) - k)]
    knots = np.concatenate([[0.0] * (k + 1), inner, [1.0] * (k + 1)])
    rows = np.vstack([basis.matrix(knots, k, t)[0], basis.matrix(knots, k, t[given], 1)[1]])
    return Curve(k, knots, np.linalg.solve(rows, np.vstack([p, rates])))


def _closed(p: Array, t: Array, given: IntArray, rates: Array) -> Curve:
    """Cubic with a knot at every point, one more beside each that has a direction, and the joint twice continuous."""
    k = 3
    extra = []
    for i in given:
        # The knot that carries a direction stands a third into the longer interval beside the point.
        a = t[i] - t[i - 1] if i > 0 else t[-1] - t[-2]
        b = t[i + 1] - t[i]
        extra.append(t[i] + b / 3 if b >= a else (t[i] if i > 0 else 1.0) - a / 3)
    inner = np.sort(np.concatenate([t[1:-1], extra]))
    knots = np.concatenate([[0.0] * (k + 1), inner, [1.0] * (k + 1)])
    ends = basis.matrix(knots, k, np.array([0.0, 1.0]), 2)
    rows = np.vstack([basis.matrix(knots, k, t)[0], basis.matrix(knots, k, t[given], 1)[1], ends[1:, 0] - ends[1:, 1]])
    right = np.vstack([p, rates, np.zeros((2, p.shape[1]))])
    return Curve(k, knots, np.linalg.lstsq(rows, right, rcond=None)[0])


def natural_handles(curve: Curve, points: Array, chosen: IntArray, closed: bool) -> Array:
    """Directions (k, 3), lengths as weights, that a curve made by `through_points` has at chosen points already."""
    p = floats(points)
    p = np.vstack([p, p[:1]]) if closed else p
    t = point_parameters(p)
    paces = norm(_rates(p, t, chosen, np.repeat([[1.0, 0.0, 0.0]], len(points), axis=0), closed))
    return np.asarray(curve_derivatives(curve, t[chosen], 1)[1] / paces[:, None])
