"""The control polygon as a whole: offset it, even it out."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, IntArray, cross, dot, floats, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve

_SHARP = 0.1
"""Least 1 + cosine of a turn at which the corner of an offset polygon is still taken: beyond, it would run far out."""


def polygon_normal(control: Array) -> Array:
    """Unit normal of the plane a polygon lies in or near, by the sum of its turns; (3,).

    Raises `GeometryError` for a straight polygon.
    """
    legs = np.diff(floats(control), axis=0)
    turns = cross(legs[:-1], legs[1:]) if len(legs) > 1 else np.zeros((0, 3))
    if float(norm(turns).max(initial=0.0)) <= 1e-9 * float(norm(legs).max(initial=0.0)) ** 2:
        raise GeometryError("The polygon is straight: say in which plane it is to be offset.")
    normal = np.linalg.svd(floats(control) - floats(control).mean(axis=0))[2][2]
    side = float(dot(turns, np.broadcast_to(normal, turns.shape)).sum())
    return np.asarray(normal if side >= 0 else -normal)


def offset_polygon(control: Array, distance: float, normal: Array | None = None) -> Array:
    """CVs (n, 3) whose legs run parallel at ``distance`` mm, to the left seen against ``normal``.

    A polygon that closes stays closed. Coincident CVs move together. Raises `GeometryError` for a straight polygon
    without a normal, and where the polygon turns back on itself.
    """
    p = floats(control)
    n = polygon_normal(p) if normal is None else unit(floats(normal)[None])[0]
    # CVs in one place are one corner.
    corner = np.cumsum(np.concatenate([[0], norm(np.diff(p, axis=0)) > 1e-9]))
    corners = p[np.unique(corner, return_index=True)[1]]
    if len(corners) < 2:
        raise GeometryError("All CVs are in one place: there is no leg to offset.")
    legs = np.diff(corners, axis=0)
    side = unit(cross(np.broadcast_to(n, legs.shape), legs))
    before, after = np.vstack([side[:1], side]), np.vstack([side, side[-1:]])
    if np.linalg.norm(corners[0] - corners[-1]) < 1e-9:
        before[0], after[-1] = side[-1], side[0]
    both = 1.0 + dot(before, after)
    if both.min() < _SHARP:
        first = int(np.flatnonzero(corner == int(np.argmin(both)))[0])
        raise GeometryError(f"At CV {first + 1} the polygon turns back on itself: it cannot be offset.")
    moved = corners + distance * (before + after) / both[:, None]
    return np.asarray(moved[corner])


def even_out(curve: Curve, cvs: IntArray | None = None) -> Array:
    """CVs (n, 3) with the chosen ones (all but two at either end when None) moved, by as little as needed, so that
    the polygon progresses evenly: its third divided differences over the Greville points are least.
    """
    n = len(curve.control)
    chosen = np.arange(2, n - 2) if cvs is None or not len(cvs) else np.asarray(cvs)
    return evened(curve.control, basis.greville(curve.knots, curve.degree), chosen)


def evened(points: Array, at: Array, chosen: IntArray) -> Array:
    """Points (n, d) over rising places ``at`` (n,), the ``chosen`` ones moved to the least third differences.

    The first and last point stay. Raises `GeometryError` if there is nothing to move or nothing to go by.
    """
    p = floats(points)
    n = len(p)
    free = np.setdiff1d(chosen, [0, n - 1])
    if not len(free):
        raise GeometryError("The ends stay where they are: pick others, or draw more of them.")
    order = min(3, n - 1)
    rows = _divided_differences(at, order)
    out = p.copy()
    out[free] += np.linalg.lstsq(rows[:, free], -rows @ p, rcond=None)[0]
    return out


def _divided_differences(at: Array, order: int) -> Array:
    """Rows of divided differences over neighbouring places, scaled to the mean step."""
    n = len(at)
    rows = np.eye(n)
    mean = (at[-1] - at[0]) / max(n - 1, 1)
    for k in range(1, order + 1):
        step = np.maximum(at[k:] - at[:-k], 1e-9 * (at[-1] - at[0])) / (k * mean)
        rows = np.diff(rows, axis=0) / step[:, None]
    return rows
