"""Largest values of figures along a curve: found among samples, then closed in on between them."""

from __future__ import annotations

from collections.abc import Callable, Generator

import numpy as np

from pamble.core.arrays import Array, BoolArray
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve

_PEAKS = 3
"""Highest samples of each figure that are closed in on: the highest of all may lie beside the second one."""

_PLACES = tuple(np.linspace(-1.0, 1.0, n) for n in (11, 9, 41))
"""Places looked at between the samples beside a peak, in every round: each makes the stretch five, four and twenty
times shorter, and the error of a smooth crest that by the square. Few rounds of many places: a round costs its calls.
"""

_ALL = 2
"""Rounds in which all peaks are closed in on, then the highest alone."""

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
    steps = closing_in(t, values)
    places = next(steps)
    while True:
        try:
            places = steps.send(figures(places))
        except StopIteration as end:
            at, most = end.value
            return at, most


def closing_in(t: Array, values: Array) -> Generator[Array, Array, tuple[Array, Array]]:
    """The steps of `largest`, for those who look at several curves at once: gives parameters (m,), takes the figures
    (k, m) there, and returns the parameters and values of the largest.
    """
    k = len(values)
    own = np.arange(k)
    peak = np.argsort(np.where(_crests(values), values, -np.inf), axis=1)[:, ::-1][:, :_PEAKS]
    at, best = t[peak], np.take_along_axis(values, peak, axis=1)
    low, high = t[np.maximum(peak - 1, 0)], t[np.minimum(peak + 1, len(t) - 1)]
    for n, inner in enumerate(_PLACES):
        half = np.maximum(high - at, at - low)
        places = np.clip(at[..., None] + half[..., None] * inner, low[..., None], high[..., None])
        found = (yield places.ravel()).reshape(k, k, at.shape[1], len(inner))[own, own]
        i = np.argmax(found, axis=2)[..., None]
        top = np.take_along_axis(found, i, axis=2)[..., 0]
        at = np.where(top > best, np.take_along_axis(places, i, axis=2)[..., 0], at)
        best = np.maximum(top, best)
        step = half * (inner[1] - inner[0])
        low, high = np.maximum(low, at - step), np.minimum(high, at + step)
        if n + 1 == _ALL:
            first = np.argmax(best, axis=1)[:, None]
            at, best, low, high = (np.take_along_axis(x, first, axis=1) for x in (at, best, low, high))
    return at[:, 0], best[:, 0]


def _crests(values: Array) -> BoolArray:
    """Samples that are no lower than those beside them."""
    edge = np.full((len(values), 1), -np.inf)
    padded = np.concatenate([edge, values, edge], axis=1)
    return (padded[:, 1:-1] >= padded[:, :-2]) & (padded[:, 1:-1] >= padded[:, 2:])
