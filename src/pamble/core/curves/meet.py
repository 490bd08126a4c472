"""Where two curves come nearest; extending both until they meet, and cutting one by the other."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, BoolArray, dot, norm
from pamble.core.curves.edit import extend, nearest_ends
from pamble.core.curves.measure import curve_length, samples
from pamble.core.errors import GeometryError
from pamble.core.spline.closest import dense_row, to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.knots import curve_part

_SETTLED = 1e-10
"""Share of the domain below which a step is the last."""

_EACH = 64
"""Samples a span among which approaches are looked for."""

_REACH = (0.05, 0.15, 0.5, 1.5, 4.0)
"""Extensions that are tried, as fractions of both curves' length together."""


@dataclass(frozen=True)
class Meeting:
    """Where two curves come nearest: parameters, the points (2, 3), and the gap in mm."""

    t: tuple[float, float]
    points: Array
    gap: float


@dataclass(frozen=True)
class Met:
    """Both curves ending where they meet, the chosen ends (0 start, 1 end), by how much each grew (mm; negative: it was
    cut back), the place (3,), and the gap that is left, mm.
    """

    curves: tuple[Curve, Curve]
    ends: tuple[int, int]
    grown: tuple[float, float]
    place: Array
    gap: float


def meet(
    first: Curve,
    second: Curve,
    shape: str = "curvature",
    ends: tuple[int | None, int | None] = (None, None),
    tolerance: float = 0.01,
) -> Met:
    """Extend both at their nearest (or the given) ends until they meet, or cut them back to where they cross already.

    shape: "curvature" runs on as the end span does, "straight" along the tangent. Of several crossings the one nearest
    to the ends counts. Raises `GeometryError` with the nearest approach if they miss each other by more than
    ``tolerance`` mm.
    """
    free = tuple((0, 1) if e is None else (e,) for e in ends)
    i, j = nearest_ends(first, second, (free[0], free[1]))
    size = curve_length(first) + curve_length(second)
    closest: Meeting | None = None
    for reach in (0.0, *_REACH):
        try:
            a, b = (extend(c, e, reach * size, shape) if reach else c for c, e in ((first, i), (second, j)))
        except GeometryError:
            break
        found = approaches(a, b)
        good = [m for m in found if m.gap <= tolerance]
        if good:
            m = min(good, key=lambda m: _away(a, i, m.t[0]) + _away(b, j, m.t[1]))
            made = tuple(_up_to(c, e, t) for c, e, t in ((a, i, m.t[0]), (b, j, m.t[1])))
            grown = tuple(curve_length(c) - curve_length(o) for c, o in zip(made, (first, second), strict=True))
            return Met((made[0], made[1]), (i, j), (grown[0], grown[1]), m.points.mean(axis=0), m.gap)
        for m in found:
            if closest is None or m.gap < closest.gap:
                closest = m
    assert closest is not None
    x, y, z = closest.points.mean(axis=0)
    raise GeometryError(
        f"Extended, the curves pass each other: the nearest they come is {closest.gap:.3f} mm, "
        f"near ({x:.2f}, {y:.2f}, {z:.2f}) mm. Lay them in one plane, or project one onto the other's plane first."
    )


def _away(curve: Curve, end: int, t: float) -> float:
    return curve_length(curve, *sorted((t, curve.domain[end])))


def _up_to(curve: Curve, end: int, t: float) -> Curve:
    """The curve from its far end to ``t``."""
    a, b = curve.domain
    if abs(t - (a if end == 0 else b)) < 1e-12 * (b - a):
        return curve
    if abs(t - (b if end == 0 else a)) < 1e-9 * (b - a):
        raise GeometryError("One curve would be cut away whole: choose other ends.")
    return curve_part(curve, t, b) if end == 0 else curve_part(curve, a, t)


def approaches(a: Curve, b: Curve) -> list[Meeting]:
    """Local closest approaches of two curves, crossings among them, nearest first."""
    ta = samples(a, _EACH)
    feet = to_curve(b, curve_points(a, ta))
    d = np.concatenate([[np.inf], feet.distance, [np.inf]])
    low = np.flatnonzero((d[1:-1] <= d[:-2]) & (d[1:-1] <= d[2:]))
    return meetings(a, b, ta[low], feet.t[low])


def meetings(a: Curve, b: Curve, x: Array, y: Array) -> list[Meeting]:
    """Approaches near first guesses (k,) of their parameters, nearest first."""
    x, y = _closed_in(a, b, x, y)
    points = np.stack([curve_points(a, x), curve_points(b, y)], axis=1)
    gaps = norm(points[:, 0] - points[:, 1])
    order = np.argsort(gaps)
    return [Meeting((float(x[k]), float(y[k])), points[k], float(gaps[k])) for k in order]


