"""Pieces of curves that are lines or arcs of circles, and what turns with them."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm, unit
from pamble.core.planes import circle_centre
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import smooth_parts

EXACT = 1e-9
"""Share of its size by which a piece may leave a line or an arc that it counts as, and of a right angle."""

_LOOKED = 33


@dataclass(frozen=True)
class Arc:
    """A piece of a circle: its centre, the way from there to its start, and the axis about which it turns right-handed,
    (3,) each.
    """

    centre: Array
    spoke: Array
    axis: Array

    @property
    def radius(self) -> float:
        return float(np.linalg.norm(self.spoke))


def is_straight(piece: Curve) -> bool:
    """Whether a piece is a line."""
    a, b = curve_points(piece, piece.domain)
    way = unit((b - a)[None])[0]
    off = (piece.control - a) - np.outer((piece.control - a) @ way, way)
    return bool(norm(off).max() <= EXACT * np.linalg.norm(b - a))


def arc_of(piece: Curve) -> Arc | None:
    """The circle on which a piece lies; None where it is no arc.

    >>> from pamble.core.curves.shapes import circle
    >>> import numpy as np
    >>> round(arc_of(circle(np.zeros(3), np.array([0, 0, 1.0]), 4.0)).radius, 9)
    4.0
    """
    p = curve_points(piece, np.linspace(*piece.domain, _LOOKED))
    middle = circle_centre(p[0], p[_LOOKED // 3], p[2 * _LOOKED // 3])
    if middle is None:
        return None
    spoke = p - middle
    radius = float(np.linalg.norm(spoke[0]))
    axis = unit(np.cross(spoke[0], spoke[1])[None])[0]
    off = max(float(np.abs(norm(spoke) - radius).max()), float(np.abs(spoke @ axis).max()))
    return None if off > EXACT * radius else Arc(middle, spoke[0], axis)


def ways(points: Array, rail: Curve, t: float) -> Array | None:
    """Control points (n, m, 3) of the ways of points (n, 3) that turn with a rail of lines and arcs without kinks and
    stand beside its parameter t: on its knots, with its weights. None for a rail that is made of something else too.

    A point that turns with an arc turns about its axis: its way is an affine image of the rail's own, and so the same
    holds for control points. Along a line it is moved. (Own derivation.)
    """
    breaks = basis.breaks(rail.knots, rail.degree)
    firm = [k for k in breaks[1:-1] if np.sum(rail.knots == k) >= rail.degree]
    pieces = smooth_parts(rail, firm)
    arcs = [None if is_straight(p) else arc_of(p) for p in pieces]
    if any(a is None and not is_straight(p) for a, p in zip(arcs, pieces, strict=True)):
        return None
    stands = int(np.clip(np.searchsorted([p.domain[0] for p in pieces], t, side="right") - 1, 0, len(pieces) - 1))
    net = np.zeros((len(points), len(rail.control), 3))
    rows = np.cumsum([0, *(len(p.control) - 1 for p in pieces)])
    start = last = _start_of(points, pieces[stands], arcs[stands], t)
    for k in range(stands, len(pieces)):
        net[:, rows[k] : rows[k + 1] + 1] = _way(last, pieces[k], arcs[k])
        last = net[:, rows[k + 1]]
    for k in range(stands - 1, -1, -1):
        start = _start_of(start, pieces[k], arcs[k], pieces[k].domain[1])
        net[:, rows[k] : rows[k + 1] + 1] = _way(start, pieces[k], arcs[k])
    return net


def _turn(points: Array, arc: Arc, spoke: Array) -> Array:
    """Points (n, 3) turned about an arc's axis as its start is to other ways from the centre (m, 3), which may be
    longer: (n, m, 3).
    """
    rel = points - arc.centre
    high = np.outer(rel @ arc.axis, arc.axis)
    x = rel - high
    y = np.cross(arc.axis, x)
    cos = spoke @ arc.spoke / arc.radius**2
    sin = spoke @ np.cross(arc.axis, arc.spoke) / arc.radius**2
    return np.asarray(arc.centre + high[:, None] + cos[:, None] * x[:, None] + sin[:, None] * y[:, None])


def _start_of(points: Array, piece: Curve, arc: Arc | None, t: float) -> Array:
    """Points that stand at a parameter of a piece, as they stand at its start."""
    here, start = curve_points(piece, [t, piece.domain[0]])
    if arc is None:
        return np.asarray(points - here + start)
    spoke = here - arc.centre
    back = 2 * (spoke @ arc.spoke / arc.radius**2) * arc.spoke - spoke
    return np.asarray(_turn(points, arc, back[None])[:, 0])


def _way(points: Array, piece: Curve, arc: Arc | None) -> Array:
    """Control points of the ways of points (n, 3) that stand at the start of a piece, (n, m, 3)."""
    if arc is None:
        return np.asarray(points[:, None] + piece.control - piece.control[0])
    return _turn(points, arc, piece.control - arc.centre)
