"""The curve: frozen B-spline data."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import ArrayLike

from pamble.core.arrays import Array, floats
from pamble.core.errors import GeometryError
from pamble.core.spline import basis


@dataclass(frozen=True, eq=False)
class Curve:
    """B-spline curve of any degree, in space (mm) or in a parameter plane.

    degree: 1 to 25. knots: (n+degree+1,). control: (n, 2 or 3). weights: (n,) positive, or None when polynomial.
    """

    degree: int
    knots: Array
    control: Array
    weights: Array | None = None

    def __post_init__(self) -> None:
        for name in ("knots", "control", "weights"):
            value = getattr(self, name)
            if value is not None:
                frozen = floats(value)
                frozen.setflags(write=False)
                object.__setattr__(self, name, frozen)
        if self.control.ndim != 2 or self.control.shape[1] not in (2, 3):
            raise GeometryError("Control points of a curve are rows of 2 or 3 coordinates.")
        if not np.all(np.isfinite(self.control)):
            raise GeometryError("A control point is not a finite number.")
        basis.check_knots(self.knots, self.degree, len(self.control))
        if self.weights is not None and (self.weights.shape != (len(self.control),) or not np.all(self.weights > 0)):
            raise GeometryError("Weights are one positive number for each control point.")

    @property
    def domain(self) -> tuple[float, float]:
        return float(self.knots[self.degree]), float(self.knots[-self.degree - 1])

    @property
    def spans(self) -> int:
        return basis.span_count(self.knots, self.degree)

    @property
    def homogeneous(self) -> Array:
        """Control points with the weight as last coordinate, (n, d+1), coordinates multiplied by it."""
        w = np.ones(len(self.control)) if self.weights is None else self.weights
        return np.column_stack([self.control * w[:, None], w])

    @staticmethod
    def bezier(control: ArrayLike) -> Curve:
        """One span of degree n-1 on [0, 1]."""
        points = floats(control)
        return Curve(len(points) - 1, basis.uniform_knots(len(points) - 1, 1), points)

    @staticmethod
    def line(start: ArrayLike, end: ArrayLike, domain: tuple[float, float] = (0.0, 1.0)) -> Curve:
        """A straight piece of degree 1."""
        return Curve(1, floats([domain[0], domain[0], domain[1], domain[1]]), np.array([floats(start), floats(end)]))


def from_homogeneous(degree: int, knots: Array, points: Array, rational: bool) -> Curve:
    """Curve from (n, d+1) homogeneous control points."""
    if not rational:
        return Curve(degree, knots, points[:, :-1])
    return Curve(degree, knots, points[:, :-1] / points[:, -1:], points[:, -1])
