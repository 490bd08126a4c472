"""Largest values of figures along a curve: found among samples, then closed in on between them."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from pamble.core.arrays import Array, BoolArray
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve

_PEAKS = 3
"""Highest samples of each figure that are closed in on: the highest of all may lie beside the second one."""

_INNER = np.linspace(-1.0, 1.0, 11)
"""Places looked at in each round, between the samples beside a peak."""

_ROUNDS = 5
"""Each round makes the stretch five times shorter, and the error of a smooth crest twenty-five times smaller."""

_BESIDE = 1e-9
"""How far beside a break its two sides are looked at, as a fraction of the domain."""


def both_sides(curve: Curve, domain: tuple[float, float] | None = None) -> Array:
    """Parameters just before and just after every inner break of a curve: what jumps there has two values, (m,).

    domain: the stretch of the curve that counts; all of it by default.
    """
    start, end = curve.domain if domain is None else domain
    inner = basis.breaks(curve.knots, curve.degree)[1:-1]
    step = _BESIDE * (end - start)
    inner = inner[(inner > start + step) & (inner < end - step)]
    return np.sort(np.concatenate([inner - step, inner + step]))


def largest(figures: Callable[[Array], Array], t: Array, values: Array) -> tuple[Array, Array]:
    """Parameters (k,) and values (k,) of the largest of k figures along a curve.

    figures: gives (k, m) values at (m,) parameters. t: samples (m,), rising, with both sides of every jump among them;
    values: the figures there, (k, m). A crest narrower than the samples' steps is not found.

    >>> t = np.linspace(0, 3, 8)
    >>> at, most = largest(lambda t: np.sin(t)[None], t, np.sin(t)[None])
    >>> round(float(at[0]), 3), round(float(most[0]), 6)
    (1.571, 1.0)
    """
    k = len(values)
    peak = np.argsort(np.where(_crests(values), values, -np.inf), axis=1)[:, ::-1][:, :_PEAKS]
    at, best = t[peak], np.take_along_axis(values, peak, axis=1)
    low, high = t[np.maximum(peak - 1, 0)], t[np.minimum(peak + 1, len(t) - 1)]
    for _ in range(_ROUNDS):
        half = np.maximum(high - at, at - low)
        places = np.clip(at[..., None] + half[..., None] * _INNER, low[..., None], high[..., None])
        found = figures(places.ravel()).reshape(k, k, at.shape[1], len(_INNER))[np.arange(k), np.arange(k)]
        i = np.argmax(found, axis=2)[..., None]
        top = np.take_along_axis(found, i, axis=2)[..., 0]
        at = np.where(top > best, np.take_along_axis(places, i, axis=2)[..., 0], at)
        best = np.maximum(top, best)
        step = half * (_INNER[1] - _INNER[0])
        low, high = np.maximum(low, at - step), np.minimum(high, at + step)
    first = np.argmax(best, axis=1)[:, None]
    return np.take_along_axis(at, first, axis=1)[:, 0], np.take_along_axis(best, first, axis=1)[:, 0]


def _crests(values: Array) -> BoolArray:
    """Samples that are no lower than those beside them."""
    edge = np.full((len(values), 1), -np.inf)
    padded = np.concatenate([edge, values, edge], axis=1)
    return (padded[:, 1:-1] >= padded[:, :-2]) & (padded[:, 1:-1] >= padded[:, 2:])
