"""Splines through what is smooth in stretches: each is fitted between its ends' places and derivatives, and what is
alike on both sides of a place stays so.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, norm, unit
from pamble.core.curves.measure import LengthMap
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives
from pamble.core.spline.kinks import KINK
from pamble.core.spline.knots import transfer

DEGREE = 5

_APART = 1e-6
"""Share of a curve within which two places are one, and of its size within which its ends are."""

_NODES = 65
"""Places in a stretch, those of Chebyshev's polynomials: derivatives at its ends are told from them."""

_SPANS = (1, 2, 3, 4, 5, 6, 7, 8, 10, 12, 14, 16, 20, 24, 28, 32)
"""Spans that are tried between two places."""

_LOOKED = 4
"""Places at least at which a span is looked at."""

_ALIKE = 1e-4
"""Share of themselves within which derivatives on both sides of a place are one."""

_DEGREE_OVER, _SMOOTH = 10, 1e-6
"""Degree of a polynomial over a place on both sides of it, and share of what they pass within which it holds them:
there is nothing to part there.
"""


@dataclass(frozen=True)
class _Jet:
    """Places, first and second derivatives of n points, (n, d) each."""

    place: Array
    first: Array
    second: Array


def loose_shares(curve: Curve, length: LengthMap) -> list[float]:
    """Shares of the length at inner knots of a curve at which it is less smooth than a spline of degree 5 is."""
    inner = basis.breaks(curve.knots, curve.degree)[1:-1]
    many = [int(np.sum(curve.knots == k)) for k in inner]
    at = [length.fraction(float(k)) for k, m in zip(inner, many, strict=True) if curve.degree - m < DEGREE - 1]
    return [s for s in at if _APART < s < 1 - _APART]


def runs_round(curve: Curve) -> bool:
    """Whether a curve comes back to its start without a kink."""
    d = curve_derivatives(curve, curve.domain, 1)
    way = unit(d[1])
    turn = np.degrees(np.arccos(np.clip(way[0] @ way[1], -1.0, 1.0)))
    return bool(np.linalg.norm(d[0, 1] - d[0, 0]) < _APART * np.ptp(curve.control, axis=0).max() and turn < KINK)


def bounds_of(inner: Sequence[float]) -> list[float]:
    """Bounds from 0 to 1 with those between that are not one with another."""
    out = [0.0]
    for x in sorted(inner):
        if x - out[-1] > _APART and 1.0 - x > _APART:
            out.append(x)
    return [*out, 1.0]


def nodes(bounds: Sequence[float]) -> Array:
    """Parameters (k, m) at which stretches between k + 1 bounds are looked at, with both ends of each."""
    at = np.array(bounds)
    return np.asarray(at[:-1, None] + np.diff(at)[:, None] * _places())


def _places() -> Array:
    return np.asarray(0.5 * (1.0 - np.cos(np.pi * np.arange(_NODES) / (_NODES - 1))))


def in_stretches(
    bounds: Sequence[float], values: Array, tolerance: float, ring: bool = False, shape: Array | None = None
) -> tuple[Array, Array, float]:
    """A spline of degree 5 in n points at once that are smooth between bounds, which start at 0 and end at 1.

    values: the points at the `nodes` of each stretch, (k, m, n, d). The spline keeps places, first and second
    derivatives on both sides of a bound at which the points are less smooth, and is as smooth as they are there. ring:
    the end runs on into the start. shape: weights (q, n) of the points in places at which they are judged, None for
    themselves. Returns knots on [0, 1], control points (count, n, d), and how far it is off.
    """
    at, widths = np.array(bounds), np.diff(np.array(bounds))
    ends = [[_jet(own, width, end) for end in (0, -1)] for own, width in zip(values, widths, strict=True)]
    firm = [0, *(i for i in range(1, len(widths)) if not _smooth_over(at, values, i)), len(widths)]
    orders = list[int]()
    for i in firm[1:] if ring else firm[1:-1]:
        before, after = ends[i - 1], ends[i % len(widths)]
        before[1], after[0], order = _joined(before[1], after[0])
        orders.append(order)
    found = _between(bounds, values, ends, firm, orders, (tolerance, ring, shape))
    if len(firm) > 2 and min(orders) > 0:
        # Within the tolerance what is smooth but at a few places may be smooth all along.
        calm = _between(bounds, values, ends, [0, len(widths)], [], (tolerance, ring, shape), len(found[1]) - DEGREE)
        return min(calm, found, key=lambda made: (made[2] > tolerance, len(made[1])))
    return found


