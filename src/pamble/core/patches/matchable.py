"""Surfaces on which a side can be matched: as it is, of the neighbour's degree, with its knots, with more spans."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.faces.face import Edge, natural_edge
from pamble.core.patches.lent import SAME_KNOT, inner_knots
from pamble.core.patches.side import Side
from pamble.core.spline import basis
from pamble.core.spline.evaluate import curve_points, surface_grid
from pamble.core.spline.knots import insert_surface_knots, raise_surface_degree, recast_surface
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import COINCIDENT

_KNOTS_FOR_ONE = 8
"""Knots of a neighbour's edge that count as one span put in: they are the edge's own, and no search."""

_MOST_DEGREE, _CALM_DEGREE = 9, 5
"""Along a side: the highest degree that an edge lends, and the one by which edges that lie anywhere are followed."""

_SHORT = 0.3
"""Share of the longest span below which one is not parted again."""

_ON_THE_WAY = np.array([0.0, 0.3, 0.7, 1.0])
"""Shares of a side at which it is asked which way it runs: those of a loop begin and end alike."""

_COMPARED = 33
"""Places each way at which two surfaces are compared."""

_FEW = 1
"""Spans put in before the degree is raised."""

_AS = 0.25
"""Power of its figure over its aim by which a span is parted: they fall with the fourth of its length."""


Along = tuple[Array, Array]
"""Shares (m,) of a side, and the worst figure over its aim at each."""


@dataclass(frozen=True)
class Wanted:
    """A pair as it is matched: the side of the surface, the neighbour's stretch beside it, and the continuity. over: of
    a loop, see `Side`.
    """

    side: str
    target: Edge
    order: int
    over: tuple[float, float] | None = None


def along_side(wide: Surface, asked: Wanted, by_length: bool | None = None) -> Side:
    """The neighbour's edge, run through as the side is. by_length: see `Side`."""
    own = natural_edge(wide, asked.side)
    line = Side(asked.target, by_length=by_length, over=asked.over)
    low, high = own.space.domain
    beside = curve_points(own.space, low + (high - low) * _ON_THE_WAY)
    away = [float(norm(x.points(_ON_THE_WAY) - beside).sum()) for x in (line, line.reversed())]
    return line.reversed() if away[1] < away[0] else line


def paces(asked: Sequence[Wanted]) -> tuple[bool | None, ...]:
    """At which paces neighbours' edges are tried, see `Side`: their own can be held exactly, that by length is even."""
    return (False, True) if any(Side(a.target).uneven for a in asked) else (None,)


def candidates(
    base: Surface, asked: Sequence[Wanted], most: int, missed: Mapping[str, Along]
) -> Iterator[tuple[Surface, int, int]]:
    """Surfaces to match on, simplest first, with the spans that were put in, and by how much the degree was raised,
    along the sides: as it is; of the degree of the neighbours' edges; with their knots too, which can hold these
    exactly; with more spans. Where a neighbour's edge is no side of its surface, few more spans are followed by a
    higher degree: a low one takes many to follow it. missed: by side, how the one before met along it: where it
    missed, spans come next. Where none may come, the degree stays too.
    """
    richer = base
    for a in asked:
        richer = _like_neighbour(richer, a)
    lifted = max(richer.degree_u - base.degree_u, richer.degree_v - base.degree_v)
    if lifted > 0:
        yield base, 0, 0
    knotted = richer
    for a in asked:
        knotted = _with_knots(knotted, a)
    known = sum(x - y for x, y in zip(knotted.spans, richer.spans, strict=True))
    if 0 < known <= max(most, 1) * _KNOTS_FOR_ONE:
        yield richer, 0, lifted
        richer = knotted
    else:
        known = 0
    calm = richer
    for a in asked if most else ():
        calm = _calm(calm, a)
    more = max(calm.degree_u - richer.degree_u, calm.degree_v - richer.degree_v)
    ways = [(richer, 0, min(_FEW, most)), (calm, more, most)] if more else [(richer, 0, most)]
    for wide, raised, room in ways:
        added = 0
        yield wide, known, lifted + raised
        while added < room:
            wide, parts = _parted(wide, asked, missed, room - added)
            added += parts
            yield wide, known + added, lifted + raised


