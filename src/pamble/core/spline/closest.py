"""Closest points on curves and surfaces, for whole clouds of points at once."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from scipy.spatial import cKDTree

from pamble.core.arrays import TINY, Array, BoolArray, IntArray, dot, floats, norm
from pamble.core.remember import Remembered
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, surface_derivatives
from pamble.core.spline.power import curve_form, surface_form
from pamble.core.spline.seeds import nearest_samples, samples
from pamble.core.spline.surface import EDGES, Surface
from pamble.core.tolerances import COINCIDENT

_STEPS = 40
_SETTLED = 1e-11
"""Newton stops after a step shorter than this fraction of the domain: the next one would be below rounding."""

_HAIR = 1e-6
"""Share of a domain from its end within which a foot is at the joint."""

_WAYS = 65
"""Ways out of a pole that are looked at."""

_ROW = 64
"""Samples along a curve, at least, from which feet are sought."""

_NEAREST, _BESIDE = 8, 2
"""Samples that are looked at for each point; those so few places from the nearest lie on one stretch with it."""


@dataclass(frozen=True)
class CurveFeet:
    """Closest points on a curve: parameters (m,), points (m, d), distances (m,) in mm."""

    t: Array
    point: Array
    distance: Array


@dataclass(frozen=True)
class SurfaceFeet:
    """Closest points on a surface: parameters (m,), points (m, 3), distances (m,) in mm."""

    u: Array
    v: Array
    point: Array
    distance: Array


def to_curve(curve: Curve, points: Array, seeds: Array | None = None) -> CurveFeet:
    """Closest point of a curve to each of ``points`` (m, d), ends included.

    Newton on (C - P).C' = 0 from the nearest of a dense row of samples, and from the nearest on another stretch where
    that may hold the foot; a step that leaves the domain stops at its end (The NURBS Book, section 6.1).

    >>> import numpy as np
    >>> feet = to_curve(Curve.line([0, 0, 0], [10, 0, 0]), np.array([[3.0, 4.0, 0.0]]))
    >>> float(feet.t[0]), float(feet.distance[0])
    (0.3, 4.0)
    """
    points = floats(points)
    if seeds is not None:
        return _round_joint(curve, points, _newton_on_curve(curve, points, np.clip(seeds, *curve.domain)))
    t, tree, reach = dense_row(curve)
    near, order = (np.asarray(a) for a in tree.query(points, k=min(_NEAREST, len(t))))
    feet = _round_joint(curve, points, _newton_on_curve(curve, points, t[order[:, 0]]))
    other = np.abs(order - order[:, :1]) > _BESIDE
    near = np.where(other & (near - reach[order] < feet.distance[:, None]), near, np.inf)
    again = np.flatnonzero(np.isfinite(near).any(axis=1))
    if not len(again):
        return feet
    seed = t[order[again, np.argmin(near[again], axis=1)]]
    more = _round_joint(curve, points[again], _newton_on_curve(curve, points[again], seed))
    better = more.distance < feet.distance[again]
    at = again[better]
    for own, new in ((feet.t, more.t), (feet.point, more.point), (feet.distance, more.distance)):
        own[at] = new[better]
    return feet


def boxed(curve: Curve, points: Array, reach: float) -> BoolArray:
    """Which of ``points`` (m, d) lie in the box round a curve's CVs, wider by ``reach``: no other is so near to it."""
    low, high = curve.control.min(axis=0) - reach, curve.control.max(axis=0) + reach
    return np.asarray(((points >= low) & (points <= high)).all(axis=1))


def within(curve: Curve, points: Array, reach: float) -> bool:
    """Whether a curve passes all of ``points`` (m, d) within ``reach``, mm."""
    return bool(boxed(curve, points, reach).all()) and float(to_curve(curve, points).distance.max()) <= reach


def away_from_box(curve: Curve, point: Array) -> float:
    """How far, mm, a point (d,) lies from the box round a curve's CVs: the curve is no nearer."""
    low, high = curve.control.min(axis=0), curve.control.max(axis=0)
    return float(np.linalg.norm(np.maximum(0.0, np.maximum(low - point, point - high))))


_rows: Remembered[Curve, None, tuple[Array, cKDTree, Array]] = Remembered(1)


def dense_row(curve: Curve) -> tuple[Array, cKDTree, Array]:
    """Parameters (n,) of samples, dense in every span and along the length, a tree of their places, and how far the
    curve may run from each to the next (n,).
    """
    return _rows.get(curve, None, lambda: _row(curve))


