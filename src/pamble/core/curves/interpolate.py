"""Curves through points, with directions and weights at points that ask for them."""

from __future__ import annotations

import numpy as np
from scipy.interpolate import make_interp_spline
from scipy.linalg import null_space

from pamble.core.arrays import Array, IntArray, floats, norm
from pamble.core.curves.overlay import laid_over
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives
from pamble.core.spline.knots import curve_part, insert_knots, raise_degree


def point_parameters(points: Array) -> Array:
    """Centripetal parameters (m,) on [0, 1] of points (m, 3) in order (The NURBS Book, section 9.2).

    Raises `GeometryError` for two points in one place.
    """
    step = norm(np.diff(points, axis=0))
    if len(step) and step.min() < 1e-9:
        raise GeometryError(f"Points {int(np.argmin(step)) + 1} and {int(np.argmin(step)) + 2} are one point.")
    t = np.concatenate([[0.0], np.cumsum(np.sqrt(step))])
    return np.asarray(t / t[-1])


def through_points(
    points: Array, degree: int = 3, closed: bool = False, handles: Array | None = None, t: Array | None = None
) -> Curve:
    """Spline through points (m, 3) in order, by centripetal parameters; closed: joins its own start smoothly.

    handles: (m, 3) directions that the curve takes at points, their lengths as weights (1 is the pace of the points
    beside it, 2 holds the direction twice as far); rows of NaN leave a point free. t: parameters (m,) rising on [0, 1],
    of a closed curve (m + 1,), in place of the centripetal ones. The curve is continuous in its derivatives up to
    degree - 1 either way. Source: The NURBS Book, section 9.2; with directions own derivation. Raises `GeometryError`
    for too few points, two in one place, or a direction of no length.
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
    t = point_parameters(p) if t is None else floats(t)
    if closed:
        spline = make_interp_spline(t, p, k=3, bc_type="periodic")
    else:
        spline = make_interp_spline(t, p, k=min(degree, len(p) - 1))
    plain = Curve(spline.k, spline.t, spline.c)
    plain = curve_part(plain, *plain.domain) if closed else plain
    if handles is None or not len(given):
        return plain
    if plain.degree < degree and not closed:
        plain = raise_degree(plain, degree - plain.degree)
    return _directed(plain, t, given, _rates(p, t, given, floats(handles), closed), closed)


def changed_points(base: Curve, t: Array, points: Array, closed: bool = False, handles: Array | None = None) -> Curve:
    """A curve changed so that it runs through other points at the same parameters (m,), of a closed one (m + 1,).

    What is laid over it is the curve through the movements of the points, so where none has moved nothing changes.
    handles: as for `through_points`.
    """
    p = floats(points)
    p = np.vstack([p, p[:1]]) if closed else p
    moves = p - curve_derivatives(base, t, 0)[0]
    if closed:
        moves[-1] = moves[0]
    k = 3 if closed else min(base.degree, len(p) - 1)
    spline = make_interp_spline(t, moves, k=k, bc_type="periodic" if closed else None)
    change = Curve(spline.k, spline.t, spline.c)
    change = curve_part(change, *change.domain) if closed else change
    made = laid_over(base, change)
    if handles is None:
        return made
    given = np.flatnonzero(~np.isnan(floats(handles)).any(axis=1))
    rates = _rates(p, t, given, floats(handles), closed)
    if not len(given) or np.abs(rates - curve_derivatives(made, t[given], 1)[1]).max() < 1e-9 * np.abs(rates).max():
        return made
    return _directed(made, t, given, rates, closed)


def _rates(p: Array, t: Array, given: IntArray, handles: Array, closed: bool) -> Array:
    """Derivatives (k, 3) at the points with a direction: the mean pace of the legs beside them, times the weight."""
    pace = norm(np.diff(p, axis=0)) / np.diff(t)
    before = np.append(pace[-1] if closed else pace[0], pace)
    after = np.append(pace, pace[0] if closed else pace[-1])
    return np.asarray(handles[given] * (0.5 * (before + after)[given])[:, None])


def _directed(plain: Curve, t: Array, given: IntArray, rates: Array, closed: bool) -> Curve:
    """The plain curve changed so that it takes directions, by the change whose third derivative is least.

    So a direction that it has already changes nothing. One knot more a third into each interval beside a direction
    gives room to keep it without a swing elsewhere. A closed curve stays joined up to the derivative of order
    degree - 1.
    """
    k, gaps = plain.degree, np.diff(t)
    beside = [t[i] + gaps[i] / 3 for i in given if i < len(gaps)]
    beside += [(t[i] if i > 0 else 1.0) - gaps[i - 1] / 3 for i in given if i > 0 or closed]
    wide = insert_knots(plain, np.unique(beside))
    rows = [basis.matrix(wide.knots, k, t)[0], basis.matrix(wide.knots, k, t[given], 1)[1]]
    right = [np.zeros((len(t), 3)), rates - curve_derivatives(wide, t[given], 1)[1]]
    if closed:
        ends = basis.matrix(wide.knots, k, np.array([0.0, 1.0]), k - 1)[1:]
        rows.append(ends[:, 0] - ends[:, 1])
        right.append(np.zeros((k - 1, 3)))
    kept = np.vstack(rows)
    order = min(3, k)
    breaks = basis.breaks(wide.knots, k)
    x, w = np.polynomial.legendre.leggauss(max(k - order + 1, 1))
    half = 0.5 * np.diff(breaks)
    nodes = (breaks[:-1, None] + half[:, None] * (1 + x)).ravel()
    swing = basis.matrix(wide.knots, k, nodes, order)[order] * np.sqrt((half[:, None] * w).ravel())[:, None]
    # Least of |swing c|^2 among c with kept c = right: by the null space of what is kept.
    change = np.linalg.lstsq(kept, np.vstack(right), rcond=None)[0]
    free = null_space(kept, rcond=1e-12)
    if free.shape[1]:
        change = change - free @ np.linalg.lstsq(swing @ free, swing @ change, rcond=None)[0]
    return Curve(k, wide.knots, wide.control + change)


def natural_handles(curve: Curve, points: Array, chosen: IntArray, closed: bool, t: Array | None = None) -> Array:
    """Directions (k, 3), lengths as weights, that a curve made by `through_points` has at chosen points already."""
    p = floats(points)
    p = np.vstack([p, p[:1]]) if closed else p
    t = point_parameters(p) if t is None else t
    paces = norm(_rates(p, t, chosen, np.repeat([[1.0, 0.0, 0.0]], len(points), axis=0), closed))
    return np.asarray(curve_derivatives(curve, t[chosen], 1)[1] / paces[:, None])
