"""Pieces of curves that are lines or arcs of circles."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm, unit
from pamble.core.planes import circle_centre
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

EXACT = 1e-9
"""Share of its size by which a piece may leave a line or an arc that it counts as, and of a right angle."""

_LOOKED = 33


@dataclass(frozen=True)
class Arc:
    """A piece of a circle: its centre, the way from there to its start, and its axis, by which it turns to the right,
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