def _row(curve: Curve) -> tuple[Array, cKDTree, Array]:
    t = samples(curve.knots, curve.degree, _ROW)
    leg = norm(np.diff(curve_derivatives(curve, t)[0], axis=0))
    parts = np.ceil(leg * (_ROW / max(float(leg.sum()), TINY))).astype(int).clip(1)
    if parts.max() > 1:
        first = np.repeat(np.cumsum(parts) - parts, parts)
        share = (np.arange(len(first)) - first) / np.repeat(parts, parts)
        t = np.append(np.repeat(t[:-1], parts) + share * np.repeat(np.diff(t), parts), t[-1])
    places = curve_derivatives(curve, t)[0]
    leg = norm(np.diff(places, axis=0))
    return t, cKDTree(places), np.maximum(np.append(leg, 0.0), np.append(0.0, leg))


def _round_joint(curve: Curve, points: Array, feet: CurveFeet) -> CurveFeet:
    """Feet that stopped at the joint of a closed curve, tried again from its other side."""
    start, end = curve.domain
    stuck = (feet.t <= start) | (feet.t >= end)
    if stuck.any() and norm(np.diff(curve_derivatives(curve, [start, end])[0], axis=0))[0] < COINCIDENT:
        other = _newton_on_curve(curve, points, np.where(stuck, np.where(feet.t <= start, end, start), feet.t))
        better = (other.distance < feet.distance)[:, None]
        feet = CurveFeet(
            np.where(better[:, 0], other.t, feet.t),
            np.where(better, other.point, feet.point),
            np.minimum(other.distance, feet.distance),
        )
    return feet


def _newton_on_curve(curve: Curve, points: Array, t: Array) -> CurveFeet:
    start, end = curve.domain
    size = end - start
    form = curve_form(curve)
    active, t = np.arange(len(points)), t.copy()
    best, least = t.copy(), np.full(len(points), np.inf)
    for _ in range(_STEPS):
        now, back = t[active], best[active]
        d = form.derivatives(now, 2)
        gap = d[0] - points[active]
        square = dot(gap, gap)
        worse = _worse(square, least[active])
        slope, full = dot(gap, d[1]), dot(d[1], d[1])
        second = full + dot(gap, d[2])
        step = -slope / np.maximum(np.where(second > 0.1 * full, second, full), TINY)
        # A step that led away is halved.
        moved = np.clip(now + np.clip(step, -0.1 * size, 0.1 * size), start, end)
        moved = np.where(worse, 0.5 * (back + now), moved)
        best[active] = np.where(worse, back, now)
        least[active] = np.where(worse, least[active], square)
        t[active] = moved
        active = active[np.abs(moved - now) > _SETTLED * size]
        if not len(active):
            break
    foot = form.derivatives(t, 0)[0]
    return CurveFeet(t, foot, norm(foot - points))


def _worse(square: Array, least: Array) -> BoolArray:
    """Whether squared distances are larger than the least so far, beyond rounding."""
    return np.asarray(square > least * (1 + 1e-9) + 1e-18)


def to_surface(surface: Surface, points: Array, seeds: tuple[Array, Array] | None = None) -> SurfaceFeet:
    """Closest point of a surface to each of ``points`` (m, 3), edges included.

    Newton on the two orthogonality conditions, with Gauss-Newton steps where the Hessian is not positive; a
    parameter at the limit of the domain is held there while the step points outward.

    >>> import numpy as np
    >>> flat = Surface.bezier([[[0, 0, 0], [0, 2, 0]], [[2, 0, 0], [2, 2, 0]]])
    >>> feet = to_surface(flat, np.array([[0.5, 1.5, 3.0]]))
    >>> np.round([feet.u[0], feet.v[0], feet.distance[0]], 9).tolist()
    [0.25, 0.75, 3.0]
    """
    points = floats(points)
    (u0, u1), (v0, v1) = surface.domain
    if seeds is None:
        u, v = nearest_samples(surface, points)
    else:
        u, v = np.clip(seeds[0], u0, u1), np.clip(seeds[1], v0, v1)
    feet = _newton_on_surface(surface, points, u, v)
    for along in (0, 1):
        if surface.closed[along]:
            feet = _over_joint(surface, points, feet, along)
    for side in surface.poles:
        feet = _off_pole(surface, points, feet, side)
    return feet


def _over_joint(surface: Surface, points: Array, feet: SurfaceFeet, along: int) -> SurfaceFeet:
    """Feet that stopped at the joint of a closed surface, tried again from its other side."""
    low, high = surface.domain[along]
    uv, hair = np.stack([feet.u, feet.v]), _HAIR * (high - low)
    stuck = np.flatnonzero((uv[along] <= low + hair) | (uv[along] >= high - hair))
    if not len(stuck):
        return feet
    start = uv[:, stuck]
    start[along] = np.where(start[along] <= low + hair, high, low)
    return _better(surface, points, feet, stuck, start)


def _better(surface: Surface, points: Array, feet: SurfaceFeet, again: IntArray, start: Array) -> SurfaceFeet:
    """Feet of which those numbered are sought once more, from other parameters (2, k), and taken where nearer."""
    other = _newton_on_surface(surface, points[again], start[0], start[1])
    better = other.distance < feet.distance[again]
    at = again[better]
    for own, new in zip(
        (feet.u, feet.v, feet.point, feet.distance), (other.u, other.v, other.point, other.distance), strict=True
    ):
        own[at] = new[better]
    return feet


