"""The surface: frozen tensor-product B-spline data, and its four edges."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike

from pamble.core.arrays import TINY, Array, floats
from pamble.core.errors import GeometryError
from pamble.core.spline import basis
from pamble.core.tolerances import COINCIDENT

EDGES: tuple[str, str, str, str] = ("u0", "u1", "v0", "v1")
"""Lasting names of a natural face's edges: u0 is where u is least, and so on."""

_POINT = 1e-9
"""Share of a surface's size below which one of its sides is a point."""


@dataclass(frozen=True, eq=False)
class Surface:
    """B-spline surface of any degree.

    control: (n, m, 3) in mm, first index along u. knots_u: (n+degree_u+1,), knots_v: (m+degree_v+1,).
    weights: (n, m) positive, or None when polynomial.
    """

    degree_u: int
    degree_v: int
    knots_u: Array
    knots_v: Array
    control: Array
    weights: Array | None = None

    def __post_init__(self) -> None:
        for name in ("knots_u", "knots_v", "control", "weights"):
            value = getattr(self, name)
            if value is not None:
                frozen = floats(value)
                frozen.setflags(write=False)
                object.__setattr__(self, name, frozen)
        if self.control.ndim != 3 or self.control.shape[2] != 3:
            raise GeometryError("Control points of a surface are a grid of points with 3 coordinates.")
        if not np.all(np.isfinite(self.control)):
            raise GeometryError("A control point is not a finite number.")
        basis.check_knots(self.knots_u, self.degree_u, self.control.shape[0])
        basis.check_knots(self.knots_v, self.degree_v, self.control.shape[1])
        if self.weights is not None and (self.weights.shape != self.control.shape[:2] or not np.all(self.weights > 0)):
            raise GeometryError("Weights are one positive number for each control point.")

    @property
    def domain(self) -> tuple[tuple[float, float], tuple[float, float]]:
        """((u start, u end), (v start, v end))."""
        p, q = self.degree_u, self.degree_v
        return (
            (float(self.knots_u[p]), float(self.knots_u[-p - 1])),
            (float(self.knots_v[q]), float(self.knots_v[-q - 1])),
        )

    @property
    def spans(self) -> tuple[int, int]:
        return basis.span_count(self.knots_u, self.degree_u), basis.span_count(self.knots_v, self.degree_v)

    @property
    def homogeneous(self) -> Array:
        """Control points with the weight as last coordinate, (n, m, 4), coordinates multiplied by it."""
        w = np.ones(self.control.shape[:2]) if self.weights is None else self.weights
        return np.concatenate([self.control * w[..., None], w[..., None]], axis=2)

    @cached_property
    def diagonal(self) -> float:
        """Length of the diagonal of the box round the control points, mm."""
        points = self.control.reshape(-1, 3)
        return float(np.linalg.norm(points.max(axis=0) - points.min(axis=0)))

    @cached_property
    def closed(self) -> tuple[bool, bool]:
        """Whether its ends meet along u, and along v, as those of a cylinder do."""
        p = self.homogeneous
        ends = np.abs(p[0] - p[-1]).max(), np.abs(p[:, 0] - p[:, -1]).max()
        return bool(ends[0] < COINCIDENT), bool(ends[1] < COINCIDENT)

    @cached_property
    def poles(self) -> tuple[str, ...]:
        """Those of its sides, "u0", "u1", "v0", "v1", that are a point."""
        size = _POINT * max(self.diagonal, TINY)
        rows = (np.moveaxis(self.control, k // 2, 0)[-(k % 2)] for k in range(4))
        return tuple(side for side, row in zip(EDGES, rows, strict=True) if np.ptp(row, axis=0).max() <= size)

    @staticmethod
    def bezier(control: ArrayLike) -> Surface:
        """One span in each direction, degrees from the size of the grid, on the unit square."""
        points = floats(control)
        p, q = points.shape[0] - 1, points.shape[1] - 1
        return Surface(p, q, basis.uniform_knots(p, 1), basis.uniform_knots(q, 1), points)

    def with_control(self, control: Array) -> Surface:
        """The same surface with other control points."""
        return Surface(self.degree_u, self.degree_v, self.knots_u, self.knots_v, control, self.weights)


def from_homogeneous(degrees: tuple[int, int], knots: tuple[Array, Array], points: Array, rational: bool) -> Surface:
    """Surface from (n, m, 4) homogeneous control points."""
    if not rational:
        return Surface(*degrees, *knots, points[..., :-1])
    return Surface(*degrees, *knots, points[..., :-1] / points[..., -1:], points[..., -1])
