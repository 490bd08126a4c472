"""Where a ball passes lines on which a face is less smooth. Its contact is one derivative less smooth there, and the
fillet needs knots at these places.
"""

from __future__ import annotations

import itertools
from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.fillets.between import Between
from pamble.core.spline.kinks import over_joint
from pamble.core.spline.surface import Surface

_DEGREE = 5
_SMOOTH = 3
"""Continuous derivatives of a face from which on its knots are passed without a trace."""

_APART = 1e-3
"""Share of the crease within which places count as one."""

_SHARP, _TURNS = (2e-6, 1e-4), 1e-5
"""Least and most of that where curvature jumps, and by what angle, radians, the faces may turn between two places that
count as one: a contact that turns at one of them only misses its face by so much.
"""

_BESIDE = 1e-4
"""Share of the crease beside a place from which its curvature there is told."""

_WITHIN = 2e-4
"""Share of the crease from its ends within which a place counts as the end."""

_ROUNDS, _AT = 30, 1e-11
"""Most rounds in which a place is closed in on, and the share of the crease at which it is."""


def stops(ball: Between) -> list[tuple[float, int]]:
    """Shares of the way from the first station to the last, rising and apart, and the multiplicity of a knot there.
    Where the crease's curvature jumps the ball's pace does, wherever it touches the faces.
    """
    found = [*passed(ball), *((float(ball.share(n)), _DEGREE) for n in ball.crease.parts)]
    merged: list[tuple[float, int]] = []
    for x, m in sorted(found):
        within = _sharp(ball, x) if m >= _DEGREE and ball.closed else _WITHIN
        if not within < x < 1 - within:
            continue
        y, n = merged[-1] if merged else (-1.0, 0)
        if x - y >= (_sharp(ball, x) if min(m, n) >= _DEGREE else _APART):
            merged.append((x, m))
        elif m == n:
            merged[-1] = 0.5 * (x + y), m
        elif m > n:
            merged[-1] = x, m
    return merged


def _sharp(ball: Between, share: float) -> float:
    """Share of the crease within which places at which curvature jumps count as one, by how much it does."""
    c = ball.crease
    at, numbers = np.array([ball.share(n) for n in range(len(c.s))]), np.arange(len(c.s))
    if c.closed:
        at = np.concatenate([at[:-1] - 1.0, at, at[1:] + 1.0])
        numbers = np.concatenate([numbers[:-1], numbers, numbers[1:]])
    sides = np.flatnonzero(at < share - _BESIDE)[-3:], np.flatnonzero(at > share + _BESIDE)[:3]
    if min(map(len, sides)) < 3:
        return _SHARP[0]
    length, bends = float(norm(np.diff(c.points, axis=0)).sum()), []
    for own in sides:
        tangents, points = c.tangents[numbers[own]], c.points[numbers[own]]
        turn = np.diff(tangents, axis=0) / norm(np.diff(points, axis=0))[:, None]
        size, middle = norm(turn), 0.5 * (at[own][1:] + at[own][:-1])
        grown = size[0] + (size[1] - size[0]) * (share - middle[0]) / (middle[1] - middle[0])
        bends.append((max(float(grown), 0.0), turn[0]))
    # Directions turn with the crease: only how much it bends, and to which side, is compared.
    (one, way), (two, other) = bends
    jump = length * (abs(one - two) if way @ other > 0 else one + two)
    return float(np.clip(2.0 * _TURNS / max(jump, _TURNS), *_SHARP))


def passed(ball: Between, least: int = 0) -> list[tuple[float, int]]:
    """Shares at which a contact passes a line on which its face is less smooth, and the multiplicity of a knot there.

    least: of the multiplicity.
    """
    weak = [_weak(ball.crease.surfaces[k // 2], k % 2) for k in range(4)]
    if not any(_DEGREE + 1 - smooth >= least for lines in weak for _, smooth in lines):
        return []
    s = np.linspace(0, 1, 4 * len(ball.crease.s) + 1)
    uv = ball.at(s).contacts.uv
    # Each line: which parameter passes which value, between which places, and the knot's multiplicity.
    found: list[tuple[int, float, int, int]] = []
    for k, lines in enumerate(weak):
        for value, smooth in lines:
            if _DEGREE + 1 - smooth < least:
                continue
            for place in _reached(ball.crease.surfaces[k // 2], k % 2, value, uv[:, k]):
                over = uv[:, k] >= place
                at = np.flatnonzero(over[:-1] != over[1:])
                found += [(k, place, i, _DEGREE + 1 - smooth) for i in at.tolist()]
    if not found:
        return []
    columns, places, at = (np.array([f[n] for f in found]) for n in range(3))
    return list(zip(_crossed(ball, columns, places, s[at], s[at + 1]).tolist(), [f[3] for f in found], strict=True))


def jumps(ball: Between) -> list[float]:
    """Shares of the crease at which a contact passes a line across which its face's curvature jumps."""
    s = ball.crease.s
    return sorted(float(s[0] + x * (s[-1] - s[0])) for x, _ in passed(ball, _DEGREE))


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


def _crossed(ball: Between, columns: Array, values: Array, low: Array, high: Array) -> Array:
    """Shares between ``low`` and ``high`` (k,) at which parameters of contacts pass values (k,), by false position (the
    Illinois method: their pace may be another before and after).
    """

    def away(x: Array) -> Array:
        return np.asarray(ball.at(x).contacts.uv[np.arange(len(x)), columns] - values)

    ends = [away(low), away(high)]
    last, at = np.zeros(len(low)), low
    for _ in range(_ROUNDS):
        gap = ends[1] - ends[0]
        way = np.where(gap == 0, 0.0, ends[0] * (high - low) / np.where(gap == 0, 1.0, gap))
        before, at = at, np.clip(low - way, low, high)
        if np.abs(at - before).max() < _AT:
            break
        here = away(at)
        left = here * ends[0] > 0
        side = np.where(left, -1.0, 1.0)
        halved = np.where(side == last, 0.5, 1.0)
        settled = (here == 0) | (high - low < _AT)
        low, high, last = np.where(left | settled, at, low), np.where(left & ~settled, high, at), side
        ends = [np.where(left, here, halved * ends[0]), np.where(left, halved * ends[1], here)]
        # What is found stays.
        ends = [np.where(settled, 0.0, ends[0]), np.where(settled, 1.0, ends[1])]
    return at