def _off_pole(surface: Surface, points: Array, feet: SurfaceFeet, side: str) -> SurfaceFeet:
    """Feet that stopped at a pole, where nothing moves along it, tried again on the way out of it that leads to the
    point most nearly.
    """
    axis, end = EDGES.index(side) // 2, int(side[1])
    (low, high), (a, b) = surface.domain[axis], surface.domain[1 - axis]
    uv, at = np.stack([feet.u, feet.v]), (low, high)[end]
    stuck = np.flatnonzero((np.abs(uv[axis] - at) <= _HAIR * (high - low)) & (feet.distance > COINCIDENT))
    if not len(stuck):
        return feet
    along = np.linspace(a, b, _WAYS)
    u, v = (along, np.full(_WAYS, at)) if axis else (np.full(_WAYS, at), along)
    d = surface_derivatives(surface, u, v, 1)
    ways = (d[0, 1] if axis else d[1, 0]) * (1 - 2 * end)
    length = np.maximum(norm(ways), TINY)
    gap = points[stuck] - feet.point[stuck]
    ahead = (gap @ ways.T) / length
    best = ahead.argmax(axis=1)
    step = np.clip(ahead[np.arange(len(stuck)), best] / length[best], 1e-9 * (high - low), 0.1 * (high - low))
    start = np.stack([along[best], at + step * (1 - 2 * end)])
    return _better(surface, points, feet, stuck, start if axis else start[::-1])


def _newton_on_surface(surface: Surface, points: Array, u: Array, v: Array) -> SurfaceFeet:
    (u0, u1), (v0, v1) = surface.domain
    active = np.arange(len(points))
    u, v = u.copy(), v.copy()
    best_u, best_v, least = u.copy(), v.copy(), np.full(len(points), np.inf)
    for _ in range(_STEPS):
        du, dv, square = _step(surface, points[active], u[active], v[active])
        worse = _worse(square, least[active])
        # A step that led away is halved.
        back_u, back_v = best_u[active], best_v[active]
        best_u[active], best_v[active] = np.where(worse, back_u, u[active]), np.where(worse, back_v, v[active])
        least[active] = np.where(worse, least[active], square)
        # A long step is shortened as it points: cut in one direction alone it may lead away.
        short = 0.1 / np.maximum(0.1, np.maximum(np.abs(du) / (u1 - u0), np.abs(dv) / (v1 - v0)))
        new_u = np.clip(u[active] + short * du, u0, u1)
        new_v = np.clip(v[active] + short * dv, v0, v1)
        new_u = np.where(worse, 0.5 * (back_u + u[active]), new_u)
        new_v = np.where(worse, 0.5 * (back_v + v[active]), new_v)
        change = np.maximum(np.abs(new_u - u[active]) / (u1 - u0), np.abs(new_v - v[active]) / (v1 - v0))
        u[active], v[active] = new_u, new_v
        active = active[change > _SETTLED]
        if not len(active):
            break
    foot = surface_form(surface).derivatives(u, v, 0)[0, 0]
    return SurfaceFeet(u, v, foot, norm(foot - points))


def _step(surface: Surface, points: Array, u: Array, v: Array) -> tuple[Array, Array, Array]:
    """Newton steps in u and v, and the squared distances where they start."""
    (u0, u1), (v0, v1) = surface.domain
    d = surface_form(surface).derivatives(u, v, 2)
    gap = d[0, 0] - points
    g1, g2 = dot(gap, d[1, 0]), dot(gap, d[0, 1])
    e, f, g = dot(d[1, 0], d[1, 0]), dot(d[1, 0], d[0, 1]), dot(d[0, 1], d[0, 1])
    h11, h12, h22 = e + dot(gap, d[2, 0]), f + dot(gap, d[1, 1]), g + dot(gap, d[0, 2])
    convex = (h11 > 0.1 * e) & (h22 > 0.1 * g) & (h11 * h22 - h12 * h12 > 0.01 * e * g)
    h11, h12, h22 = np.where(convex, h11, e), np.where(convex, h12, f), np.where(convex, h22, g)
    hold_u = ((u <= u0) & (g1 > 0)) | ((u >= u1) & (g1 < 0))
    hold_v = ((v <= v0) & (g2 > 0)) | ((v >= v1) & (g2 < 0))
    h12 = np.where(hold_u | hold_v, 0.0, h12)
    determinant = h11 * h22 - h12 * h12
    determinant = np.where(np.abs(determinant) > TINY, determinant, TINY)
    du = np.where(hold_u, 0.0, -(g1 * h22 - g2 * h12) / determinant)
    dv = np.where(hold_v, 0.0, -(g2 * h11 - g1 * h12) / determinant)
    return du, dv, dot(gap, gap)
