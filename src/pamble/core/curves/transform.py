"""Moved, turned, mirrored and scaled copies of curves and surfaces, and arrays of them."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TypeVar

import numpy as np

from pamble.core.arrays import Array, floats, unit
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface

Shape = TypeVar("Shape", Curve, Surface)


@dataclass(frozen=True)
class Affine:
    """x -> matrix x + shift; matrix (3, 3), shift (3,) mm. B-splines follow by their CVs alone."""

    matrix: Array
    shift: Array

    def then(self, other: Affine) -> Affine:
        """This one first, ``other`` after it."""
        return Affine(other.matrix @ self.matrix, other.matrix @ self.shift + other.shift)

    def apply(self, shape: Shape) -> Shape:
        """The moved shape."""
        control = shape.control @ self.matrix.T + self.shift
        if isinstance(shape, Curve):
            return Curve(shape.degree, shape.knots, control, shape.weights)
        return shape.with_control(control)


def translation(shift: Array) -> Affine:
    """Move by a vector, mm."""
    return Affine(np.eye(3), floats(shift))


def _about(matrix: Array, pivot: Array) -> Affine:
    p = floats(pivot)
    return Affine(matrix, p - matrix @ p)


def rotation(axis: Array, degrees: float, pivot: Array) -> Affine:
    """Turn about an axis through ``pivot`` (Rodrigues' formula)."""
    a = unit(floats(axis)[None])[0]
    if not np.any(a):
        raise GeometryError("A turn needs an axis that is not zero.")
    k = np.array([[0, -a[2], a[1]], [a[2], 0, -a[0]], [-a[1], a[0], 0]])
    t = np.radians(degrees)
    return _about(np.eye(3) + np.sin(t) * k + (1 - np.cos(t)) * (k @ k), pivot)


def mirror(normal: Array, point: Array) -> Affine:
    """Mirror at a plane."""
    n = unit(floats(normal)[None])[0]
    if not np.any(n):
        raise GeometryError("A mirror plane needs a normal that is not zero.")
    return _about(np.eye(3) - 2 * np.outer(n, n), point)


def scaling(factors: tuple[float, float, float], pivot: Array) -> Affine:
    """Scale along the three axes freely."""
    if min(abs(f) for f in factors) < 1e-9:
        raise GeometryError("A scale of zero would flatten the shape.")
    return _about(np.diag(floats(factors)), pivot)
