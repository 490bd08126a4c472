"""Curves through places, over the parameters of another curve: twins of trim curves in space, trim curves of edges."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import pairwise

import numpy as np
from scipy.optimize import brentq

from pamble.core.arrays import Array, norm
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import Surface

_DEGREE = 5
_SPANS = (1, 2, 3, 4, 6, 8, 12, 16, 24, 32, 48, 64)
_COARSE, _FINER, _MOST = 8, 24, 400
"""Spans from which those are halved in which even ones do not reach, so often at most, up to so many."""

_EACH = 24
"""Samples for each span of a fit."""

_ROUGH = 2
"""Orders of derivatives that run on over a knot, below which a line across it is fitted with a break."""

_LOOKED, _HAIR = 257, 1e-6
"""Places at which crossings are looked for, and the share of a line within which two breaks are one."""

Places = Callable[[Array], Array]
"""Points (m, d) over parameters (m,)."""


def fitted_like(curve: Curve, places: Places, tolerance: float, rough: Mapping[float, int] | None = None) -> Curve:
    """A curve through the places (m, d) over parameters (m,) of another, within ``tolerance`` of them.

    Degree 5, the fewest spans that reach, each break of the other curve kept with what smoothness it has there; the
    best found if none does. rough: parameters of further breaks, with their smoothness. Both ends are exact.
    """
    rough = rough or {}
    best = _Tried.on(_knots(curve, _SPANS[0], rough), places)
    for spans in _SPANS[1:]:
        if best.worst <= tolerance:
            break
        best = min(best, _Tried.on(_knots(curve, spans, rough), places), key=lambda t: t.worst)
    if best.worst > tolerance:
        # Spans as short everywhere as one place asks for, where a line passes a pole, would be too many.
        tried = _Tried.on(_knots(curve, _COARSE, rough), places)
        for _ in range(_FINER):
            if tried.worst <= tolerance or len(tried.off) > _MOST:
                break
            tried = _Tried.on(np.sort(np.append(tried.curve.knots, tried.middles[tried.off > tolerance])), places)
            best = min(best, tried, key=lambda t: t.worst)
    return best.curve if best.curve.domain == curve.domain else curve_part(best.curve, *curve.domain)


@dataclass(frozen=True)
class _Tried:
    """A fit, the middles of its spans (n,), and how far the places between those that it was fitted to lie off each."""

    curve: Curve
    middles: Array
    off: Array

    @property
    def worst(self) -> float:
        return float(self.off.max())

    @staticmethod
    def on(knots: Array, places: Places) -> _Tried:
        breaks = basis.breaks(knots, _DEGREE)
        t = np.linspace(breaks[:-1], breaks[1:], _EACH + 1, axis=1)
        all_ = np.unique(t)
        made = _fit(knots, all_, places(all_))
        between = 0.5 * (t[:, 1:] + t[:, :-1])
        off = norm(curve_points(made, between.ravel()) - places(between.ravel()))
        return _Tried(made, 0.5 * (breaks[1:] + breaks[:-1]), off.reshape(between.shape).max(axis=1))


def rough_places(surface: Surface, domain: tuple[float, float], uv: Places) -> dict[float, int]:
    """Where a line (m, 2) over parameters (m,) crosses a knot at which a surface's derivatives jump, those of second
    order or lower, as between the quarters of a circle; and how many orders run on there.
    """
    directions = (surface.knots_u, surface.degree_u), (surface.knots_v, surface.degree_v)
    inner = [
        (k, at, d - int(np.sum(x == at))) for k, (x, d) in enumerate(directions) for at in basis.breaks(x, d)[1:-1]
    ]
    rough = [(k, at, max(0, smooth)) for k, at, smooth in inner if smooth < _ROUGH]
    if not rough:
        return {}
    t, out = np.linspace(*domain, _LOOKED), dict[float, int]()
    row = uv(t)
    for k, value, smooth in rough:
        over = row[:, k] > value
        for i in np.flatnonzero(over[1:] != over[:-1]):
            ends = t[i : i + 2]
            # What jumps beside a pole crosses nothing.
            if (uv(ends[:1])[0, k] > value) != (uv(ends[1:])[0, k] > value):
                at = float(brentq(lambda x, k=k, value=value: uv(np.array([x]))[0, k] - value, *ends))
                out[at] = min(out.get(at, smooth), smooth)
    return out


def _knots(curve: Curve, spans: int, rough: Mapping[float, int]) -> Array:
    """Even knots between a curve's own breaks and others, these as smooth as it is there."""
    p = curve.degree
    own = basis.breaks(curve.knots, p)
    inner = curve.knots[p + 1 : len(curve.knots) - p - 1]
    smooth = {b: max(0, p - int(np.sum(inner == b))) for b in own.tolist()[1:-1]}
    ends, hair = (float(own[0]), float(own[-1])), _HAIR * (own[-1] - own[0])
    for at, orders in rough.items():
        away, near = min((abs(b - at), b) for b in (*ends, *smooth))
        if away > hair:
            smooth[at] = orders
        elif near in smooth:
            smooth[near] = min(smooth[near], orders)
    breaks = [ends[0], *sorted(smooth), ends[1]]
    parts = [np.full(_DEGREE + 1, breaks[0])]
    each = max(1, round(spans / (len(breaks) - 1)))
    for a, b in pairwise(breaks):
        parts.append(np.linspace(a, b, each + 1)[1:-1])
        if b in smooth:
            parts.append(np.full(max(1, _DEGREE - smooth[b]), b))
    return np.concatenate([*parts, np.full(_DEGREE + 1, breaks[-1])])


def _fit(knots: Array, t: Array, points: Array) -> Curve:
    values = basis.matrix(knots, _DEGREE, t)[0]
    control = np.zeros((values.shape[1], points.shape[1]))
    control[0], control[-1] = points[0], points[-1]
    rest = points - values[:, :1] * points[0] - values[:, -1:] * points[-1]
    inner = values[:, 1:-1]
    control[1:-1] = np.linalg.solve(inner.T @ inner, inner.T @ rest)
    return Curve(_DEGREE, knots, control)