def _closed_in(a: Curve, b: Curve, x: Array, y: Array) -> tuple[Array, Array]:
    """Parameters of nearest places after Newton steps on half the squared distance, each cut until it comes nearer.

    Where the second derivatives are not positive definite, and at a crossing, the step is that of least squares.
    """
    pa, pb = curve_derivatives(a, x, 2), curve_derivatives(b, y, 2)
    for _ in range(60):
        gap = pa[0] - pb[0]
        now = dot(gap, gap)
        first = dot(pa[1], pa[1]), dot(pb[1], pb[1])
        h0, h1 = first[0] + dot(gap, pa[2]), first[1] - dot(gap, pb[2])
        cross_term = -dot(pa[1], pb[1])
        good = (h0 > 0) & (h1 > 0) & (h0 * h1 - cross_term**2 > 1e-12 * first[0] * first[1])
        h0, h1 = np.where(good, h0, first[0]), np.where(good, h1, first[1])
        gx, gy = dot(gap, pa[1]), -dot(gap, pb[1])
        # An end that the step would leave is held, and the other parameter steps alone.
        held_x, held_y = _held(a, x, gx), _held(b, y, gy)
        cross_term = np.where(held_x | held_y, 0.0, cross_term)
        det = np.maximum(h0 * h1 * (1 + 1e-12) - cross_term**2, 1e-300)
        dx = np.where(held_x, 0.0, -(h1 * gx - cross_term * gy) / det)
        dy = np.where(held_y, 0.0, -(h0 * gy - cross_term * gx) / det)
        share = np.ones(len(x))
        for _ in range(12):
            nx, ny = np.clip(x + share * dx, *a.domain), np.clip(y + share * dy, *b.domain)
            pa, pb = curve_derivatives(a, nx, 2), curve_derivatives(b, ny, 2)
            new = pa[0] - pb[0]
            worse = dot(new, new) > now
            if not worse.any():
                break
            share = np.where(worse, 0.5 * share, share)
        if worse.any():
            nx, ny = np.where(worse, x, nx), np.where(worse, y, ny)
            pa, pb = curve_derivatives(a, nx, 2), curve_derivatives(b, ny, 2)
        # The next step would be below rounding: they shrink by their squares.
        settled = max(np.abs(nx - x).max() / np.ptp(a.domain), np.abs(ny - y).max() / np.ptp(b.domain)) < _SETTLED
        x, y = nx, ny
        if settled:
            break
    return x, y


def _held(curve: Curve, t: Array, slope: Array) -> BoolArray:
    """Where a parameter lies at an end and falling further would leave the curve."""
    start, end = curve.domain
    return ((t <= start) & (slope > 0)) | ((t >= end) & (slope < 0))


def nearest(a: Curve, b: Curve) -> Meeting:
    """Closest approach of two curves."""
    (ta, row, leg_a), (tb, tree, leg_b) = dense_row(a), dense_row(b)
    d, other = (np.asarray(x) for x in tree.query(row.data))
    step = max(float(leg_a.max()), float(leg_b.max()))
    beside = np.concatenate([[np.inf], d, [np.inf]])
    low = np.flatnonzero((d <= beside[:-2]) & (d <= beside[2:]) & (d <= d.min() + step))
    return meetings(a, b, ta[low], tb[other[low]])[0]


def cut_pieces(curve: Curve, others: Sequence[Curve], tolerance: float = 0.01) -> list[Curve]:
    """The pieces of a curve between all places where others cross it, in order.

    Raises `GeometryError` if one of them does not meet it within ``tolerance`` mm, with the gap, or only at an end.
    """
    a, b = curve.domain
    at = np.sort(np.concatenate([_crossings(curve, other, tolerance) for other in others]))
    at = at[np.append(True, np.diff(at) > 1e-9 * (b - a))]
    return [curve_part(curve, float(s), float(e)) for s, e in pairwise([a, *at, b])]


def _crossings(curve: Curve, other: Curve, tolerance: float) -> list[float]:
    found = approaches(curve, other)
    places = [m.t[0] for m in found if m.gap <= tolerance]
    if not places:
        x, y, z = found[0].points[0]
        raise GeometryError(
            f"The curves do not meet: the nearest they come is {found[0].gap:.3f} mm, "
            f"at ({x:.2f}, {y:.2f}, {z:.2f}) mm."
        )
    a, b = curve.domain
    inner = [t for t in places if min(t - a, b - t) > 1e-9 * (b - a)]
    if not inner:
        raise GeometryError("The curves meet at an end already: there is nothing to cut off.")
    return inner
