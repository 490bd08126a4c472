"""Rows of control points fitted to what a neighbour asks for: position, direction, bend, change of bend.

Each row is a spline along the edge, found by weighted linear least squares: one equation per sample and
direction, divided by its tolerance. The conditions that make a seam smooth only bind the component along the
neighbour's normal; the rest is held loosely near its target and is spent on meeting them with few spans.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np
from scipy.linalg import null_space
from scipy.linalg.lapack import dpotrf, dpotrs

from pamble.core.arrays import Array, floats
from pamble.core.spline import basis

SLOPE = np.radians(0.002)
"""Aim for the slope of a row against the tangent plane, radians."""

BEND = 0.002
"""Aim for the second and third order conditions, relative to the curvature."""

NARROW = 3e-5
"""Share of a row below which a span between two kinks is too narrow to bend."""

CLOSING = 3
"""Order to which a closed row meets its own start: its joint is as smooth as the best seam."""


@dataclass(frozen=True)
class RowSpace:
    """The spline space of the rows with its samples: basis values and slopes (m, n), sample parameters (m,).

    joint: (n, k) turns k free numbers into control points of a row: one that closes smoothly on itself where it is
    closed, straight in spans between two kinks that are too narrow to bend; None where all are free.
    """

    degree: int
    knots: Array
    s: Array
    values: Array
    slopes: Array
    joint: Array | None = None
    closed: bool = False

    @property
    def count(self) -> int:
        return len(self.knots) - self.degree - 1


def row_space(degree: int, knots: Array, closed: bool = False, closing: int = CLOSING) -> RowSpace:
    """Samples: Gauss points of every span, at least 4 for each control point in all, plus both ends.

    A closed space holds rows whose end meets their start with equal derivatives to the order ``closing`` (one less than
    the degree if that is lower).
    """
    return _row_space(degree, np.asarray(knots, dtype=np.float64).tobytes(), closed, closing)


@lru_cache(maxsize=128)
def _row_space(degree: int, key: bytes, closed: bool, closing: int) -> RowSpace:
    knots = np.frombuffer(key)
    points = basis.breaks(knots, degree)
    spans, count = len(points) - 1, len(knots) - degree - 1
    each = max(degree + 2, -(-max(16, 4 * count) // spans))
    x, _ = np.polynomial.legendre.leggauss(each)
    s = (0.5 * (points[:-1, None] + points[1:, None]) + 0.5 * np.diff(points)[:, None] * x).ravel()
    s = np.concatenate([[points[0]], s, [points[-1]]])
    values, slopes = basis.matrix(knots, degree, s, 1)
    joint = _straight(knots, degree)
    if closed:
        ends = basis.matrix(knots, degree, points[[0, -1]], min(closing, degree - 1))
        own = ends[:, 1] - ends[:, 0]
        joint = null_space(own) if joint is None else joint @ null_space(own @ joint)
    return RowSpace(degree, knots, s, values, slopes, joint, closed)


def _straight(knots: Array, degree: int) -> Array | None:
    """What turns free numbers into control points that lie on a line in each narrow span between two kinks, (n, k);
    None where there is no such span.
    """
    at, many = np.unique(knots, return_counts=True)
    narrow = np.flatnonzero((np.diff(at) < NARROW * (at[-1] - at[0])) & (many[:-1] >= degree) & (many[1:] >= degree))
    if not len(narrow):
        return None
    out, first = np.eye(len(knots) - degree - 1), np.cumsum(many) - degree - 1
    inner = list[int]()
    for k in first[narrow].tolist():
        share = np.arange(1, degree)[:, None] / degree
        out[k + 1 : k + degree] = (1 - share) * out[k] + share * out[k + degree]
        inner += range(k + 1, k + degree)
    return np.delete(out, inner, axis=1)


@dataclass(frozen=True)
class Condition:
    """sum over i of design[k, i] * (direction[k] . P_i) = target[k], each divided by tolerance[k].

    design is (m, n) and the same for all rows that are solved together; the others have the axis of those rows first.
    """

    design: Array
    direction: Array
    target: Array
    tolerance: Array


def solve_row(space: RowSpace, conditions: list[Condition], first: Array | None, last: Array | None) -> Array:
    """Control points (..., n, 3) of one row or of several alike; ``first`` and ``last`` (..., 3) fix end points exactly
    unless rows are closed.
    """
    n = space.count if space.joint is None else space.joint.shape[1]
    scale = 1.0 / np.concatenate([c.tolerance for c in conditions], axis=-1)
    design = np.concatenate([c.design for c in conditions])
    design = design if space.joint is None else design @ space.joint
    direction = np.concatenate([c.direction for c in conditions], axis=-2) * scale[..., None]
    rows = scale.shape[:-1]
    a = (design[:, :, None] * direction[..., None, :]).reshape(*scale.shape, 3 * n)
    b = np.concatenate([c.target for c in conditions], axis=-1) * scale
    if space.joint is not None and space.closed:
        return np.asarray(space.joint @ _least_squares(a, b).reshape(*rows, n, 3))
    x = np.zeros((*rows, 3 * n))
    free = slice(0 if first is None else 3, 3 * n if last is None else 3 * n - 3)
    if first is not None:
        x[..., :3] = first
    if last is not None:
        x[..., -3:] = last
    if first is not None or last is not None:
        b = b - np.matmul(a, x[..., None])[..., 0]
    x[..., free] = _least_squares(a[..., free], b)
    x = x.reshape(*rows, n, 3)
    return x if space.joint is None else np.asarray(space.joint @ x)


def _least_squares(a: Array, b: Array) -> Array:
    """Normal equations, scaled, with two refinement steps on the true residual; a: (..., m, n), b: (..., m)."""
    scale = 1.0 / np.sqrt(np.einsum("...ij,...ij->...j", a, a))
    a = a * scale[..., None, :]
    if a.ndim == 2:
        return floats(_solved(a, b) * scale)
    return floats(np.array([_solved(*one) for one in zip(a, b, strict=True)]) * scale)


def _solved(a: Array, b: Array) -> Array:
    normal = a.T @ a
    normal.ravel()[:: len(normal) + 1] += 1e-13
    factor, failed = dpotrf(normal)
    if failed:
        return np.asarray(np.linalg.lstsq(a, b, rcond=None)[0])
    x = dpotrs(factor, a.T @ b)[0]
    for _ in range(2):
        x += dpotrs(factor, a.T @ (b - a @ x))[0]
    return np.asarray(x)
