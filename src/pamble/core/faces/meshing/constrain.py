"""A Delaunay triangulation made to hold given edges: what each missing edge crosses is taken out and refilled.

Source: Anglada, An improved incremental algorithm for constructing restricted Delaunay triangulations, Computers and
Graphics 21 (1997); from memory.
"""

from __future__ import annotations

import numpy as np
from scipy.spatial import Delaunay

from pamble.core.arrays import Array, IntArray

_FLAT = 1e-10
"""Twice the area over the square of the longest side below which a triangle has no orientation."""


def twice_area(p: Array, a: IntArray, b: IntArray, c: IntArray) -> Array:
    """Twice the signed area of triangles of points ``p`` (n, 2)."""
    return np.asarray((p[b, 0] - p[a, 0]) * (p[c, 1] - p[a, 1]) - (p[b, 1] - p[a, 1]) * (p[c, 0] - p[a, 0]))


def edge_keys(edges: IntArray, count: int) -> IntArray:
    """A number for each undirected edge (k, 2) between ``count`` points."""
    return np.asarray(np.minimum(edges[:, 0], edges[:, 1]) * count + np.maximum(edges[:, 0], edges[:, 1]))


def sides_of(triangles: IntArray) -> IntArray:
    """The three sides of all triangles, (3 k, 2): all first ones, all second ones, all third ones."""
    return np.vstack([triangles[:, [0, 1]], triangles[:, [1, 2]], triangles[:, [2, 0]]])


def delaunay(p: Array) -> IntArray:
    """Delaunay triangles of points (n, 2), counter-clockwise, without the flat ones on the hull."""
    triangles = _without_flat(p, Delaunay(p).simplices.astype(np.intp))
    turned = twice_area(p, *triangles.T) < 0
    triangles[turned] = triangles[turned][:, [0, 2, 1]]
    return triangles


def _without_flat(p: Array, triangles: IntArray) -> IntArray:
    """Points of a straight side that rounding has put a hair inside make triangles whose orientation means nothing."""
    while True:
        corners = p[triangles]
        side = corners[:, [1, 2, 0]] - corners
        square = (side * side).sum(axis=2)
        area = np.abs(side[:, 0, 0] * side[:, 1, 1] - side[:, 0, 1] * side[:, 1, 0])
        flat = np.flatnonzero(area < _FLAT * square.max(axis=1))
        if not len(flat):
            return triangles
        _, inverse, count = np.unique(edge_keys(sides_of(triangles), len(p)), return_inverse=True, return_counts=True)
        longest = square[flat].argmax(axis=1)
        out = flat[count[inverse[longest * len(triangles) + flat]] == 1]
        if not len(out):
            return triangles
        triangles = np.delete(triangles, out, axis=0)


def with_edges(p: Array, triangles: IntArray, edges: IntArray) -> IntArray | None:
    """The triangulation changed to hold all ``edges`` (k, 2); None where one runs through a point."""
    have = np.unique(edge_keys(sides_of(triangles), len(p)))
    wanted = edge_keys(edges, len(p))
    at = np.minimum(np.searchsorted(have, wanted), len(have) - 1)
    missing = edges[have[at] != wanted]
    return _Mesh(p, triangles).holding(missing) if len(missing) else triangles


class _Mesh:
    """Triangles as a map from each directed side to the corner on its left, for the few that are changed by hand."""

    def __init__(self, p: Array, triangles: IntArray) -> None:
        self.x: list[float] = p[:, 0].tolist()
        self.y: list[float] = p[:, 1].tolist()
        self.opposite: dict[tuple[int, int], int] = {}
        self.star: dict[int, set[int]] = {}
        for a, b, c in triangles.tolist():
            self._add(a, b, c)

    def _add(self, a: int, b: int, c: int) -> None:
        self.opposite[a, b], self.opposite[b, c], self.opposite[c, a] = c, a, b
        for corner in (a, b, c):
            self.star.setdefault(corner, set()).update((a, b, c))

    def _side(self, a: int, b: int, c: int) -> float:
        x, y = self.x, self.y
        return (x[b] - x[a]) * (y[c] - y[a]) - (y[b] - y[a]) * (x[c] - x[a])

    def holding(self, edges: IntArray) -> IntArray | None:
        for a, b in edges.tolist():
            if (a, b) not in self.opposite and (b, a) not in self.opposite and not self._force(a, b):
                return None
        return np.array([(a, b, c) for (a, b), c in self.opposite.items() if a < b and a < c], dtype=np.intp)

    def _force(self, a: int, b: int) -> bool:
        first = self._first_crossed(a, b)
        if first is None:
            return False
        u, v = first
        right, left, gone = [u], [v], [(a, u, v)]
        while True:
            w = self.opposite.get((v, u))
            if w is None:
                return False
            gone.append((v, u, w))
            if w == b:
                break
            side = self._side(a, b, w)
            if side > 0:
                left.append(w)
                v = w
            elif side < 0:
                right.append(w)
                u = w
            else:
                return False
        for x, y, z in gone:
            for edge in ((x, y), (y, z), (z, x)):
                self.opposite.pop(edge, None)
        self._fill(right, a, b)
        self._fill(left, a, b)
        return True

    def _first_crossed(self, a: int, b: int) -> tuple[int, int] | None:
        for u in self.star.get(a, ()):
            v = self.opposite.get((a, u)) if u != a else None
            if v is None or self.opposite.get((u, v)) != a:
                continue
            if self._side(a, b, u) < 0 < self._side(a, b, v) and self._side(u, v, b) < 0:
                return u, v
        return None

    def _fill(self, chain: list[int], a: int, b: int) -> None:
        """Triangulate the pocket between the edge a-b and the chain of points beside it."""
        if not chain:
            return
        k = 0
        for i in range(1, len(chain)):
            if self._in_circle(a, b, chain[k], chain[i]) > 0:
                k = i
        c = chain[k]
        self._fill(chain[:k], a, c)
        self._fill(chain[k + 1 :], c, b)
        self._add(*((a, b, c) if self._side(a, b, c) > 0 else (a, c, b)))

    def _in_circle(self, a: int, b: int, c: int, d: int) -> float:
        """Positive when d lies in the circle through a, b and c."""
        (ax, ay), (bx, by), (cx, cy) = ((self.x[i] - self.x[d], self.y[i] - self.y[d]) for i in (a, b, c))
        det = (
            (ax * ax + ay * ay) * (bx * cy - cx * by)
            - (bx * bx + by * by) * (ax * cy - cx * ay)
            + (cx * cx + cy * cy) * (ax * by - bx * ay)
        )
        return det if self._side(a, b, c) > 0 else -det
