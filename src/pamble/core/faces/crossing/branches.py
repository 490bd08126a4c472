"""Branches of an intersection, exact: found anew, or followed from where they were.

A branch is a row of stretches that run on into each other at knots where a surface is not smooth.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, dot, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.search import SHORT, Chain, search
from pamble.core.faces.crossing.stations import (
    COUNT,
    End,
    Lost,
    Stretch,
    bounds,
    legs,
    refuse_bad,
    settled,
    solve,
    spread,
    tangents,
)
from pamble.core.spline.surface import Surface

_FINER = (1.0, 2.5, 6.0)
_MORE = (1, 2, 4)
_SAME_STOP = 1e-4
"""Distance, as a fraction of the smaller surface, below which two knots are crossed in one place."""

_TURNED = 1.0
"""Angle in degrees between two stretches from which on there is a kink between them."""


@dataclass(frozen=True)
class Branch:
    """Stretches in order; loop: whether the last runs on into the first."""

    stretches: tuple[Stretch, ...]
    loop: bool

    @property
    def length(self) -> float:
        return float(sum(norm(legs(s)).sum() for s in self.stretches))


def find_branches(a: Surface, b: Surface) -> list[Branch]:
    """All branches of the intersection of two surfaces; empty if they do not meet.

    Along every branch the tangent runs as normal of A x normal of B: the left side on A is the one where A lies before
    B's normal. Raises `GeometryError` where the surfaces only touch.
    """
    problem: Lost | None = None
    for finer in _FINER:
        try:
            chains = search(a, b, finer)
            least = SHORT * min(a.diagonal, b.diagonal)
            return [_oriented(_exact(a, b, c)) for c in chains if norm(np.diff(c.point, axis=0)).sum() > least]
        except Lost as error:
            problem = error
    raise GeometryError(f"Where the surfaces meet cannot be followed: {problem}. Move or turn one of them a little.")


def follow(a: Surface, b: Surface, branches: Sequence[Branch]) -> list[Branch]:
    """The same branches on surfaces that moved a little. Raises `Lost`: then they are to be found anew."""
    return [Branch(tuple(_followed(a, b, s) for s in branch.stretches), branch.loop) for branch in branches]


def _followed(a: Surface, b: Surface, s: Stretch) -> Stretch:
    new = solve(a, b, s.q, s.point, s.tangent, s.ends)
    for _ in range(2):
        low, high = bounds(a, b)
        slack = 1e-9 * (high - low)
        out = np.any((new.q < low - slack) | (new.q > high + slack), axis=1)
        if new.ends is None or not out.any():
            break
        new = _handed_over(a, b, new, out, low, high)
    length = norm(legs(new))
    if length.max() > 2 * length.min():
        even = spread(new, len(new.q))
        new = solve(a, b, even.q, even.point, even.tangent, new.ends)
    refuse_bad(a, b, new)
    return new


def _handed_over(a: Surface, b: Surface, s: Stretch, out: Array, low: Array, high: Array) -> Stretch:
    """A stretch whose ends ran over another border than they hold: they now end there."""
    if out.all():
        raise Lost("it left a surface")
    m = len(out)
    head, tail = int(np.argmin(out)), int(np.argmin(out[::-1]))
    if out[head : m - tail].any() or s.ends is None:
        raise Lost("it left a surface in its middle")
    ends = list(s.ends)
    for row, count in ((0, head), (-1, tail)):
        if not count:
            continue
        over = np.maximum(low - s.q[row], s.q[row] - high) / (high - low)
        k = int(np.argmax(over))
        if over[k] <= 0:
            raise Lost("it runs over a corner")
        ends[row] = (k, float(low[k] if s.q[row, k] < low[k] else high[k]))
    both = (ends[0], ends[-1])
    even = spread(replace(s, ends=both), m, head, m - tail)
    return solve(a, b, even.q, even.point, even.tangent, both)


def _exact(a: Surface, b: Surface, chain: Chain) -> Branch:
    parts, loop = _parted(a, b, chain)
    return Branch(tuple(_stretch(a, b, q, point, ends) for q, point, ends in parts), loop)


def _stretch(a: Surface, b: Surface, q: Array, point: Array, ends: tuple[End, End] | None) -> Stretch:
    """Even stations, exact; more of them where few do not settle."""
    problem: Lost | None = None
    for more in _MORE:
        try:
            start = _first_stations(q, point, ends, COUNT * more)
            return settled(a, b, solve(a, b, start.q, start.point, start.tangent, ends), COUNT * more)
        except Lost as error:
            problem = error
    assert problem is not None
    raise problem


def _first_stations(q: Array, point: Array, ends: tuple[End, End] | None, count: int) -> Stretch:
    if ends is None:
        q, point = np.vstack([q, q[:1]]), np.vstack([point, point[:1]])
    along = np.append(0.0, np.cumsum(norm(np.diff(point, axis=0))))
    at = np.linspace(0, along[-1], count + (ends is None))[: count or None]
    rows = np.column_stack([np.interp(at, along, column) for column in np.column_stack([q, point]).T])
    for row, (k, value) in zip((0, -1), ends or (), strict=False):
        rows[row, k] = value
    none = np.zeros((2, 0, 3))
    return Stretch(rows[:, :4], rows[:, 4:], tangents(rows[:, 4:], ends is None), ends, np.zeros(0), none, none)


def rough_knots(surface: Surface, smooth: int) -> list[list[float]]:
    """Inner knots of u and of v at which the surface has fewer than ``smooth`` + 1 continuous derivatives."""
    out = []
    for knots, degree in ((surface.knots_u, surface.degree_u), (surface.knots_v, surface.degree_v)):
        inner = knots[degree + 1 : len(knots) - degree - 1]
        values, count = np.unique(inner, return_counts=True)
        out.append([float(v) for v, c in zip(values, count, strict=True) if degree - c <= smooth])
    return out


Part = tuple[Array, Array, tuple[End, End] | None]


def _parted(a: Surface, b: Surface, chain: Chain) -> tuple[list[Part], bool]:
    """A chain cut at the knots where a surface is not twice smooth: q, points and ends of each part."""
    held = [*rough_knots(a, 1), *rough_knots(b, 1)]
    low, high = bounds(a, b)
    stops = {
        int(i): (k, float(value))
        for k, values in enumerate(held)
        for value in values
        for i in np.flatnonzero(chain.q[:, k] == value)
    }
    if chain.loop and not stops:
        return [(chain.q, chain.point, None)], True
    q, point = chain.q, chain.point
    if chain.loop:
        first = min(stops)
        order = np.append(np.roll(np.arange(len(q)), -first), first)
        q, point = q[order], point[order]
        stops = {(i - first) % len(chain.q): s for i, s in stops.items()}
        stops[len(q) - 1] = stops[0]
    else:
        for row, at in ((0, 0), (-1, len(q) - 1)):
            k = int(np.argmin(np.minimum(np.abs(q[row] - low), np.abs(q[row] - high)) / (high - low)))
            stops[at] = (k, float(low[k] if abs(q[row, k] - low[k]) < abs(q[row, k] - high[k]) else high[k]))
    kept = _apart(sorted(stops), point, _SAME_STOP * min(a.diagonal, b.diagonal))
    parts: list[Part] = [(q[i : j + 1], point[i : j + 1], (stops[i], stops[j])) for i, j in pairwise(kept)]
    return parts, chain.loop


def _apart(rows: list[int], point: Array, least: float) -> list[int]:
    """Stops that lie apart; of two in one place the first counts, but the end of the chain always does."""
    along = np.append(0.0, np.cumsum(norm(np.diff(point, axis=0))))
    kept = rows[:1]
    for row in rows[1:-1]:
        if along[row] - along[kept[-1]] > least and along[rows[-1]] - along[row] > least:
            kept.append(row)
    return [*kept, rows[-1]]


def _oriented(branch: Branch) -> Branch:
    """The branch run as normal of A x normal of B."""
    s = branch.stretches[0]
    way = np.cross(np.cross(s.a[0], s.a[1]), np.cross(s.b[0], s.b[1]))
    if float(dot(way, s.tangent).sum()) > 0:
        return branch
    return Branch(tuple(_reversed(s) for s in reversed(branch.stretches)), branch.loop)


def _reversed(s: Stretch) -> Stretch:
    ends = None if s.ends is None else (s.ends[1], s.ends[0])
    return Stretch(s.q[::-1], s.point[::-1], -s.tangent[::-1], ends, s.sine[::-1], s.a[:, ::-1], s.b[:, ::-1])


def smooth_runs(branch: Branch) -> list[Branch]:
    """The branch cut at its kinks."""
    s = branch.stretches
    bend = [float(np.degrees(np.arccos(np.clip(dot(x.tangent[-1], y.tangent[0]), -1, 1)))) for x, y in pairwise(s)]
    kinks = [i + 1 for i, angle in enumerate(bend) if angle > _TURNED]
    if not kinks:
        return [branch]
    cuts = [0, *kinks, len(s)]
    return [Branch(s[i:j], False) for i, j in pairwise(cuts)]
