"""Surfaces on which a side can be matched: as it is, of the neighbour's degree, with its knots, with more spans."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.faces.face import Edge, natural_edge
from pamble.core.patches.lent import SAME_KNOT, inner_knots
from pamble.core.patches.side import Side
from pamble.core.spline import basis
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import raise_surface_degree, recast_surface
from pamble.core.spline.surface import Surface

_KNOTS_FOR_ONE = 8
"""Knots of a neighbour's edge that count as one span put in: they are the edge's own, and no search."""

_MOST_DEGREE = 9


@dataclass(frozen=True)
class Wanted:
    """A pair as it is matched: the side of the surface, the neighbour's stretch beside it, and the continuity."""

    side: str
    target: Edge
    order: int


def along_side(wide: Surface, asked: Wanted, by_length: bool | None = None) -> Side:
    """The neighbour's edge, run through as the side is. by_length: see `Side`."""
    own = natural_edge(wide, asked.side)
    line = Side(asked.target, by_length=by_length)
    away = norm(line.ends - curve_points(own.space, own.space.domain)[0])
    return line.reversed() if away[0] > away[1] else line


def paces(asked: Sequence[Wanted]) -> tuple[bool | None, ...]:
    """At which paces neighbours' edges are tried, see `Side`: their own can be held exactly, that by length is even."""
    return (False, True) if any(Side(a.target).uneven for a in asked) else (None,)


def candidates(base: Surface, asked: Sequence[Wanted], most: int) -> Iterator[tuple[Surface, int, int]]:
    """Surfaces to match on, simplest first, with the spans that were put in, and by how much the degree was raised,
    along the sides: as it is; of the degree of the neighbours' edges; with their knots too, which can hold these
    exactly; with more spans.
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
        yield knotted, known, lifted
        richer = knotted
    else:
        known = 0
    for added in range(1 if known else 0, most + 1):
        wide = richer
        for along in {a.side[0] for a in asked}:
            wide = _with_spans(wide, along, added)
        yield wide, known + added, lifted


def _like_neighbour(surface: Surface, asked: Wanted) -> Surface:
    """The surface with at least the degree of a neighbour's edge along a side."""
    edge = asked.target
    if edge.side is None or edge.surface.weights is not None:
        return surface
    way = 1 if asked.side[0] == "u" else 0
    own = (surface.degree_u, surface.degree_v)[way]
    more = min(edge.space.degree, _MOST_DEGREE) - own
    return raise_surface_degree(surface, *((0, more) if way else (more, 0))) if more > 0 else surface


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


def _with_spans(surface: Surface, held: str, added: int) -> Surface:
    """The surface with so many knots more along the sides that hold u or v, in the middle of its longest spans."""
    along_u = held == "v"
    degree, knots = (surface.degree_u, surface.knots_u) if along_u else (surface.degree_v, surface.knots_v)
    for _ in range(added):
        breaks = basis.breaks(knots, degree)
        i = int(np.argmax(np.diff(breaks)))
        knots = np.sort(np.append(knots, 0.5 * (breaks[i] + breaks[i + 1])))
    pair = (knots, surface.knots_v) if along_u else (surface.knots_u, knots)
    return recast_surface(surface, (surface.degree_u, surface.degree_v), pair) if added else surface


def on_unit_knots(knots: Array, degree: int) -> Array:
    a, b = knots[degree], knots[-degree - 1]
    return np.asarray((knots - a) / (b - a))
