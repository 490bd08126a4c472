"""Least squares on given knots: the spline near points, with their parameters corrected."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.linalg import lapack, null_space

from pamble.core.arrays import TINY, Array, dot, norm
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points

_ROUNDS = 8
"""Corrections of a fit: each moves the parameters to the feet of the points, then solves again."""

_ALONG = 0.05
"""Weight of the distance along the curve against that across it, once there is a curve to tell them apart."""


@dataclass(frozen=True)
class Fit:
    """A fitted curve; its largest distance from what it was fitted to, mm, and where. reached: within tolerance."""

    curve: Curve
    deviation: float
    place: Array
    reached: bool


_HOPELESS = 40.0
"""Times the tolerance above which correcting parameters is not tried."""


def fit_on_knots(
    points: Array, start: Array, knots: Array, tolerance: float, patient: bool = False, ring: bool = False
) -> tuple[Fit, Array]:
    """The fit, and the parameters (m,) of the points on it. ring: whether it runs on over its ends, first and second
    derivative alike.
    """
    degree = int(np.sum(knots == knots[0])) - 1
    free = _free(knots, degree, ring)
    t = start
    best: Fit | None = None
    at = t
    curve = Curve(degree, knots, _solve(points, t, knots, degree, free))
    for turn in range(_ROUNDS):
        if turn:
            curve = Curve(degree, knots, _solve_across(curve, points, t, free))
        t, distance = _feet(curve, points, t)
        i = int(np.argmax(distance))
        if best is None or distance[i] < best.deviation:
            best, at = Fit(curve, float(distance[i]), points[i], bool(distance[i] <= tolerance)), t
        elif distance[i] > 0.98 * best.deviation:
            break
        if best.reached or (not patient and best.deviation > _HOPELESS * tolerance):
            break
    assert best is not None
    return _without_swings(best, points, at, tolerance), at


def _without_swings(fit: Fit, points: Array, t: Array, tolerance: float) -> Fit:
    """The fit, not counted as reached where it leaves the points' neighbourhood between two of them, or goes back.

    Spans that hold few points may be free to swing far out and still meet every point.
    """
    step = norm(np.diff(points, axis=0))
    parts = t[:-1, None] + np.diff(t)[:, None] * np.linspace(0, 1, 5)
    between = curve_points(fit.curve, parts.ravel()).reshape(*parts.shape, -1)
    away = norm(between[:, 2] - 0.5 * (points[1:] + points[:-1])) - step
    back = 0.5 * (norm(np.diff(between, axis=1)).sum(axis=1) - 1.5 * step)
    swing = np.maximum(away, back)
    i = int(np.argmax(swing))
    if swing[i] <= tolerance:
        return fit
    return Fit(fit.curve, max(fit.deviation, float(swing[i])), points[i], False)


def _free(knots: Array, degree: int, ring: bool) -> Array:
    """What may move of control points whose ends are held, (n, k): k numbers turned into them."""
    n = len(knots) - degree - 1
    held = np.eye(n)[[0, -1]]
    if not ring:
        return np.eye(n)[:, 1:-1]
    ends = basis.matrix(knots, degree, knots[[0, -1]], min(2, degree - 1))[1:]
    return np.asarray(null_space(np.vstack([held, ends[:, 1] - ends[:, 0]])))


def _solve(points: Array, t: Array, knots: Array, degree: int, free: Array) -> Array:
    """Least squares with both ends held, a whisper of smoothing where spans hold no points."""
    a = basis.matrix(knots, degree, t)[0]
    n = a.shape[1]
    # The straight line between the ends, or the point in which they meet: that has all derivatives alike.
    share = basis.greville(knots, degree)[:, None]
    control: Array = (1 - share) * points[0] + share * points[-1]
    if not free.shape[1]:
        return control
    right = points - a @ control
    inner = a @ free
    calm = 1e-10 * len(points) * (d := np.diff(np.eye(n), 2, axis=0)).T @ d
    normal = inner.T @ inner + free.T @ calm @ free
    _, solution, info = lapack.dposv(normal, inner.T @ right - free.T @ (calm @ control))
    if info:
        solution = np.linalg.lstsq(inner, right, rcond=None)[0]
    return np.asarray(control + free @ solution)


def _solve_across(curve: Curve, points: Array, t: Array, free: Array) -> Array:
    """Least squares of the distances across the curve, sliding along it nearly free: converges in a few steps.

    Source: tangent distance minimisation (Wang, Pottmann, Liu, ACM Transactions on Graphics 25, 2006; from memory).
    """
    k = free.shape[1]
    if not k:
        return curve.control
    a = basis.matrix(curve.knots, curve.degree, t)[0] @ free
    d = curve_derivatives(curve, t, 1)
    tangent = d[1] / np.maximum(norm(d[1]), TINY)[:, None]
    gap = points - d[0]
    # |P g|^2 with P = I - (1 - w^2) T T^t, so that the normal matrix is a sum of A^t diag A blocks.
    weight = 1.0 - _ALONG**2
    size = points.shape[1]
    normal = np.empty((k, size, k, size))
    right = np.empty((k, size))
    full = a.T @ a
    for i in range(size):
        for j in range(i, size):
            block = -weight * (a.T @ (a * (tangent[:, i] * tangent[:, j])[:, None])) + (full if i == j else 0.0)
            normal[:, i, :, j] = block
            normal[:, j, :, i] = block
        across = gap[:, i] - weight * tangent[:, i] * dot(gap, tangent)
        right[:, i] = a.T @ across
    system = normal.reshape(k * size, k * size)
    system = system + 1e-12 * np.trace(system) / len(system) * np.eye(len(system))
    _, step, info = lapack.dposv(system, right.ravel())
    return curve.control if info else np.asarray(curve.control + free @ step.reshape(k, size))


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
