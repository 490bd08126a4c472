"""Where a ball passes lines on which a face is less smooth. Its contact is one derivative less smooth there, and the
fillet needs knots at these places.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array
from pamble.core.fillets.between import Between
from pamble.core.spline.kinks import over_joint
from pamble.core.spline.surface import Surface

_DEGREE = 5
_SMOOTH = 3
"""Continuous derivatives of a face from which on its knots are passed without a trace."""

_APART = 1e-3
"""Share of the crease within which places count as one."""

_WITHIN = 2e-4
"""Share of the crease from its ends within which a place counts as the end."""

_ROUNDS, _AT = 40, 1e-12
"""Most rounds in which a place is closed in on, and the share of the crease at which it is."""


def stops(ball: Between) -> list[tuple[float, int]]:
    """Shares of the way from the first station to the last, rising and apart, and the multiplicity of a knot there."""
    s = np.linspace(0, 1, 4 * len(ball.crease.s) + 1)
    uv = ball.at(s).contacts.uv
    found: list[tuple[float, int]] = []
    for k in range(4):
        surface, along = ball.crease.surfaces[k // 2], k % 2
        for value, smooth in _weak(surface, along):
            for place in _reached(surface, along, value, uv[:, k]):
                at = np.flatnonzero((uv[:-1, k] - place) * (uv[1:, k] - place) < 0)
                found += [(x, _DEGREE + 1 - smooth) for x in _crossed(ball, k, place, s[at], s[at + 1]).tolist()]
    merged: list[tuple[float, int]] = []
    for x, m in sorted(found):
        if not _WITHIN < x < 1 - _WITHIN:
            continue
        if merged and x - merged[-1][0] < _APART:
            merged[-1] = 0.5 * (merged[-1][0] + x), max(merged[-1][1], m)
        else:
            merged.append((x, m))
    return merged


def knots_between(found: Sequence[tuple[float, int]], spans: int) -> Array:
    """Knots of degree 5 on [0, 1] with the stops and at least one span between any two, ``spans`` to a mean gap."""
    edges = np.array([0.0, *(x for x, _ in found), 1.0])
    parts = [np.zeros(_DEGREE + 1)]
    for i, (a, b) in enumerate(itertools.pairwise(edges)):
        n = max(1, round(spans * (b - a) * (len(edges) - 1)))
        parts.append(np.linspace(a, b, n + 1)[1:-1])
        parts.append(np.full(found[i][1] if i < len(found) else _DEGREE + 1, b))
    return np.concatenate(parts)


def _weak(surface: Surface, along: int) -> list[tuple[float, int]]:
    """Knots in a direction with fewer continuous derivatives than `_SMOOTH` + 1, and how many; a joint among them."""
    knots, degree = ((surface.knots_u, surface.degree_u), (surface.knots_v, surface.degree_v))[along]
    values, count = np.unique(knots[degree + 1 : len(knots) - degree - 1], return_counts=True)
    out = [(float(v), max(degree - int(c), 1)) for v, c in zip(values, count, strict=True) if degree - c <= _SMOOTH]
    if surface.closed[along]:
        smooth = max(over_joint(surface, along), 1)
        out += [(float(surface.domain[along][0]), smooth)] if smooth <= _SMOOTH else []
    return out


def _reached(surface: Surface, along: int, value: float, column: Array) -> list[float]:
    """The value, and those a number of turns on round a closed surface, within what a column passes."""
    if not surface.closed[along]:
        return [value]
    low, high = surface.domain[along]
    period = high - low
    first, last = np.ceil((column.min() - value) / period), np.floor((column.max() - value) / period)
    return [value + period * j for j in np.arange(first, last + 1).tolist()]


def _crossed(ball: Between, column: int, value: float, low: Array, high: Array) -> Array:
    """Shares between ``low`` and ``high`` (k,) at which a parameter of a contact passes a value, by false position (the
    Illinois method: its pace may be another before and after).
    """
    if not len(low):
        return low
    ends = [ball.at(x).contacts.uv[:, column] - value for x in (low, high)]
    last, at = np.zeros(len(low)), low
    for _ in range(_ROUNDS):
        before, at = at, low - ends[0] * (high - low) / (ends[1] - ends[0])
        here = ball.at(at).contacts.uv[:, column] - value
        if not np.any(here) or np.abs(at - before).max() < _AT:
            break
        left = here * ends[0] > 0
        side = np.where(left, -1.0, 1.0)
        halved = np.where(side == last, 0.5, 1.0)
        low, high, last = np.where(left, at, low), np.where(left, high, at), side
        ends = [np.where(left, here, halved * ends[0]), np.where(left, halved * ends[1], here)]
    return at
