"""Which stretch of its neighbour's edge each side of a face is matched to."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.meet import approaches
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, edge_words, natural_edge
from pamble.core.patches.matchable import Wanted
from pamble.core.patches.sections import is_closed
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part

_CORNER = 0.02
"""How far apart, as a share of a side, two neighbours' edges may pass and still meet in the corner of both."""

_HARDLY = 0.1
"""By how much of its way to the neighbour's edge a corner may go along it to come to that one's end."""

_FAR = 0.5
"""How far, as a share of its length, the edge may lie from the neighbour's to still be matched to it."""


@dataclass(frozen=True)
class Pair:
    """A side of the face, by its name, and the edge of a neighbour that it is to meet with G0 to G3."""

    name: str
    to: Edge
    order: int


def asked_of(face: Face, pairs: Sequence[Pair]) -> list[Wanted]:
    """What the sides of a face are to meet, each beside a stretch of its neighbour's edge. Raises `GeometryError`."""
    edges: dict[str, tuple[Edge, Pair]] = {}
    for pair in pairs:
        edge = face.edge(pair.name)
        if edge.side is None or edge.domain != natural_edge(face.surface, edge.side).domain:
            raise GeometryError(
                f"{edge_words(pair.name)} was cut: a face is matched at a whole side of its surface. Shrink or untrim "
                "it first."
            )
        if edge.side in edges:
            raise GeometryError("A side is matched to one neighbour only: it was given twice.")
        edges[edge.side] = edge, pair
    out = []
    for side, (edge, pair) in edges.items():
        if is_closed(edge.space):
            out.append(_round(side, edge, pair))
            continue
        ends = _landed(curve_points(edge.space, edge.space.domain), pair.to)
        for k, end in enumerate(ends):
            for other, (_, beside) in edges.items():
                # Where two matched sides meet, so do their neighbours: the corner is theirs.
                if other[0] != side[0] and int(other[1]) == k:
                    met = min(approaches(pair.to.space, beside.to.space), key=lambda m: norm(m.points[:1] - end)[0])
                    ends[k] = met.points[0] if met.gap < _CORNER * norm(ends[1:] - ends[:1])[0] else end
        out.append(_beside(side, edge, pair, ends))
    return out


def _round(side: str, edge: Edge, pair: Pair) -> Wanted:
    """A side that comes round to its start beside a loop of the neighbour, from the place nearest to that start."""
    if not is_closed(pair.to.space):
        raise GeometryError(
            "This side comes round to its start and the neighbour's edge does not: pick an edge that goes round whole."
        )
    start = to_curve(pair.to.space, curve_points(edge.space, edge.space.domain[:1]))
    _refuse_far(edge, float(start.distance[0]))
    return Wanted(side, pair.to, pair.order, (float(start.t[0]), float(start.t[0])))


def _beside(side: str, edge: Edge, pair: Pair, ends: Array) -> Wanted:
    """A side from end to end beside a stretch of the neighbour's edge between the places nearest to its ends, (2, 3);
    along a loop that may run over its start.
    """
    if is_closed(pair.to.space):
        between = curve_points(edge.space, [0.5 * sum(edge.space.domain)])
        feet = to_curve(pair.to.space, np.vstack([ends[:1], between, ends[1:]]))
        first, middle, last = feet.t
        if not min(first, last) <= middle <= max(first, last):
            _refuse_far(edge, float(feet.distance.max()))
            return Wanted(side, pair.to, pair.order, (float(max(first, last)), float(min(first, last))))
    return Wanted(side, _opposite(edge, pair.to, ends), pair.order)


def _landed(ends: Array, to: Edge) -> Array:
    """Ends (2, 3) of a side, those put on an end of the neighbour's edge that have hardly farther to go to it than to
    the edge.
    """
    feet, out = to_curve(to.space, ends), ends.copy()
    for end in curve_points(to.space, to.space.domain):
        beside = norm(feet.point - end)
        k = int(np.argmin(beside))
        if beside[k] < _HARDLY * feet.distance[k]:
            out[k] = end
    return out


def _opposite(edge: Edge, to: Edge, ends: Array) -> Edge:
    """The stretch of the neighbour's edge that the edge runs along, between the places nearest to ``ends`` (2, 3)."""
    feet = to_curve(to.space, ends)
    _refuse_far(edge, float(feet.distance.max()))
    low, high = sorted(feet.t.tolist())
    start, end = to.space.domain
    whole = end - start
    if (low - start) + (end - high) < 1e-6 * whole:
        return to
    if high - low < 1e-3 * whole:
        raise GeometryError("The edges only touch in a point: pick the neighbour's edge that runs along this one.")
    if to.pcurve.domain != to.space.domain:
        raise GeometryError("Only a whole edge of this neighbour can be matched: pick another.")
    flat, line = (curve_part(c, low, high) for c in (to.pcurve, to.space))
    return Edge(to.surface, to.name, flat, to.inward, line, to.at, parts=to.parts)


def _refuse_far(edge: Edge, apart: float) -> None:
    """Raise `GeometryError` where the neighbour's edge is too far from an edge, mm, to be meant."""
    length = float(norm(np.diff(curve_points(edge.space, np.linspace(*edge.space.domain, 33)), axis=0)).sum())
    if apart > _FAR * length:
        raise GeometryError(f"The edges lie {apart:.2f} mm apart: pick the neighbour's edge beside it.")
