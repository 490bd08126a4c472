"""The first search for an intersection: triangles of both surfaces are intersected, and the segments chained.

Every node of a chain is an edge of one mesh that runs through a triangle of the other, named by both: chaining is a
matter of numbers, not of distances. One surface is shifted by a hair, so that nothing lies exactly on anything.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import shapely
from scipy.sparse import coo_array
from scipy.sparse.csgraph import breadth_first_order, connected_components

from pamble.core.arrays import Array, BoolArray, IntArray, cross, dot, norm
from pamble.core.faces.crossing.stations import Lost
from pamble.core.spline import basis
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.surface import Surface

_STEPS = (32, 96)
"""Steps of a grid along each direction, at least and at most; eight a span between."""

SHORT = 1e-4
"""Length of a chain, as a fraction of the smaller surface, below which it is a corner that is only touched."""

_MOST = 1_500_000
"""Pairs of triangles that may meet, above which the surfaces lie too close to each other for too long."""

_HAIR = np.array([0.31, 0.57, 0.76]) * 1e-7
"""By how much of its size one surface is shifted."""


@dataclass(frozen=True)
class Chain:
    """A run of places near an intersection. q: (k, 4) uA vA uB vB; point: (k, 3); loop: whether it closes."""

    q: Array
    point: Array
    loop: bool


@dataclass(frozen=True)
class _Mesh:
    """points, uv by vertex; triangles (t, 3) and the numbers of their sides (t, 3); sides (s, 2), lower number first;
    low, high: boxes of the cells, two triangles each, in the order of the triangles.
    """

    points: Array
    uv: Array
    triangles: IntArray
    side: IntArray
    sides: IntArray
    low: Array
    high: Array


def _lines(knots: Array, degree: int, finer: float) -> Array:
    breaks = basis.breaks(knots, degree)
    wanted = np.clip(8 * (len(breaks) - 1), *_STEPS) * finer
    share = np.maximum(1, np.round(wanted * np.diff(breaks) / (breaks[-1] - breaks[0]))).astype(np.intp)
    parts = [np.linspace(a, b, n, endpoint=False) for a, b, n in zip(breaks[:-1], breaks[1:], share, strict=True)]
    return np.append(np.concatenate(parts), breaks[-1])


def _mesh(surface: Surface, finer: float, shift: Array) -> _Mesh:
    us = _lines(surface.knots_u, surface.degree_u, finer)
    vs = _lines(surface.knots_v, surface.degree_v, finer)
    grid = surface_grid(surface, us, vs)[0, 0] + shift
    n, m = len(us), len(vs)
    number = np.arange(n * m).reshape(n, m)
    a, b, c, d = (x.ravel() for x in (number[:-1, :-1], number[1:, :-1], number[1:, 1:], number[:-1, 1:]))
    along_u = np.column_stack([number[:-1].ravel(), number[1:].ravel()])
    along_v = np.column_stack([number[:, :-1].ravel(), number[:, 1:].ravel()])
    id_u = np.arange(len(along_u)).reshape(n - 1, m)
    id_v = len(along_u) + np.arange(len(along_v)).reshape(n, m - 1)
    id_d = len(along_u) + len(along_v) + np.arange(len(a))
    # Both halves of a cell share the diagonal from its first to its third corner.
    triangles = np.stack([np.column_stack([a, b, c]), np.column_stack([a, c, d])], axis=1).reshape(-1, 3)
    first = np.column_stack([id_u[:, :-1].ravel(), id_v[1:].ravel(), id_d])
    second = np.column_stack([id_d, id_u[:, 1:].ravel(), id_v[:-1].ravel()])
    side = np.stack([first, second], axis=1).reshape(-1, 3)
    corners = grid.reshape(-1, 3)[np.column_stack([a, b, c, d])]
    uv = np.stack(np.meshgrid(us, vs, indexing="ij"), axis=-1).reshape(-1, 2)
    sides = np.vstack([along_u, along_v, np.column_stack([a, c])])
    return _Mesh(grid.reshape(-1, 3), uv, triangles, side, sides, corners.min(axis=1), corners.max(axis=1))


def search(a: Surface, b: Surface, finer: float = 1.0) -> list[Chain]:
    """Runs near which the surfaces meet, each ordered along itself; empty if they do not meet.

    finer: factor on the density of the grids. Loops smaller than a cell are not seen. Raises `Lost` where too much of
    both lies side by side.
    """
    size = max(a.diagonal, b.diagonal)
    ma, mb = _mesh(a, finer, np.zeros(3)), _mesh(b, finer, _HAIR * size)
    ta, tb = _near(ma, mb)
    if not len(ta):
        return []
    if len(ta) > _MOST:
        raise Lost("they run along each other")
    # Nodes: a side of A through a triangle of B, then a side of B through a triangle of A.
    nodes_a, q_a = _through(ma, mb, ta, tb)
    nodes_b, q_b = _through(mb, ma, tb, ta)
    q = np.vstack([q_a, q_b[:, [2, 3, 0, 1]]])
    if len(q) < 2:
        return []
    number_a, number_b = _numbers(nodes_a, ma, ta, tb, mb), _numbers(nodes_b, mb, tb, ta, ma)
    found = np.hstack([number_a, np.where(number_b >= 0, number_b + len(q_a), -1)])
    pair = found[(found >= 0).sum(axis=1) == 2]
    ends = np.sort(pair, axis=1)[:, -2:]
    points = np.vstack([nodes_a.point, nodes_b.point])
    return [_chain(q, points, order, loop) for order, loop in _ordered(ends, len(q))]


def count_chains(a: Surface, b: Surface) -> int:
    """How many runs there are, corners that are only touched left out: enough to see that one has appeared."""
    least = SHORT * min(a.diagonal, b.diagonal)
    return sum(float(norm(np.diff(c.point, axis=0)).sum()) > least for c in search(a, b))


def _near(a: _Mesh, b: _Mesh) -> tuple[IntArray, IntArray]:
    """Pairs of triangles whose cells' boxes overlap."""
    low, high = np.maximum(a.low.min(axis=0), b.low.min(axis=0)), np.minimum(a.high.max(axis=0), b.high.max(axis=0))
    if np.any(low > high):
        return np.zeros(0, dtype=np.intp), np.zeros(0, dtype=np.intp)
    x, y, z = np.argsort(high - low)[::-1]
    own = [np.flatnonzero(np.all((m.low <= high) & (m.high >= low), axis=1)) for m in (a, b)]
    boxes = [
        shapely.box(m.low[i, x], m.low[i, y], m.high[i, x], m.high[i, y]) for m, i in zip((a, b), own, strict=True)
    ]
    i, j = shapely.STRtree(boxes[1]).query(boxes[0])
    i, j = own[0][i], own[1][j]
    over = (a.low[i, z] <= b.high[j, z]) & (a.high[i, z] >= b.low[j, z])
    i, j = i[over], j[over]
    half = np.array([[0, 0], [0, 1], [1, 0], [1, 1]])
    return (2 * i[:, None] + half[:, 0]).ravel(), (2 * j[:, None] + half[:, 1]).ravel()