def made_like(surface: Surface, like: Surface) -> tuple[Surface, int, int] | None:
    """The same surface on the degrees and knots of another, with what `candidates` say of it; None where these do not
    hold it.
    """
    more = like.degree_u - surface.degree_u, like.degree_v - surface.degree_v
    if min(more) < 0 or like.domain != surface.domain:
        return None
    wide = recast_surface(surface, (like.degree_u, like.degree_v), (like.knots_u, like.knots_v))
    u, v = (np.linspace(*ends, _COMPARED) for ends in surface.domain)
    off = np.abs(surface_grid(wide, u, v, 0) - surface_grid(surface, u, v, 0)).max()
    if off > COINCIDENT:
        return None
    return wide, sum(like.spans) - sum(surface.spans), max(more)


def _calm(surface: Surface, asked: Wanted) -> Surface:
    """The surface with a degree along a side that follows an edge which lies anywhere in few spans."""
    if asked.target.side is not None and not asked.target.parts and asked.target.surface.weights is None:
        return surface
    return _of_degree(surface, asked.side, _CALM_DEGREE)


def _of_degree(surface: Surface, side: str, least: int) -> Surface:
    """The surface with at least a degree along a side."""
    along_u = side[0] == "v"
    more = max(0, least - (surface.degree_u if along_u else surface.degree_v))
    return raise_surface_degree(surface, *((more, 0) if along_u else (0, more))) if more else surface


def _like_neighbour(surface: Surface, asked: Wanted) -> Surface:
    """The surface with at least the degree of a neighbour's edge along a side."""
    edge = asked.target
    if edge.side is None or edge.parts or edge.surface.weights is not None:
        return surface
    return _of_degree(surface, asked.side, min(edge.space.degree, _MOST_DEGREE))


def _with_knots(surface: Surface, asked: Wanted) -> Surface:
    """The surface with the knots of a neighbour's edge along a side, each as loose as it is there."""
    along_u = asked.side[0] == "v"
    degree, knots = (surface.degree_u, surface.knots_u) if along_u else (surface.degree_v, surface.knots_v)
    low, high = knots[degree], knots[-degree - 1]
    for share, count in inner_knots(along_side(surface, asked), degree):
        at = low + share * (high - low)
        near = np.abs(knots - at) < SAME_KNOT * (high - low)
        more = count - int(near.sum())
        knots = np.sort(np.concatenate([knots, np.full(max(more, 0), knots[near][0] if near.any() else at)]))
    pair = (knots, surface.knots_v) if along_u else (surface.knots_u, knots)
    return recast_surface(surface, (surface.degree_u, surface.degree_v), pair)


def _parted(surface: Surface, asked: Sequence[Wanted], missed: Mapping[str, Along], most: int) -> tuple[Surface, int]:
    """The surface with knots more along the sides, at most so many each way, and their number: spans are parted by how
    much they missed, the worst first; where none can be, the longest is.
    """
    parts = []
    for along_u in sorted({a.side[0] == "v" for a in asked}):
        degree, knots = (surface.degree_u, surface.knots_u) if along_u else (surface.degree_v, surface.knots_v)
        breaks = basis.breaks(knots, degree)
        lengths, ratios = np.diff(breaks), np.zeros(len(breaks) - 1)
        for at, over in (missed[a.side] for a in asked if (a.side[0] == "v") == along_u and a.side in missed):
            span = np.searchsorted(breaks[1:-1], breaks[0] + at * (breaks[-1] - breaks[0]))
            np.maximum.at(ratios, span, over)
        ratios[lengths < _SHORT * lengths.max()] = 0.0
        if ratios.max() <= 1.0:
            ratios[np.argmax(lengths)] = 2.0
        new: list[Array] = []
        for i in np.argsort(-ratios, kind="stable")[: np.count_nonzero(ratios > 1.0)].tolist():
            more = min(max(1, math.ceil(ratios[i] ** _AS) - 1), most - sum(map(len, new)))
            new.append(np.linspace(breaks[i], breaks[i + 1], more + 2)[1:-1])
        inner = np.sort(np.concatenate(new))
        parts.append(len(inner))
        surface = insert_surface_knots(surface, *((inner, None) if along_u else (None, inner)))
    return surface, max(parts)


def on_unit_knots(knots: Array, degree: int) -> Array:
    a, b = knots[degree], knots[-degree - 1]
    return np.asarray((knots - a) / (b - a))
