"""A branch as splines: both parameter curves and the curve in space, on one knot vector and one parameter."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.faces.crossing.branches import Branch, rough_knots
from pamble.core.faces.crossing.stations import Lost, Stretch, legs, settled
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.power import surface_form
from pamble.core.spline.surface import Surface

DEGREE = 5
_IN_STEP = 0.1
"""Share of the distance along the branch between one parameter's places in the surfaces and in space that counts."""

_MOST = 480
"""Most stations of a stretch."""

_ROOM = 4.0
"""Stations that there must be between two stops: with fewer the control points between them are not determined."""

_FILLED = 0.5
"""Most control points for each station: with more a fit strays between stations."""

_SPANS = np.array([1, 2, 3, 4, 5, 6, 7, 8, 10, 12, 14, 16, 19, 22, 26, 30, 36, 42, 50, 60, 72, 86, 104, 124, 150, 180])
"""Numbers of spans that are tried."""


@dataclass(frozen=True)
class FittedBranch:
    """on_a, on_b: (2D) parameter curves; space: the curve; all three on the same domain [0, 1]. off: largest distance
    in mm, across the branch, from both surfaces and from the stations. spans: of each stretch.
    """

    on_a: Curve
    on_b: Curve
    space: Curve
    off: float
    spans: tuple[int, ...]


def fit_branch(
    a: Surface, b: Surface, branch: Branch, tolerance: float, start: Sequence[int] = (), quick: bool = False
) -> FittedBranch:
    """Fewest even spans of degree 5 for each stretch, from ``start`` on, that stay within ``tolerance`` (mm).

    quick: judged at the stations alone, with no more of them than there are.
    """
    soft = [*rough_knots(a, 2), *rough_knots(b, 2)]
    pieces, spans, worst = [], [], 0.0
    for i, s in enumerate(branch.stretches):
        knots, control, off, n = _fit(a, b, s, soft, tolerance, start[i] if i < len(start) else 1, quick)
        pieces.append((knots, control))
        spans.append(n)
        worst = max(worst, off)
    lengths = np.array([norm(legs(s)).sum() for s in branch.stretches])
    knots, control = _chained(pieces, lengths)
    return FittedBranch(
        Curve(DEGREE, knots, control[:, :2]),
        Curve(DEGREE, knots, control[:, 2:4]),
        Curve(DEGREE, knots, control[:, 4:]),
        worst,
        tuple(spans),
    )


def _chained(pieces: list[tuple[Array, Array]], lengths: Array) -> tuple[Array, Array]:
    """Pieces on [0, 1] each, one after the other, their parameters in proportion to their lengths."""
    if len(pieces) == 1:
        return pieces[0]
    at = np.concatenate([[0.0], np.cumsum(lengths) / lengths.sum()])
    at[-1] = 1.0
    knots, control = [np.zeros(1)], [pieces[0][1][:1]]
    for (k, c), t0, t1 in zip(pieces, at[:-1], at[1:], strict=True):
        knots += [np.full(DEGREE, t0), t0 + k[DEGREE + 1 : -DEGREE - 1] * (t1 - t0)]
        control.append(c[1:])
    return np.concatenate([*knots, np.ones(DEGREE + 1)]), np.vstack(control)


def _fit(
    a: Surface, b: Surface, s: Stretch, soft: list[list[float]], tolerance: float, start: int, quick: bool
) -> tuple[Array, Array, float, int]:
    """Knots, control points (n, 7), largest distance and spans of a stretch."""
    while True:
        stops = _stops(s, soft)
        best = None
        data = np.column_stack([s.q, s.point])
        if s.loop:
            data = np.vstack([data, data[:1]])
        for spans in _SPANS[np.searchsorted(_SPANS, start) :].tolist():
            knots = _knots(stops, spans)
            if len(knots) - DEGREE - 1 > _FILLED * len(data) and best is not None:
                break
            control = ends_kept(knots, len(data)) @ data
            off = _off(knots, control, data, s)
            if best is None or off < best[2]:
                best = (knots, control, off, spans)
            if off <= tolerance:
                break
        assert best is not None
        if quick:
            return best
        between = max(best[2], _between(a, b, best[0], best[1], len(data)))
        if between <= 2 * tolerance or len(s.q) * 2 > _MOST:
            return best[0], best[1], between, best[3]
        try:
            s = settled(a, b, s, len(s.q) * 2)
        except Lost:
            return best[0], best[1], between, best[3]


