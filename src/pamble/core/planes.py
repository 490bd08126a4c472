"""Planes with axes of their own: principal, through points, square to a curve, through a line."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, floats
from pamble.core.errors import GeometryError


@dataclass(frozen=True, eq=False)
class Plane:
    """A plane through ``origin`` (3,) mm, spanned by unit vectors ``x`` and ``y`` square to each other."""

    origin: Array
    x: Array
    y: Array

    @property
    def normal(self) -> Array:
        """Unit vector x cross y."""
        return np.cross(self.x, self.y)

    def moved(self, distance: float) -> Plane:
        """The parallel plane ``distance`` mm along the normal."""
        return Plane(self.origin + distance * self.normal, self.x, self.y)

    def height(self, points: Array) -> Array:
        """Signed distances (m,) of points (m, 3), mm."""
        return np.asarray((floats(points) - self.origin) @ self.normal)


def plane_at(origin: Array, normal: Array, toward: Array | None = None) -> Plane:
    """Plane square to ``normal``; its x axis runs ``toward`` as far as it can, else so that y points up (z).

    Raises `GeometryError` for a normal of no length.
    """
    n = floats(normal)
    length = float(np.linalg.norm(n))
    if length < 1e-12:
        raise GeometryError("A plane needs a normal that is not zero.")
    n = n / length
    if toward is not None:
        x = floats(toward) - (floats(toward) @ n) * n
    else:
        x = np.cross((0.0, 0.0, 1.0), n)
        if np.linalg.norm(x) < 1e-6:
            x = floats([1.0, 0.0, 0.0])
            x = x - (x @ n) * n
    if np.linalg.norm(x) < 1e-12:
        raise GeometryError("The direction that the plane's x axis is to take runs along its normal.")
    x = x / np.linalg.norm(x)
    return Plane(floats(origin), x, np.cross(n, x))


def principal_plane(axis: int, through: Array) -> Plane:
    """The plane square to a global axis (0 x, 1 y, 2 z) through a point."""
    return plane_at(through, np.eye(3)[axis])


def plane_by_points(a: Array, b: Array, c: Array) -> Plane:
    """Plane through three points: x axis from the first to the second. Raises `GeometryError` for points in line."""
    a, b, c = floats(a), floats(b), floats(c)
    n = np.cross(b - a, c - a)
    if float(np.linalg.norm(n)) <= 1e-9 * float(np.linalg.norm(b - a) * np.linalg.norm(c - a)):
        raise GeometryError("The three points lie on a line: a plane needs one beside it.")
    return plane_at(a, n, b - a)


def plane_through_line(a: Array, b: Array, degrees: float = 0.0) -> Plane:
    """Plane that holds the line from ``a`` to ``b`` and is turned about it by ``degrees``.

    At 0 it stands as steeply as it can (it holds z as far as the line lets it; for an upright line it holds x).
    """
    a, b = floats(a), floats(b)
    way = b - a
    if float(np.linalg.norm(way)) < 1e-9:
        raise GeometryError("The line has no length: pick two places that are apart.")
    way = way / np.linalg.norm(way)
    up = floats([0.0, 0.0, 1.0]) if abs(way[2]) < 0.999999 else floats([1.0, 0.0, 0.0])
    up = up - (up @ way) * way
    up = up / np.linalg.norm(up)
    angle = np.radians(degrees)
    y = np.cos(angle) * up + np.sin(angle) * np.cross(way, up)
    return Plane(a, way, y)


def circle_centre(a: Array, b: Array, c: Array) -> Array | None:
    """Centre (3,) of the circle through three points; None where they lie on a line."""
    u, v = b - a, c - a
    n = np.cross(u, v)
    area = n @ n
    if area < 1e-12 * (u @ u) * (v @ v) or area == 0:
        return None
    return np.asarray(a + (np.cross(n, u) * (v @ v) + np.cross(v, n) * (u @ u)) / (2 * area))
