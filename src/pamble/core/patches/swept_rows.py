"""Rows of a surface along the way of a moved section: the fewest that keep to it, or one stretch after the other
between places at which it is less smooth.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.patches.space import Space
from pamble.core.spline.knots import transfer

_MOST_SPANS = 40

Rows = tuple[Space, Array, float]
"""A space, rows of control points on it (count, n, 3), and how far they are off, mm."""

DEGREE = 5
"""Along the way."""

_NODES = 65
"""Places in a stretch, those of Chebyshev's polynomials: derivatives at its ends are told from them."""

_IN_STRETCH = (1, 2, 3, 4, 6, 8, 11, 16)
"""Spans that are tried in a stretch."""

_ALIKE = 1e-4
"""Share of themselves within which derivatives on both sides of a place are one."""


def fewest_rows(
    moved: Array, s: Array, tolerance: float, ring: bool = False, shape: Array | None = None, most: int = _MOST_SPANS
) -> Rows:
    """The fewest rows along the way that keep the moved section (m, n, 3) at shares ``s`` within the tolerance; (rows,
    n, 3). ring: the end runs on into the start, first and second derivative alike. shape: what the section's control
    points weigh in its places (k, n), at which it is judged; else they are judged themselves.
    """
    m = len(s)
    weight = np.ones(m)
    weight[[0, -1]] = 100.0

    def fitted(breaks: Array) -> tuple[Space, Array, Array]:
        space = Space.over(DEGREE, breaks)
        b = space.matrix(s)[0]
        lines, flat = b * weight[:, None], moved.reshape(m, -1) * weight[:, None]
        if ring:
            ends = space.matrix(np.array([0.0, 1.0]), 2)
            lines = np.vstack([lines, weight[0] * (ends[1:, 1] - ends[1:, 0])])
            flat = np.vstack([flat, np.zeros((2, flat.shape[1]))])
        rows = np.linalg.lstsq(lines, flat, rcond=None)[0]
        miss = (b @ rows).reshape(moved.shape) - moved
        off = norm(miss if shape is None else shape @ miss).max(axis=1)
        return space, rows.reshape(space.count, *moved.shape[1:]), off

    for spans in range(1, 5):
        space, rows, off = fitted(np.linspace(0, 1, spans + 1))
        if off.max() <= tolerance:
            return space, rows, float(off.max())
    breaks = space.breaks
    while off.max() > tolerance and len(breaks) <= most:
        span = np.clip(np.searchsorted(breaks, s, side="right") - 1, 0, len(breaks) - 2)
        worst = np.zeros(len(breaks) - 1)
        np.maximum.at(worst, span, off)
        middle = 0.5 * (breaks[1:] + breaks[:-1])
        breaks = np.sort(np.concatenate([breaks, middle[worst > max(tolerance, 0.1 * worst.max())]]))
        space, rows, off = fitted(breaks)
    for needless in breaks[1:-1].tolist():
        fewer = fitted(breaks[breaks != needless])
        if fewer[2].max() <= tolerance:
            breaks = breaks[breaks != needless]
            space, rows, off = fewer
    return space, rows, float(off.max())


@dataclass(frozen=True)
class _Jet:
    """Place, first and second derivative of all control points of a moved section, (n, 3) each."""

    place: Array
    first: Array
    second: Array


def nodes(bounds: Sequence[float]) -> Array:
    """Shares (k, m) of the way at which stretches between k + 1 bounds are looked at, with both ends of each."""
    x = 0.5 * (1.0 - np.cos(np.pi * np.arange(_NODES) / (_NODES - 1)))
    at = np.array(bounds)
    return np.asarray(at[:-1, None] + np.diff(at)[:, None] * x)