def _between(a: Surface, b: Surface, knots: Array, control: Array, count: int) -> float:
    """Largest distance of the curve in space from both surfaces under their parameter curves, between stations."""
    at = basis.matrix(knots, DEGREE, (np.arange(4 * count) + 0.5) / (4 * count))[0] @ control
    places = surface_form(a).at(at[:, 0], at[:, 1])[0], surface_form(b).at(at[:, 2], at[:, 3])[0]
    return max(float(norm(p - at[:, 4:]).max()) for p in places)


def _off(knots: Array, control: Array, data: Array, s: Stretch) -> float:
    """Largest distance of a fit from its stations: in both surfaces and in space, across the branch; along it the three
    are kept in step.
    """
    miss = basis.matrix(knots, DEGREE, np.linspace(0, 1, len(data)))[0] @ control - data
    miss = miss[: len(s.q)]
    parts = (
        miss[:, :1] * s.a[0] + miss[:, 1:2] * s.a[1],
        miss[:, 2:3] * s.b[0] + miss[:, 3:4] * s.b[1],
        miss[:, 4:],
    )
    along = np.array([dot(x, s.tangent) for x in parts])
    apart = max(float(norm(x - way[:, None] * s.tangent).max()) for x, way in zip(parts, along, strict=True))
    return max(apart, _IN_STEP * float(np.ptp(along, axis=0).max()))


def _stops(s: Stretch, soft: list[list[float]]) -> tuple[tuple[float, int], ...]:
    """Where the stretch crosses knots at which only two derivatives of a surface are continuous: share, multiplicity.

    The crossing is found on a cubic through the four stations round it.
    """
    share = np.linspace(0, 1, len(s.q) + s.loop)
    found = []
    for k, values in enumerate(soft):
        column = np.append(s.q[:, k], s.q[0, k]) if s.loop else s.q[:, k]
        for value in values:
            gap = column - value
            for i in np.flatnonzero(gap[1:] * gap[:-1] < 0).tolist():
                low = int(np.clip(i - 1, 0, len(gap) - 4))
                x, y = share[low : low + 4], gap[low : low + 4]
                t = float(np.interp(0.0, *_rising(gap[i : i + 2], share[i : i + 2])))
                law = np.polynomial.Polynomial.fit(x, y, 3)
                for _ in range(3):
                    t = float(np.clip(t - law(t) / (law.deriv()(t) or 1.0), share[i], share[i + 1]))
                found.append((t, DEGREE - 2))
    found.sort()
    apart: list[tuple[float, int]] = []
    for t, m in found:
        if _ROOM / len(share) < t < 1 - _ROOM / len(share) and (not apart or t - apart[-1][0] > _ROOM / len(share)):
            apart.append((t, m))
    return tuple(apart)


def _rising(x: Array, y: Array) -> tuple[Array, Array]:
    return (x, y) if x[0] < x[-1] else (x[::-1], y[::-1])


def _knots(stops: tuple[tuple[float, int], ...], spans: int) -> Array:
    """Even knots with ``spans`` spans in all, or at least one between any two stops."""
    edges = np.array([0.0, *(t for t, _ in stops), 1.0])
    parts = [np.zeros(DEGREE + 1)]
    for i, (t0, t1) in enumerate(pairwise(edges.tolist())):
        n = max(1, round(spans * (t1 - t0)))
        parts.append(np.linspace(t0, t1, n + 1)[1:-1])
        if i < len(stops):
            parts.append(np.full(stops[i][1], t1))
    return np.concatenate([*parts, np.ones(DEGREE + 1)])


def ends_kept(knots: Array, count: int) -> Array:
    """Matrix (n, count) from even samples to control points, by least squares; both end samples are kept."""
    return _least_squares(knots.tobytes(), count)


@lru_cache(maxsize=256)
def _least_squares(key: bytes, count: int) -> Array:
    knots = np.frombuffer(key)
    values = basis.matrix(knots, DEGREE, np.linspace(0, 1, count))[0]
    n = values.shape[1]
    out = np.zeros((n, count))
    out[0, 0] = out[-1, -1] = 1.0
    rest = np.eye(count)
    rest[:, 0] -= values[:, 0]
    rest[:, -1] -= values[:, -1]
    inner = values[:, 1:-1]
    try:
        out[1:-1] = np.linalg.solve(inner.T @ inner, inner.T @ rest)
    except np.linalg.LinAlgError:
        # Fewer stations than control points between two stops: the smallest solution.
        out[1:-1] = np.linalg.pinv(inner) @ rest
    out.setflags(write=False)
    return out
