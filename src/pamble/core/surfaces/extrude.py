"""Extrusions: a curve moved along a direction, straight or with draft. A curve of degree p gives p by 1."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, cross, dot, floats, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.kinks import refuse_kinks
from pamble.core.spline.knots import raised_knots, recast_curve
from pamble.core.spline.surface import Surface, from_homogeneous

_ROUNDS = 6
_LEAST_DEGREE = 5
_LEAST_FORWARD = 1e-3
"""Length of a drafted rim's derivative, as a share of the curve's, below which the rim stands still or runs back."""


def extrude(curve: Curve, direction: Array, start: float, end: float) -> Surface:
    """The curve moved along a direction (3,) from ``start`` to ``end`` mm; exact, rational where the curve is.

    u runs along the curve, v along the direction. Raises `GeometryError` for a direction of no length or no way to go.

    >>> import numpy as np
    >>> wall = extrude(Curve.line([0, 0, 0], [9, 0, 0]), np.array([0, 0, 1.0]), -2, 5)
    >>> wall.control[:, :, 2].tolist(), (wall.degree_u, wall.degree_v)
    ([[-2.0, 5.0], [-2.0, 5.0]], (1, 1))
    """
    way = _way(direction)
    if abs(end - start) < 1e-9:
        raise GeometryError("The extrusion has no length: give it one to either side.")
    points = curve.homogeneous
    weight = points[:, -1:]
    ends = [np.hstack([points[:, :-1] + weight * (s * way), weight]) for s in (start, end)]
    knots = (curve.knots, basis.uniform_knots(1, 1))
    return from_homogeneous((curve.degree, 1), knots, np.stack(ends, axis=1), curve.weights is not None)


def drafted(
    curve: Curve, direction: Array, start: float, end: float, degrees: float, tolerance: float = 0.001
) -> tuple[Surface, float]:
    """The curve moved along a direction and leaning out of it by an angle: a ruled surface, and how far its rims are
    from the true ones, mm.

    The rulings lean to the side cross(tangent, direction) of the curve, or to the other one for a negative angle. Each
    rim is fitted on the curve's knots, refined until the tolerance holds. Raises `GeometryError` where a rim would
    run back, which the angle and the curve's bend do together, and for a curve along the direction.
    """
    way = _way(direction)
    if not -89 < degrees < 89:
        raise GeometryError(f"A draft lies between -89° and 89°, not at {degrees:g}°.")
    if abs(end - start) < 1e-9:
        raise GeometryError("The extrusion has no length: give it one to either side.")
    refuse_kinks(curve, "The curve", "where walls with draft meet they are trimmed by each other, extrude its pieces")
    lean = np.tan(np.radians(degrees))

    def rim(t: Array, s: float) -> Array:
        d = curve_derivatives(curve, t, 1)
        side = cross(unit(d[1]), np.tile(way, (len(t), 1)))
        if norm(side).min() < 1e-6:
            raise GeometryError("The curve runs along the direction somewhere: choose another direction.")
        return np.asarray(d[0] + s * way + s * lean * unit(side))

    dense = _dense(curve.knots, curve.degree)
    forward = norm(curve_derivatives(curve, dense, 1)[1])
    for s in (start, end):
        run = np.gradient(rim(dense, s), dense, axis=0)
        back = np.einsum("mi,mi->m", run, curve_derivatives(curve, dense, 1)[1])
        if (back < _LEAST_FORWARD * forward**2).any():
            x, y, z = curve_points(curve, dense[[int(np.argmin(back))]])[0]
            raise GeometryError(
                f"The draft folds the rim at {s:g} mm, where the curve bends near ({x:.2f}, {y:.2f}, {z:.2f}) mm: "
                "lean less, go less far, or open the curve there."
            )
    degree, own = (curve.degree, curve.knots) if curve.weights is None else _polynomial(curve)
    for _ in range(_ROUNDS):
        fits = [_fitted(own, degree, dense, rim(dense, s)) for s in (start, end)]
        off = np.maximum(fits[0][1], fits[1][1])
        rows = np.stack([f[0] for f in fits], axis=1)
        made = Surface(degree, 1, own, basis.uniform_knots(1, 1), rows), float(off.max())
        if made[1] <= tolerance:
            break
        # Closer knots where the rims are missed.
        breaks = basis.breaks(own, degree)
        worst = np.zeros(len(breaks) - 1)
        np.maximum.at(worst, np.clip(np.searchsorted(breaks, dense, side="right") - 1, 0, len(worst) - 1), off)
        own = np.sort(np.concatenate([own, (0.5 * (breaks[1:] + breaks[:-1]))[worst > tolerance]]))
        dense = _dense(own, degree)
    return made


def _way(direction: Array) -> Array:
    d = floats(direction)
    length = float(np.linalg.norm(d))
    if length < 1e-12:
        raise GeometryError("An extrusion needs a direction that is not zero.")
    return d / length


def _dense(knots: Array, degree: int) -> Array:
    breaks = basis.breaks(knots, degree)
    parts = breaks[:-1, None] + np.diff(breaks)[:, None] * np.linspace(0, 1, 33)
    return np.unique(parts.ravel())


def _polynomial(curve: Curve) -> tuple[int, Array]:
    """Degree and knots of a polynomial space near a rational curve; one that only turns its pace at a knot stays C1."""
    degree = max(curve.degree, _LEAST_DEGREE)
    values, counts = np.unique(raised_knots(curve.knots, curve.degree, degree - curve.degree), return_counts=True)
    counts[1:-1] = np.minimum(counts[1:-1], degree - 1)
    return degree, np.repeat(values, counts)


def _fitted(knots: Array, degree: int, t: Array, wanted: Array) -> tuple[Array, Array]:
    """Control points on knots that meet points (m, 3) of a line at parameters best, ends exactly; and how far they lie
    off that line, (m,).
    """
    b = basis.matrix(knots, degree, t)[0]
    control = np.zeros((b.shape[1], 3))
    control[0], control[-1] = wanted[0], wanted[-1]
    inner = wanted - b[:, [0, -1]] @ control[[0, -1]]
    control[1:-1] = np.linalg.lstsq(b[:, 1:-1], inner, rcond=None)[0]
    miss, along = b @ control - wanted, unit(np.gradient(wanted, t, axis=0))
    return control, norm(miss - dot(miss, along)[:, None] * along)


def ruled(first: Curve, second: Curve) -> Surface:
    """Straight lines between two curves at equal parameters; exact, on the knots of both."""
    a, b = (on_unit(c) for c in (first, second))
    degree = max(a.degree, b.degree)
    rational = a.weights is not None or b.weights is not None
    knots = common_knots([a, b], degree)
    rows = [recast_curve(c, degree, knots) for c in (a, b)]
    points = np.stack([r.homogeneous for r in rows], axis=1)
    return from_homogeneous((degree, 1), (knots, basis.uniform_knots(1, 1)), points, rational)


def on_unit(curve: Curve) -> Curve:
    """The curve over [0, 1]."""
    a, b = curve.domain
    return Curve(curve.degree, (curve.knots - a) / (b - a), curve.control, curve.weights)


def common_knots(curves: Sequence[Curve], degree: int) -> Array:
    """The least knot vector of a degree that holds all curves, which lie over [0, 1]."""
    need: dict[float, int] = {}
    for c in curves:
        values, counts = np.unique(np.round(c.knots[c.degree + 1 : -c.degree - 1], 12), return_counts=True)
        for value, count in zip(values.tolist(), counts.tolist(), strict=True):
            need[value] = max(need.get(value, 0), count + degree - c.degree)
    inner = np.repeat(sorted(need), [need[v] for v in sorted(need)])
    return np.concatenate([np.zeros(degree + 1), inner, np.ones(degree + 1)])