def by_stretches(bounds: Sequence[float], moved: Array, tolerance: float, ring: bool, shape: Array) -> Rows:
    """Rows for a section that is moved smoothly in stretches between bounds, which start at 0 and end at 1.

    moved: its control points at the `nodes` of each, (k, m, n, 3). The rows keep places and derivatives on both sides
    of a bound, first and second, and are as smooth there as the way is: what is smooth as a surface stays so. ring: the
    end runs on into the start. shape: see `fewest_rows`, whose results these are.
    """
    widths = np.diff(np.array(bounds))
    ends = [[_jet(values, width, end) for end in (0, -1)] for values, width in zip(moved, widths, strict=True)]
    count, smooth = len(widths), list[int]()
    for i in range(count if ring else count - 1):
        k = (i + 1) % count
        ends[i][1], ends[k][0], order = _joined(ends[i][1], ends[k][0])
        smooth.append(order)
    rows, breaks, off = list[Array](), list[Array](), 0.0
    for values, (start, end), low, width in zip(moved, ends, bounds[:-1], widths, strict=True):
        for spans in _IN_STRETCH:
            own, miss = _stretch(values, start, end, width, spans, shape)
            if miss <= tolerance:
                break
        off = max(off, miss)
        rows.append(own if not rows else own[1:])
        breaks.append(low + width * np.arange(spans + 1) / spans)
    knots, loose = _knots(breaks, [0] * (count - 1)), _knots(breaks, smooth[: count - 1])
    net = np.concatenate(rows)
    # Derivatives that are alike on both sides take fewer rows.
    fewer = np.linalg.lstsq(transfer(loose, DEGREE, knots, DEGREE), net.reshape(len(net), -1), rcond=None)[0]
    space = Space(DEGREE, loose)
    net = np.asarray(fewer.reshape(space.count, *net.shape[1:]))
    if ring:
        net[-1] = net[0]
    return space, net, off


def _jet(values: Array, width: float, end: int) -> _Jet:
    """Derivatives at the start (0) or end (-1) of a stretch from its values at the nodes (m, n, 3), of a polynomial
    through all of them.
    """
    matrix = _differentiation() / width
    first = np.tensordot(matrix, values, axes=1)
    return _Jet(values[end], first[end], np.tensordot(matrix[end], first, axes=1))


def _differentiation() -> Array:
    """Derivatives at the nodes on [0, 1] of the polynomial through values there (Trefethen, Spectral Methods in MATLAB,
    chapter 6).
    """
    n = _NODES - 1
    x = 0.5 * (1.0 - np.cos(np.pi * np.arange(n + 1) / n))
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


def _stretch(values: Array, start: _Jet, end: _Jet, width: float, spans: int, shape: Array) -> tuple[Array, float]:
    """Rows (count, n, 3) of a stretch with its ends as they are asked for, and how far it is off, mm."""
    space, h = Space.even(DEGREE, spans), width / spans
    net = np.zeros((space.count, *values.shape[1:]))
    for jet, way, rows in ((start, 1.0, (0, 1, 2)), (end, -1.0, (-1, -2, -3))):
        second = way * h / DEGREE * jet.first
        third = min(spans, 2) * h / DEGREE * (way * jet.first + 0.25 * h * jet.second)
        net[rows[0]], net[rows[1]] = jet.place, jet.place + second
        net[rows[2]] = net[rows[1]] + third
    x = nodes((0.0, 1.0))[0]
    b = space.matrix(x)[0]
    if space.count > 6:
        held = [0, 1, 2, -3, -2, -1]
        rest = values - np.tensordot(b[:, held], net[held], axes=1)
        found = np.linalg.lstsq(b[:, 3:-3], rest.reshape(len(x), -1), rcond=None)[0]
        net[3:-3] = found.reshape(-1, *values.shape[1:])
    miss = np.tensordot(b, net, axes=1) - values
    return net, float(norm(shape @ miss).max())


def _knots(breaks: Sequence[Array], smooth: Sequence[int]) -> Array:
    """Knots of stretches, with so many derivatives alike at the bounds between them."""
    out = [np.full(DEGREE + 1, breaks[0][0])]
    for k, own in enumerate(breaks):
        out.append(own[1:-1])
        out.append(np.full(DEGREE - smooth[k] if k < len(smooth) else DEGREE + 1, own[-1]))
    return np.concatenate(out)
