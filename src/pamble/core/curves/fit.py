"""Fitting: the spline with the fewest CVs that stays within a tolerance of points or of another curve."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.linalg import lapack

from pamble.core.arrays import TINY, Array, dot, floats, norm
from pamble.core.curves.measure import samples
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points

_SPANS_LIMIT = 60
_ROUNDS = 5
"""Parameter corrections of a fit: each moves the parameters to the feet of the points, then solves again."""


@dataclass(frozen=True)
class Fit:
    """A fitted curve; its largest distance from what it was fitted to, mm, and where. reached: within tolerance."""

    curve: Curve
    deviation: float
    place: Array
    reached: bool


_SEARCHED = 240
"""Points that the search for the number of spans looks at; the result is judged by all."""

_HOPELESS = 40.0
"""Times the tolerance above which correcting parameters is not tried."""


def fit_points(
    points: Array,
    degree: int = 5,
    tolerance: float = 0.02,
    spans: int | None = None,
    parameters: Array | None = None,
) -> Fit:
    """Spline through the first and last of ``points`` (m, 3), near the rest, the fewest spans for a tolerance (mm).

    ``spans`` given: just that many. ``parameters`` (m,) rising on [0, 1]: used as they are at first, then corrected.
    The best found is returned with ``reached`` false when no number of spans suffices.
    Source: least squares with parameter correction (Hoschek and Lasser, Fundamentals of Computer Aided Geometric
    Design, section 4.4; from memory).
    """
    points = floats(points)
    step = norm(np.diff(points, axis=0))
    keep = np.concatenate([[True], step > 1e-12])
    points = points[keep]
    if len(points) < 2:
        raise GeometryError("A curve needs points that are apart: all of these are one point.")
    length = np.concatenate([[0.0], np.cumsum(norm(np.diff(points, axis=0)))])
    t = length / length[-1] if parameters is None else floats(parameters)[keep]
    degree = min(degree, len(points) - 1)
    most = max(1, len(points) - degree)
    tries = [spans] if spans is not None else list(range(1, min(_SPANS_LIMIT, most) + 1))
    few = np.unique(np.linspace(0, len(points) - 1, _SEARCHED).astype(int)) if len(points) > _SEARCHED else None
    best: Fit | None = None
    for n in tries:
        knots = basis.uniform_knots(degree, min(n, most))
        if few is not None and len(tries) > 1 and not _fit(points[few], t[few], knots, tolerance).reached:
            continue
        fit = _fit(points, t, knots, tolerance)
        if best is None or fit.deviation < best.deviation:
            best = fit
        if fit.reached:
            return fit
    return best if best is not None else _fit(points, t, basis.uniform_knots(degree, min(tries[-1], most)), tolerance)


def _fit(points: Array, start: Array, knots: Array, tolerance: float) -> Fit:
    degree = int(np.sum(knots == knots[0])) - 1
    t = start
    best: Fit | None = None
    for _ in range(_ROUNDS):
        curve = Curve(degree, knots, _solve(points, t, knots, degree))
        t, distance = _feet(curve, points, t)
        i = int(np.argmax(distance))
        if best is None or distance[i] < best.deviation:
            best = Fit(curve, float(distance[i]), points[i], bool(distance[i] <= tolerance))
        elif distance[i] > 0.98 * best.deviation:
            break
        if best.reached or best.deviation > _HOPELESS * max(tolerance, 1e-9) > 0:
            break
    assert best is not None
    return best


def _solve(points: Array, t: Array, knots: Array, degree: int) -> Array:
    """Least squares with both ends held, a whisper of smoothing where spans hold no points."""
    a = basis.matrix(knots, degree, t)[0]
    n = a.shape[1]
    control = np.zeros((n, points.shape[1]))
    control[0], control[-1] = points[0], points[-1]
    if n == 2:
        return control
    right = points - a[:, :1] * points[0] - a[:, -1:] * points[-1]
    inner = a[:, 1:-1]
    calm = np.diff(np.eye(n), 2, axis=0)
    normal = inner.T @ inner + 1e-10 * len(points) * (calm.T @ calm)[1:-1, 1:-1]
    pull = -1e-10 * len(points) * ((calm.T @ calm)[1:-1, [0, -1]] @ control[[0, -1]])
    _, solution, info = lapack.dposv(normal, inner.T @ right + pull)
    if info:
        solution = np.linalg.lstsq(inner, right, rcond=None)[0]
    control[1:-1] = solution
    return control


def _feet(curve: Curve, points: Array, t: Array) -> tuple[Array, Array]:
    """Parameters of the nearest places after two Newton steps, and the distances there."""
    for _ in range(2):
        d = curve_derivatives(curve, t, 2)
        gap = d[0] - points
        full = dot(d[1], d[1])
        second = full + dot(gap, d[2])
        step = -dot(gap, d[1]) / np.maximum(np.where(second > 0.2 * full, second, full), TINY)
        moved = np.clip(t + step, 0.0, 1.0)
        moved[0], moved[-1] = t[0], t[-1]
        t = moved
    return t, norm(curve_points(curve, t) - points)


def simplify(curve: Curve, degree: int = 5, tolerance: float = 0.02, spans: int | None = None) -> Fit:
    """The curve with the fewest CVs of a degree within a tolerance (mm); both ends stay."""
    each = max(12, -(-240 // curve.spans))
    return fit_points(curve_points(curve, samples(curve, each)), degree, tolerance, spans)


def rebuild(curve: Curve, degree: int, spans: int) -> Fit:
    """The curve on other degree and spans; raising the degree of the same spans moves nothing."""
    from pamble.core.spline.knots import raise_degree

    if curve.weights is None and degree >= curve.degree and spans == curve.spans and curve.spans == 1:
        same = raise_degree(curve, degree - curve.degree) if degree > curve.degree else curve
        return Fit(same, 0.0, curve.control[0], True)
    return simplify(curve, degree, 0.0, spans)
