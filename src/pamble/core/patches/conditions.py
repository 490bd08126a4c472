"""Conditions on a patch beside its neighbours: it contains curves, passes points, stands square to a plane, holds
CVs."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

import numpy as np

from pamble.core.arrays import TINY, Array, BoolArray, IntArray, cross, dot, floats, norm, unit
from pamble.core.patches.solve import Rows
from pamble.core.patches.space import Patch

_JOINT, _JOINT_ANGLE, _JOINT_BEND = 1e-4, 0.002, 0.002
"""Aims where a patch comes round: mm; degrees; share of its size, for the second derivative."""

Way = Literal["u", "v"]
"""One of the directions of a patch."""

WEIGHT = 3.0
"""Root of the weight of a whole condition; it is shared by its samples."""


def spread(columns: Array, vectors: Array) -> Array:
    """Rows (m, 3 k) that take a vector's component (m, 3) of a combination (m, k) of control points."""
    return (columns[:, :, None] * vectors[:, None, :]).reshape(len(vectors), -1)


def used(*columns: Array) -> IntArray:
    """Control points on which functions depend."""
    return np.flatnonzero(np.any([np.abs(c).max(axis=0) > 1e-13 for c in columns], axis=0))


def side_places(patch: Patch, side: str, least: int) -> tuple[Array, Array, Array]:
    """u, v and the share along a side of a patch, (m,): Gauss places, at least so many, with both ends."""
    space = patch.u if side[0] == "v" else patch.v
    s = space.places
    if len(s) < least:
        x, _ = np.polynomial.legendre.leggauss(least)
        s = np.concatenate([[0.0], 0.5 * (1 + x), [1.0]])
    level = np.full(len(s), float(side[1]))
    return (s, level, s) if side[0] == "v" else (level, s, s)


def ends_of(s: Array) -> BoolArray:
    """Which shares are ends."""
    return np.asarray((s < 1e-9) | (s > 1 - 1e-9))


@dataclass
class Contains:
    """Points (m, 3) of a curve lie on the patch at ``uv`` (m, 2).

    along: 0 or 1 where the curve is the iso-line on which u or v runs: feet slide along it, and the distance across the
    curve counts, with its unit tangents (m, 3). None: feet are free and the distance along the normal counts.
    fixed: points and parameters belong together. around: u runs on over its end. tolerance: mm, one or (m,).
    """

    points: Array
    uv: Array
    tangents: Array | None = None
    along: int | None = None
    tolerance: float | Array = 0.002
    fixed: bool = False
    around: bool = False
    slack: float = 0.5
    name: str = "curve"

    def rows(self, patch: Patch, control: Array) -> Rows:
        m = len(self.points)
        if not self.fixed:
            new = patch.feet(control, self.points, self.uv, self.along, around=self.around)
            if self.along is not None:
                rim = ends_of(self.uv[:, self.along])
                new[rim] = self.uv[rim]
            self.uv = new
        columns = patch.columns(self.uv[:, 0], self.uv[:, 1], 1)
        ids = used(columns[0, 0])
        b = columns[0, 0][:, ids]
        gap = self.points - b @ control[ids]
        weight = WEIGHT / np.sqrt(m) / (np.ones(m) * self.tolerance)
        if self.fixed:
            matrix = np.vstack([spread(b, np.tile(e, (m, 1))) * weight[:, None] for e in np.eye(3)])
            right = np.concatenate([gap[:, c] * weight for c in range(3)])
            return Rows(ids, matrix, right, float((norm(gap) / self.tolerance).max()))
        if self.along is None:
            du, dv = columns[1, 0] @ control, columns[0, 1] @ control
            n = unit(cross(du, dv))
            rows, gaps = [spread(b, n)], [dot(n, gap)]
            # What has its foot on a side lies beyond it, or ends there: the side comes to it.
            for k, along in ((1, du),) if self.around else ((0, dv), (1, du)):
                out = unit(cross(n, along)) * ends_of(self.uv[:, k])[:, None]
                rows.append(spread(b, out))
                gaps.append(dot(out, gap))
            worst = max(float((np.abs(x) / self.tolerance).max()) for x in gaps)
            each = [row * weight[:, None] for row in rows]
            return Rows(ids, np.vstack(each), np.concatenate([x * weight for x in gaps]), worst)
        assert self.tangents is not None
        t = self.tangents
        first = unit(cross(t, np.roll(t, 1, axis=1) + 0.3))
        second = cross(t, first)
        rim = ends_of(self.uv[:, self.along])
        loose = np.where(rim, weight * np.sqrt(m) / WEIGHT, WEIGHT / np.sqrt(m) / self.slack)
        ways = ((first, weight), (second, weight), (t, loose))
        matrix = np.vstack([spread(b, d) * w[:, None] for d, w in ways])
        right = np.concatenate([dot(d, gap) * w for d, w in ways])
        off = np.hypot(dot(first, gap), dot(second, gap))
        return Rows(ids, matrix, right, float((off / self.tolerance).max()))