def _between(
    bounds: Sequence[float], values: Array, ends: Sequence[Sequence[_Jet]], firm: Sequence[int], orders: Sequence[int],
    asked: tuple[float, bool, Array | None], most: int = _SPANS[-1],
) -> tuple[Array, Array, float]:  # fmt: skip
    """The spline with its knots between firm bounds, at each of which so many derivatives are alike. asked: tolerance,
    ring and shape, see `in_stretches`; most: spans between two bounds.
    """
    net, breaks, off, (tolerance, ring, shape) = list[Array](), list[Array](), 0.0, asked
    for i, k in pairwise(firm):
        low, width = bounds[i], bounds[k] - bounds[i]
        x = ((nodes(bounds[i : k + 1]) - low) / width).ravel()
        wanted = values[i:k].reshape(-1, *values.shape[2:])
        for spans in (n for n in _SPANS if n <= min(most, len(x) // _LOOKED)):
            own, miss = _stretch(x, wanted, ends[i][0], ends[k - 1][1], width, spans, shape)
            if miss <= tolerance:
                break
        off = max(off, miss)
        net.append(own if not net else own[1:])
        breaks.append(low + width * np.arange(spans + 1) / spans)
    tight, loose = _knots(breaks, [0] * (len(breaks) - 1)), _knots(breaks, orders[: len(breaks) - 1])
    control = np.concatenate(net)
    # Derivatives that are alike on both sides take fewer control points.
    fewer = np.linalg.lstsq(transfer(loose, DEGREE, tight, DEGREE), control.reshape(len(control), -1), rcond=None)[0]
    control = np.asarray(fewer.reshape(-1, *control.shape[1:]))
    if ring:
        control[-1] = control[0]
    return loose, control, off


def _smooth_over(at: Array, values: Array, i: int) -> bool:
    """Whether the points run on over a bound as one polynomial does, within half a stretch of it."""
    h = 0.5 * min(at[i] - at[i - 1], at[i + 1] - at[i])
    x = np.concatenate([at[i - 1] + (at[i] - at[i - 1]) * _places(), at[i] + (at[i + 1] - at[i]) * _places()]) - at[i]
    near = np.abs(x) <= h
    y = np.concatenate([values[i - 1], values[i]])[near].reshape(int(near.sum()), -1)
    b = np.polynomial.chebyshev.chebvander(x[near] / h, _DEGREE_OVER)
    off = np.abs(b @ np.linalg.lstsq(b, y, rcond=None)[0] - y).max()
    return bool(off < _SMOOTH * np.ptp(y, axis=0).max())


def _jet(values: Array, width: float, end: int) -> _Jet:
    """Derivatives at the start (0) or end (-1) of a stretch from its values at the nodes (m, n, d), of a polynomial
    through all of them.
    """
    matrix = _differentiation() / width
    first = np.tensordot(matrix, values, axes=1)
    return _Jet(values[end], first[end], np.tensordot(matrix[end], first, axes=1))


def _differentiation() -> Array:
    """Derivatives at the nodes on [0, 1] of the polynomial through values there (Trefethen, Spectral Methods in MATLAB,
    chapter 6).
    """
    n, x = _NODES - 1, _places()
    c = np.where((np.arange(n + 1) == 0) | (np.arange(n + 1) == n), 2.0, 1.0) * (-1.0) ** np.arange(n + 1)
    gaps = x[:, None] - x + np.eye(n + 1)
    out = np.outer(c, 1 / c) / gaps
    return np.asarray(out - np.diag(out.sum(axis=1)))


def _joined(before: _Jet, after: _Jet) -> tuple[_Jet, _Jet, int]:
    """Both sides of a bound with what is alike there made one, and how many derivatives are."""
    place, order = 0.5 * (before.place + after.place), 0
    one, two = [before.first, before.second], [after.first, after.second]
    size = max(float(np.abs(before.first).max()), float(np.abs(after.first).max()), 1e-12)
    for k in (0, 1):
        scale = max(size, float(np.abs(one[k]).max()), float(np.abs(two[k]).max()))
        if np.abs(one[k] - two[k]).max() > _ALIKE * scale:
            break
        one[k] = two[k] = 0.5 * (one[k] + two[k])
        order = k + 1
    return _Jet(place, *one), _Jet(place, *two), order


def _stretch(
    x: Array, values: Array, start: _Jet, end: _Jet, width: float, spans: int, shape: Array | None
) -> tuple[Array, float]:
    """Control points (count, n, d) between two ends as they are asked for, near values (m, n, d) at shares (m,); and
    how far they are off.
    """
    knots, h = basis.uniform_knots(DEGREE, spans), width / spans
    net = np.zeros((DEGREE + spans, *values.shape[1:]))
    for jet, way, rows in ((start, 1.0, (0, 1, 2)), (end, -1.0, (-1, -2, -3))):
        net[rows[0]] = jet.place
        net[rows[1]] = jet.place + way * h / DEGREE * jet.first
        net[rows[2]] = net[rows[1]] + min(spans, 2) * h / DEGREE * (way * jet.first + 0.25 * h * jet.second)
    b = basis.matrix(knots, DEGREE, x)[0]
    if spans > 1:
        held = [0, 1, 2, -3, -2, -1]
        rest = values - np.tensordot(b[:, held], net[held], axes=1)
        found = np.linalg.lstsq(b[:, 3:-3], rest.reshape(len(x), -1), rcond=None)[0]
        net[3:-3] = found.reshape(-1, *values.shape[1:])
    miss = np.tensordot(b, net, axes=1) - values
    return net, float(norm(miss if shape is None else shape @ miss).max())


def _knots(breaks: Sequence[Array], smooth: Sequence[int]) -> Array:
    """Knots of stretches, with so many derivatives alike at the bounds between them."""
    out = [np.full(DEGREE + 1, breaks[0][0])]
    for k, own in enumerate(breaks):
        out.append(own[1:-1])
        out.append(np.full(DEGREE - smooth[k] if k < len(smooth) else DEGREE + 1, own[-1]))
    return np.concatenate(out)
