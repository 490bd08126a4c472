"""Extrusions: a curve moved along a direction; ruled surfaces. A curve of degree p gives p by 1."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, floats
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.knots import recast_curve
from pamble.core.spline.surface import Surface, from_homogeneous


def extrude(curve: Curve, direction: Array, start: float, end: float) -> Surface:
    """The curve moved along a direction (3,) from ``start`` to ``end`` mm; exact, rational where the curve is.

    u runs along the curve, v along the direction. Raises `GeometryError` for a direction of no length or no way to go.

    >>> import numpy as np
    >>> wall = extrude(Curve.line([0, 0, 0], [9, 0, 0]), np.array([0, 0, 1.0]), -2, 5)
    >>> wall.control[:, :, 2].tolist(), (wall.degree_u, wall.degree_v)
    ([[-2.0, 5.0], [-2.0, 5.0]], (1, 1))
    """
    way = unit_way(direction)
    sized(start, end)
    points = curve.homogeneous
    weight = points[:, -1:]
    ends = [np.hstack([points[:, :-1] + weight * (s * way), weight]) for s in (start, end)]
    knots = (curve.knots, basis.uniform_knots(1, 1))
    return from_homogeneous((curve.degree, 1), knots, np.stack(ends, axis=1), curve.weights is not None)


def unit_way(direction: Array) -> Array:
    """The direction (3,) of an extrusion with length 1. Raises `GeometryError` for one of no length."""
    d = floats(direction)
    length = float(np.linalg.norm(d))
    if length < 1e-12:
        raise GeometryError("An extrusion needs a direction that is not zero.")
    return d / length


def sized(start: float, end: float) -> None:
    """Raise `GeometryError` for an extrusion from ``start`` to ``end`` mm that has no length."""
    if abs(end - start) < 1e-9:
        raise GeometryError("The extrusion has no length: give it one to either side.")


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
