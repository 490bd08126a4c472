"""Loft round a common axis: sections that stand about it like spokes, each carried into the next on circles."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, cross, floats, norm
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.piecewise import DEGREE, bounds_of, in_stretches, nodes
from pamble.core.errors import GeometryError
from pamble.core.patches.frames import Frames
from pamble.core.patches.sections import alike
from pamble.core.patches.sweep import carried
from pamble.core.patches.swept_rows import fewest_rows
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import Surface, from_homogeneous
from pamble.core.surfaces.revolve import revolve

_STATIONS = 361
_ROUND = 2 * np.pi
_SAME = 1e-7
"""Difference, mm, up to which sections are one profile turned about the axis."""


@dataclass(frozen=True)
class Around:
    """u runs along the sections, v round the axis. places: shares of the turn at which they stand. deviation: from the
    true way of every CV, mm; 0 for one profile turned. turned: sections that run backward.
    """

    surface: Surface
    places: Array
    deviation: float
    turned: tuple[bool, ...]


def loft_around(
    sections: Sequence[Curve], point: Array, axis: Array, *, closed: bool = False, straight: bool = False,
    turned: Sequence[bool | None] = (), matched: Sequence[Sequence[float]] = (), tolerance: float = 0.002,
) -> Around:  # fmt: skip
    """Surface through sections in order about the axis through ``point``, each by its own angle further on.

    Distances from the axis and heights along it pass from section to section, smoothly or straight over the angle; one
    profile turned comes out exact, as a cylinder, cone or surface of revolution. closed: round to the first again.
    Raises `GeometryError` for sections on the axis, and out of their order about it.
    """
    z = floats(axis) / max(float(np.linalg.norm(axis)), 1e-300)
    same = alike(sections, turned, tolerance, matched)
    angles = _angles(same.curves, point, z, closed)
    whole = _ROUND * np.sign(angles[-1] - angles[0]) if closed else angles[-1] - angles[0]
    x, y = _cross_axes(same.curves[0], point, z)
    places = (angles - angles[0]) / whole
    rows = np.array([c.homogeneous for c in same.curves])
    control = np.array([c.control for c in same.curves])
    stand = _frames(places, whole, point, x, y, z)
    local = np.einsum("sij,skj->ski", np.stack([stand.x, stand.y, stand.z], axis=1), control - point)
    alike_all = np.abs(local - local[0]).max() < _SAME and np.abs(rows[..., 3] - rows[:1, :, 3]).max() < 1e-12
    if alike_all:
        turn = np.degrees(abs(whole))
        surface = _swapped(revolve(same.curves[0], point, z * np.sign(whole), 0.0, float(turn)))
        return Around(surface, places, 0.0, same.turned)
    if any(c.weights is not None for c in same.curves):
        raise GeometryError("Unlike sections round an axis are polynomial: rebuild the rational ones first.")
    first = same.curves[0]
    if closed or straight:
        # Stretch by stretch: over a joint they close, and at straight ones' sections they kink.
        bounds = bounds_of(places.tolist())
        at = nodes(bounds)
        beside = _frames(at.ravel(), whole, point, x, y, z)
        moved = carried(local, places, beside, straight, closed).reshape(*at.shape, *local.shape[1:])
        knots, net, off = in_stretches(bounds, moved, tolerance, closed)
    else:
        frames = _frames(np.linspace(0, 1, _STATIONS), whole, point, x, y, z)
        space, net, off = fewest_rows(carried(local, places, frames, False), frames.s, tolerance)
        knots = space.knots
    surface = Surface(first.degree, DEGREE, first.knots, knots, net.transpose(1, 0, 2), None)
    return Around(surface, places, off, same.turned)


def _cross_axes(curve: Curve, point: Array, z: Array) -> tuple[Array, Array]:
    out = _middle(curve, point, z)
    x = out / np.linalg.norm(out)
    return x, np.cross(z, x)


def _middle(curve: Curve, point: Array, z: Array) -> Array:
    rel = curve_points(curve, length_parameters(curve, np.linspace(0, 1, 33))) - point
    out = rel - (rel @ z)[:, None] * z
    middle = out.mean(axis=0)
    if np.linalg.norm(middle) < 1e-3 * max(float(norm(out).max()), 1e-9):
        raise GeometryError("A section lies round the axis and not on one side of it: it can not be carried about it.")
    return np.asarray(middle)


def _angles(curves: Sequence[Curve], point: Array, z: Array, closed: bool) -> Array:
    """Angles of sections about the axis, running one way. Raises `GeometryError` for one that turns back."""
    x, y = _cross_axes(curves[0], point, z)
    out = np.array([_middle(c, point, z) for c in curves])
    raw = np.arctan2(out @ y, out @ x)
    steps = (np.diff(raw) + np.pi) % _ROUND - np.pi
    way = np.sign(steps.sum()) or 1.0
    if closed or abs(steps.sum()) < 1e-9:
        ahead = (way * np.diff(raw)) % _ROUND
        steps = way * ahead
    wrong = np.flatnonzero(way * steps < 1e-6)
    total = abs(steps.sum())
    if len(wrong) or total > _ROUND - 1e-6:
        i = int(wrong[0]) + 1 if len(wrong) else len(curves) - 1
        raise GeometryError(f"Section {i + 1} lies out of order: the way round the axis turns back there.")
    return np.asarray(np.concatenate([[0.0], np.cumsum(steps)]))


def _frames(s: Array, whole: float, point: Array, x: Array, y: Array, z: Array) -> Frames:
    c, w = np.cos(s * whole)[:, None], np.sin(s * whole)[:, None]
    out = c * x + w * y
    up = np.broadcast_to(z, out.shape)
    return Frames(s, np.broadcast_to(point, out.shape), out, cross(up, out), np.array(up), -out, s)


def _swapped(surface: Surface) -> Surface:
    rows = np.swapaxes(surface.homogeneous, 0, 1)
    return from_homogeneous((surface.degree_v, surface.degree_u), (surface.knots_v, surface.knots_u), rows, True)
