"""Self-crossings of a row of points, and the loops between them cut out."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, IntArray, dot, norm, unit

_PASSING = 0.05
"""How near, as a fraction of the shorter leg, two legs in space pass each other to count as crossing."""


def _flat(points: Array, normal: Array) -> Array:
    x = unit(np.cross(normal, [0.31, 0.62, 0.72])[None])[0]
    return np.column_stack([points @ x, points @ np.cross(normal, x)])


def crossings(points: Array, normal: Array | None) -> tuple[IntArray, Array]:
    """Pairs (k, 2) of legs of a polyline (m, 3) that cross, first leg first, and where on the first leg each does (k,).

    Seen along ``normal``; if that is None, in space: legs that pass each other within a fraction of their lengths.
    """
    flat = points if normal is None else _flat(points, normal)
    a, leg = flat[:-1], np.diff(flat, axis=0)
    rel = a[None] - a[:, None]
    # Nearest places w on the first and v on the second leg: where they cross, if both lie in a plane.
    aa, bb, ab = dot(leg, leg)[:, None], dot(leg, leg)[None, :], leg @ leg.T
    ar, br = np.einsum("ik,ijk->ij", leg, rel), np.einsum("jk,ijk->ij", leg, rel)
    area = aa * bb - ab * ab
    safe = np.where(area > 1e-12 * aa * bb, area, np.inf)
    w, v = (bb * ar - ab * br) / safe, (ab * ar - aa * br) / safe
    hit = (w > 1e-9) & (w < 1 - 1e-9) & (v > 1e-9) & (v < 1 - 1e-9)
    pairs = np.argwhere(np.triu(hit, 2))
    i, j = pairs.T
    apart = norm(rel[i, j] + v[i, j][:, None] * leg[j] - w[i, j][:, None] * leg[i])
    pairs = pairs[apart < _PASSING * np.sqrt(np.minimum(aa[i, 0], bb[0, j]))]
    return pairs, w[pairs[:, 0], pairs[:, 1]]


def without_loops(points: Array, normal: Array | None) -> list[Array]:
    """Pieces of a polyline with the loops between its self-crossings left out."""
    pairs, where = crossings(points, normal)
    pieces, start, first = [], 0, np.zeros((0, 3))
    while True:
        later = np.flatnonzero(pairs[:, 0] >= start)
        if not len(later):
            break
        # Of the crossings on the next leg that has any, the one that leaves out most.
        i = int(pairs[later, 0].min())
        k = later[pairs[later, 0] == i][-1]
        at = points[i] + where[k] * (points[i + 1] - points[i])
        pieces.append(np.vstack([first, points[start : i + 1], at]))
        first, start = at[None], int(pairs[k, 1]) + 1
    pieces.append(np.vstack([first, points[start:]]))
    return [p for p in pieces if float(norm(np.diff(p, axis=0)).sum()) > 1e-6]
