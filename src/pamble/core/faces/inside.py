"""Whether parameters lie inside a face's trim loops."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, BoolArray, IntArray
from pamble.core.curves.stretches import stretches
from pamble.core.faces.face import Edge, Face
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points

_EACH = 24
"""Sides of the polygon that stands for a span of a trim curve, until a crossing is found on the curve itself."""

_ACROSS = 25
_ASKED = 201
"""Places along a curve at which it is asked whether the face reaches there."""


def inside(face: Face, u: Array, v: Array) -> BoolArray:
    """For parameters (m,) whether they lie in the trimmed region, by counting crossings of the loops (even-odd rule).

    A natural face holds all of its domain. Which sides of a polygon along the trim curves a ray crosses is counted;
    where it crosses is found on the curves themselves by Newton steps.
    """
    if face.natural:
        return np.ones(len(u), dtype=bool)
    crossings = np.zeros(len(u), dtype=np.intp)
    for loop in face.loops:
        for edge in loop:
            crossings += _crossings(edge, u, v)
        # At a pole a loop runs on without an edge in space: straight from the end of one edge to the start of the next.
        ends = np.stack([curve_points(e.pcurve, e.domain)[:: int(e.inward)] for e in loop])
        crossings += _straight_crossings(ends[:, 1], np.roll(ends[:, 0], -1, axis=0), u, v)
    return np.asarray(crossings % 2 == 1)


def inner_place(face: Face) -> tuple[float, float]:
    """Parameters of a place on a face, in its middle where it reaches there."""
    shares = np.linspace(0.5 / _ACROSS, 1.0 - 0.5 / _ACROSS, _ACROSS)
    u, v = (g.ravel() for g in np.meshgrid(*(a + (b - a) * shares for a, b in face.surface.domain), indexing="ij"))
    middle = np.hypot(*(g.ravel() - 0.5 for g in np.meshgrid(shares, shares, indexing="ij")))
    best = int(np.argmin(np.where(inside(face, u, v), middle, middle + 1.0)))
    return float(u[best]), float(v[best])


def held(face: Face, on_face: Curve) -> list[tuple[float, float]]:
    """Stretches of a curve in a face's parameters, (start, end) in order, that lie on what its trims have left."""
    if face.natural:
        return [on_face.domain]

    def label(t: Array) -> IntArray:
        uv = curve_points(on_face, t)
        return np.where(inside(face, uv[:, 0], uv[:, 1]), 0, -1)

    return [(a, b) for _, a, b in stretches(label, np.linspace(*on_face.domain, _ASKED)) if b > a]


def _crossings(edge: Edge, u: Array, v: Array) -> IntArray:
    """How often the ray from each point toward rising u crosses an edge."""
    p = edge.pcurve
    t = _rising_pieces(p)
    chain = curve_points(p, t)
    a, b = chain[:-1], chain[1:]
    point, side = np.nonzero((a[None, :, 1] > v[:, None]) != (b[None, :, 1] > v[:, None]))
    share = (v[point] - a[side, 1]) / (b[side, 1] - a[side, 1])
    at = t[side] + share * (t[side + 1] - t[side])
    for _ in range(3):
        d = curve_derivatives(p, at, 1)
        slope = np.where(np.abs(d[1, :, 1]) > 1e-14, d[1, :, 1], np.inf)
        at = np.clip(at - (d[0, :, 1] - v[point]) / slope, t[side], t[side + 1])
    beyond = curve_points(p, at)[:, 0] > u[point] if len(point) else np.zeros(0, dtype=bool)
    return np.bincount(point, weights=beyond, minlength=len(u)).astype(np.intp)


def _rising_pieces(p: Curve) -> Array:
    """Parameters between which v only rises or only falls: samples, and the turning points by bisection."""
    breaks = basis.breaks(p.knots, p.degree)
    t = np.append((breaks[:-1, None] + np.diff(breaks)[:, None] * np.arange(_EACH) / _EACH).ravel(), breaks[-1])
    slope = curve_derivatives(p, t, 1)[1, :, 1]
    turns = np.flatnonzero(slope[1:] * slope[:-1] < 0)
    if not len(turns):
        return t
    low, high, sign = t[turns], t[turns + 1], np.sign(slope[turns])
    for _ in range(50):
        middle = 0.5 * (low + high)
        same = np.sign(curve_derivatives(p, middle, 1)[1, :, 1]) == sign
        low, high = np.where(same, middle, low), np.where(same, high, middle)
    return np.sort(np.append(t, low))


def _straight_crossings(a: Array, b: Array, u: Array, v: Array) -> IntArray:
    """The same for straight sides from ``a`` to ``b`` (k, 2)."""
    spans = (a[None, :, 1] > v[:, None]) != (b[None, :, 1] > v[:, None])
    rise = np.where(b[:, 1] == a[:, 1], 1.0, b[:, 1] - a[:, 1])
    at = a[None, :, 0] + (v[:, None] - a[None, :, 1]) / rise * (b[:, 0] - a[:, 0])
    return np.asarray(np.sum(spans & (at > u[:, None]), axis=1))
