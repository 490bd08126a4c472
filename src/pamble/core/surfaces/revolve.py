"""Surfaces of revolution: exact, rational round the axis (The NURBS Book, section 8.5)."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, cross, dot, floats, norm
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import Surface, from_homogeneous

_CROSSES = 1e-9


def revolve(profile: Curve, point: Array, axis: Array, start: float, end: float) -> Surface:
    """A profile turned about the axis through ``point`` from ``start`` to ``end`` degrees, at most once round.

    u turns, in pieces of at most 90°; v runs along the profile with its own CVs. A profile that touches the axis at an
    end makes a pole there. Raises `GeometryError` for an axis of no length, no turn or more than one, a profile that
    lies on the axis, or one in a plane with the axis that crosses it.

    >>> from pamble.core.spline.evaluate import surface_points
    >>> post = revolve(Curve.line([5, 0, 0], [5, 0, 8]), np.zeros(3), np.array([0, 0, 1.0]), 0, 90)
    >>> u, v = np.meshgrid(*(np.linspace(a, b, 5) for a, b in post.domain))
    >>> bool(np.allclose(np.hypot(*surface_points(post, u.ravel(), v.ravel())[:, :2].T), 5))
    True
    """
    z, p = floats(axis), floats(point)
    length = float(np.linalg.norm(z))
    if length < 1e-12:
        raise GeometryError("A revolution needs an axis that is not zero.")
    z = z / length
    turn = end - start
    if not 1e-9 < abs(turn) <= 360 + 1e-9:
        raise GeometryError(f"A revolution turns by more than 0° and at most 360°, not by {turn:g}°.")
    _refuse_crossing(profile, p, z)
    pieces = int(np.ceil(abs(turn) / 90 - 1e-9))
    half = np.radians(turn) / pieces / 2
    angle = np.radians(start) + half * np.arange(2 * pieces + 1)
    corner = np.arange(2 * pieces + 1) % 2 == 1
    weight = np.where(corner, np.cos(half), 1.0)
    away = np.where(corner, 1 / np.cos(half), 1.0)
    own = np.ones(len(profile.control)) if profile.weights is None else profile.weights
    rel = profile.control - p
    high = dot(rel, np.broadcast_to(z, rel.shape))[:, None] * z
    x = rel - high
    y = cross(np.broadcast_to(z, x.shape), x)
    c, s = (np.cos(angle) * away)[:, None, None], (np.sin(angle) * away)[:, None, None]
    control = p + high + c * x + s * y
    if abs(abs(turn) - 360) < 1e-9:
        control[-1] = control[0]
    weights = weight[:, None] * own
    points = np.concatenate([control * weights[..., None], weights[..., None]], axis=2)
    knots = np.concatenate([[0.0] * 3, np.repeat(np.arange(1, pieces) / pieces, 2), [1.0] * 3])
    return from_homogeneous((2, profile.degree), (knots, profile.knots), points, True)


def _refuse_crossing(profile: Curve, p: Array, z: Array) -> None:
    breaks = basis.breaks(profile.knots, profile.degree)
    t = np.unique((breaks[:-1, None] + np.diff(breaks)[:, None] * np.linspace(0, 1, 33)).ravel())
    rel = curve_points(profile, t) - p
    out = rel - dot(rel, np.broadcast_to(z, rel.shape))[:, None] * z
    size = float(norm(out).max())
    if size < 1e-6:
        raise GeometryError("The profile lies on the axis: there is nothing to turn.")
    first = out[int(np.argmax(norm(out)))] / size
    side = out @ first
    beside = norm(out - side[:, None] * first).max()
    if beside < 1e-6 * size and side.min() < -_CROSSES * size - 1e-7:
        i = int(np.argmin(side))
        x, y, w = rel[i] + p
        raise GeometryError(
            f"The profile crosses the axis: near ({x:.2f}, {y:.2f}, {w:.2f}) mm it lies {-side[i]:.2f} mm beyond it. "
            "Trim it at the axis first."
        )