@dataclass(frozen=True)
class _Nodes:
    """Sides of one mesh that run through triangles of the other, by number side * triangles + triangle, sorted."""

    key: IntArray
    point: Array


def _through(a: _Mesh, b: _Mesh, ta: IntArray, tb: IntArray) -> tuple[_Nodes, Array]:
    """Where sides of A's triangles run through B's: the nodes, and their parameters on A, then on B, (k, 4)."""
    many = len(b.triangles)
    key = np.unique(a.side[ta] * many + tb[:, None])
    side, triangle = key // many, key % many
    p, q = a.points[a.sides[side, 0]], a.points[a.sides[side, 1]]
    corners = b.triangles[triangle]
    volume = np.empty((len(key), 3))
    for k in range(3):
        i, j = corners[:, k], corners[:, (k + 1) % 3]
        # A side that two triangles share is looked at the same way from both: no line slips between them.
        swap = i > j
        lo, hi = np.where(swap, j, i), np.where(swap, i, j)
        sign = np.where(swap, -1.0, 1.0)
        volume[:, k] = sign * dot(cross(q - p, b.points[lo] - p), b.points[hi] - p)
    x = b.points[corners]
    normal = cross(x[:, 1] - x[:, 0], x[:, 2] - x[:, 0])
    hp, hq = dot(normal, p - x[:, 0]), dot(normal, q - x[:, 0])
    good = (hp * hq < 0) & ((volume > 0).all(axis=1) | (volume < 0).all(axis=1))
    key, side, corners, volume = key[good], side[good], corners[good], volume[good]
    share = (hp[good] / (hp[good] - hq[good]))[:, None]
    weight = volume[:, [1, 2, 0]] / volume.sum(axis=1, keepdims=True)
    own = a.uv[a.sides[side, 0]] * (1 - share) + a.uv[a.sides[side, 1]] * share
    held = a.uv[a.sides[side, 0]] == a.uv[a.sides[side, 1]]
    own = np.where(held, a.uv[a.sides[side, 0]], own)
    other = np.einsum("mk,mkd->md", weight, b.uv[corners])
    return _Nodes(key, (1 - share) * p[good] + share * q[good]), np.hstack([own, other])


def _numbers(nodes: _Nodes, a: _Mesh, ta: IntArray, tb: IntArray, b: _Mesh) -> IntArray:
    """For every pair of triangles the numbers of its nodes on the three sides of A's, -1 where there is none."""
    if not len(nodes.key):
        return np.full((len(ta), 3), -1, dtype=np.intp)
    wanted = a.side[ta] * len(b.triangles) + tb[:, None]
    at = np.minimum(np.searchsorted(nodes.key, wanted), len(nodes.key) - 1)
    return np.where(nodes.key[at] == wanted, at, -1)


def _ordered(ends: IntArray, count: int) -> list[tuple[IntArray, bool]]:
    """Chains of nodes in order; a loop begins anywhere."""
    graph = coo_array((np.ones(len(ends)), (ends[:, 0], ends[:, 1])), shape=(count, count)).tocsr()
    graph = graph + graph.T
    degree = np.bincount(ends.ravel(), minlength=count)
    total, label = connected_components(graph, directed=False)
    out = []
    for c in range(total):
        own = np.flatnonzero(label == c)
        if len(own) < 2:
            continue
        tips = own[degree[own] == 1]
        loop = not len(tips)
        if loop:
            # Cut open beside the first node, so that the order runs once round.
            begin = int(own[0])
            cut = graph.tolil()
            last = int(graph[[begin]].indices[0])
            cut[begin, last] = cut[last, begin] = 0
            order = breadth_first_order(cut.tocsr(), begin, directed=False, return_predecessors=False)
        else:
            order = breadth_first_order(graph, int(tips[0]), directed=False, return_predecessors=False)
        out.append((order.astype(np.intp), loop))
    return out


def _chain(q: Array, points: Array, order: IntArray, loop: bool) -> Chain:
    keep: BoolArray = np.append(True, norm(np.diff(points[order], axis=0)) > 1e-9)
    order = order[keep]
    return Chain(q[order], points[order], loop)