def passes(point: Array, uv: Array, tolerance: float = 0.01) -> Contains:
    """The patch passes a point (3,), near the parameters (2,)."""
    return Contains(point[None], uv[None], tolerance=tolerance, name="point")


@dataclass
class Closes:
    """The side u1 comes round to u0, or v1 to v0, derivatives across alike up to an order (0 to 2)."""

    order: int
    along: Way = "u"
    name: str = "joint"

    def rows(self, patch: Patch, control: Array) -> Rows:
        one, other = (patch.u, patch.v) if self.along == "u" else (patch.v, patch.u)
        size = patch.sizes(control)[0 if self.along == "u" else 1]
        tolerances = np.array([_JOINT, np.radians(_JOINT_ANGLE) * size, _JOINT_BEND * size])[: self.order + 1]
        ends = one.matrix(np.array([0.0, 1.0]), 2)[: self.order + 1]
        apart = (ends[:, 1] - ends[:, 0]) / tolerances[:, None]
        lines = np.flatnonzero(np.abs(apart).max(axis=0) > 0)
        rows = np.kron(apart[:, lines], np.eye(other.count))
        grid = np.arange(patch.count).reshape(patch.u.count, patch.v.count)
        ids = (grid[lines] if self.along == "u" else grid[:, lines].T).ravel()
        right = -(rows @ control[ids])
        return Rows(ids, floats(np.kron(rows, np.eye(3))), right.ravel(), float(np.abs(right).max()))


@dataclass
class Square:
    """The patch leaves a side square to a plane with a normal (3,): its mirror image goes on from it with G1, and, as
    the patch is smooth, with G2.

    angle: tolerance, degrees.
    """

    side: str
    normal: Array
    angle: float = 0.003
    name: str = "square"

    def rows(self, patch: Patch, control: Array) -> Rows:
        u, v, s = side_places(patch, self.side, 12)
        columns = patch.columns(u, v, 1)
        along, across = (columns[1, 0], columns[0, 1]) if self.side[0] == "v" else (columns[0, 1], columns[1, 0])
        ids = used(across)
        d, x = across[:, ids], control[ids]
        lean = unit(cross(np.tile(self.normal, (len(s), 1)), unit(along @ control)))
        weight = WEIGHT / np.sqrt(len(s)) / (np.radians(self.angle) * norm(d @ x))
        right = -dot(lean, d @ x) * weight
        return Rows(
            ids, spread(d, lean) * weight[:, None], right, float(np.abs(right).max() * np.sqrt(len(s)) / WEIGHT)
        )


@dataclass
class Flat:
    """A side lies in a point (3,), which the patch leaves square to a normal (3,): it is smooth in its pole.

    tolerance: of the point, mm; angle: of the normal, degrees.
    """

    side: str
    point: Array
    normal: Array
    tolerance: float = 1e-3
    angle: float = 0.05
    name: str = "pole"

    def rows(self, patch: Patch, control: Array) -> Rows:
        numbers = np.arange(patch.count).reshape(patch.u.count, patch.v.count)
        numbers = numbers if self.side[0] == "u" else numbers.T
        pole, beside = (numbers[0], numbers[1]) if self.side[1] == "0" else (numbers[-1], numbers[-2])
        k, ids = len(pole), np.concatenate([pole, beside])
        off, arm = self.point - control[pole], control[beside] - self.point
        lean = 1.0 / (np.radians(self.angle) * np.maximum(norm(arm), TINY))
        matrix = np.zeros((4 * k, 3 * len(ids)))
        matrix[: 3 * k, : 3 * k] = np.eye(3 * k) / self.tolerance
        matrix[3 * k :, 3 * k :] = spread(np.eye(k), np.tile(self.normal, (k, 1))) * lean[:, None]
        right = np.concatenate([off.ravel() / self.tolerance, -(arm @ self.normal) * lean])
        return Rows(ids, matrix, right, float(np.abs(right).max()))


@dataclass
class Holds:
    """Control points ``ids`` (k,) stay at ``points`` (k, 3) within a tolerance, mm."""

    ids: IntArray
    points: Array
    tolerance: float = 1e-3
    name: str = "held"

    def rows(self, patch: Patch, control: Array) -> Rows:
        right = (self.points - control[self.ids]) / self.tolerance
        matrix = np.full(3 * len(self.ids), 1 / self.tolerance)
        return Rows(self.ids, matrix, right.ravel(), float(np.abs(right).max(initial=0.0)))
