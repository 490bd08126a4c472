"""Whether parameters lie inside a face's trim loops."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, BoolArray
from pamble.core.faces.face import Edge, Face
from pamble.core.spline import basis
from pamble.core.spline.evaluate import curve_points

_EACH = 24
"""Sides of the polygon that stands for a span of a trim curve."""


def inside(face: Face, u: Array, v: Array) -> BoolArray:
    """For parameters (m,) whether they lie in the trimmed region, by counting crossings of the loops (even-odd rule).

    A natural face holds all of its domain. Trim curves are taken as chains of chords, good for a hundredth of a span.
    """
    if face.natural:
        return np.ones(len(u), dtype=bool)
    sides = []
    for loop in face.loops:
        chain = np.vstack([_chain(edge) for edge in loop])
        sides.append(np.stack([chain, np.roll(chain, -1, axis=0)], axis=1))
    a, b = np.concatenate(sides).transpose(1, 0, 2)
    spans = (a[None, :, 1] > v[:, None]) != (b[None, :, 1] > v[:, None])
    rise = np.where(b[:, 1] == a[:, 1], 1.0, b[:, 1] - a[:, 1])
    at = a[None, :, 0] + (v[:, None] - a[None, :, 1]) / rise * (b[:, 0] - a[:, 0])
    return np.asarray(np.sum(spans & (at > u[:, None]), axis=1) % 2 == 1)


def _chain(edge: Edge) -> Array:
    """Points of an edge's trim curve in the order in which the loop is run through, the last one left out."""
    p = edge.pcurve
    breaks = basis.breaks(p.knots, p.degree)
    t = np.append((breaks[:-1, None] + np.diff(breaks)[:, None] * np.arange(_EACH) / _EACH).ravel(), breaks[-1])
    points = curve_points(p, t)
    return points[:-1] if edge.inward > 0 else points[::-1][:-1]
