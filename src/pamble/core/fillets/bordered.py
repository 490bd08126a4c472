"""What borders an edge: the faces whose edges lie along it, whole or in stretches."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, BoolArray, norm
from pamble.core.faces.face import Edge, Face
from pamble.core.spline.closest import CurveFeet, boxed, to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part

_SHARED, _WITH = 4, 0.9
"""Samples of an edge, of 33, that lie on a crease if it is part of it, and how far along it they lead for their own
way: a short edge that only ends there has as many beside it, and leads away.
"""

_BETWEEN = 17
"""Places at which a stretch of an edge is looked at."""

_FAR = 2.0
"""Times the reach from which a curve that leaves a crease on its way is not one with it."""


def bordered(part: Sequence[Face], number: int, edge: Edge, reach: float) -> list[tuple[int, Edge]]:
    """An edge, or its stretches in order, each with the other face that borders it; none where it is not bordered
    whole.
    """
    points = places_on(edge.space)
    away = [
        np.inf if i == number else distance_from([e for e in face.edges if boxed(e.space, points, reach).any()], points)
        for i, face in enumerate(part)
    ]  # fmt: skip
    nearest = int(np.argmin(away))
    if away[nearest] <= reach:
        return [(nearest, edge)]
    spans = spans_along(part, number, edge, reach)
    if not spans or gap_of(edge, spans, reach) is not None:
        return []
    start, end = edge.domain
    cuts = [start, *(0.5 * (a[1] + b[0]) for a, b in pairwise(spans)), end]
    return [(i, _stretch(edge, a, b)) for (a, b), (*_, i) in zip(pairwise(cuts), spans, strict=True)]


def spans_along(part: Sequence[Face], number: int, edge: Edge, reach: float) -> list[tuple[float, float, int]]:
    """Stretches of an edge, start and end, along which whole edges of other faces lie, with the number of each; where
    these leave a gap, those too along which an edge lies that runs on beyond one of its ends.
    """
    whole, over = list[tuple[float, float, int]](), list[tuple[float, float, int]]()
    for i, face in enumerate(part):
        for e in face.edges if i != number else ():
            points = places_on(e.space)
            if not boxed(edge.space, points, reach).any():
                continue
            feet = to_curve(edge.space, points)
            if feet.distance.max() <= reach:
                whole.append((float(feet.t.min()), float(feet.t.max()), i))
            elif (beyond := _over_an_end(edge, e, feet, reach)) is not None:
                over.append((*beyond, i))
    start, end = edge.domain
    whole, over = ([s for s in spans if s[1] - s[0] > 1e-6 * (end - start)] for spans in (whole, over))
    if over and (not whole or gap_of(edge, sorted(whole), reach) is not None):
        whole += [s for s in over if all(min(s[1], b) - max(s[0], a) < 0.5 * (s[1] - s[0]) for a, b, _ in whole)]
    return sorted(whole)


def _over_an_end(edge: Edge, other: Edge, feet: CurveFeet, reach: float) -> tuple[float, float] | None:
    """The stretch of an edge along which another lies that begins or ends on it and runs on beyond one of its ends.
    feet: of places along the other on the edge.
    """
    on = [k for k in (0, -1) if feet.distance[k] <= reach]
    ends = to_curve(other.space, curve_points(edge.space, edge.domain)).distance <= reach
    if len(on) != 1 or ends.sum() != 1:
        return None
    low, high = sorted((float(feet.t[on[0]]), edge.domain[int(np.argmax(ends))]))
    between = curve_points(edge.space, np.linspace(low, high, _BETWEEN))
    return (low, high) if to_curve(other.space, between).distance.max() <= reach else None


def gap_of(edge: Edge, spans: Sequence[tuple[float, float, int]], reach: float) -> Array | None:
    """Where stretches of an edge leave a gap; None where they cover it, or where there are none."""
    start, end = edge.domain
    points = curve_points(edge.space, [start, *(t for a, b, _ in spans for t in (a, b)), end])
    wide = norm(points[1::2] - points[::2]) > reach
    if not spans or not wide.any():
        return None
    first = int(np.argmax(wide))
    return np.asarray(points[2 * first] if first else points[1])


def _stretch(edge: Edge, start: float, end: float) -> Edge:
    pcurve, space = (curve_part(c, start, end) for c in (edge.pcurve, edge.space))
    return Edge(edge.surface, edge.name, pcurve, edge.inward, space, edge.side)


def places_on(curve: Curve) -> Array:
    """Places along a curve, (33, 3)."""
    return curve_points(curve, np.linspace(*curve.domain, 33))


def distance_from(edges: Sequence[Edge], points: Array) -> float:
    """Largest distance of points from the nearest of some edges; infinite where there are none."""
    if not edges:
        return np.inf
    return float(np.min([to_curve(e.space, points).distance for e in edges], axis=0).max())


def shared(space: Curve, curve: Curve, reach: float) -> bool:
    """Whether a curve lies along a crease, as a whole or for a part of it."""
    points = places_on(curve)
    if int(boxed(space, points, reach).sum()) < _SHARED:
        return False
    feet = to_curve(space, points)
    near = feet.distance <= reach
    way, along = (float(norm(np.diff(p[near], axis=0)).sum()) for p in (points, feet.point))
    return int(near.sum()) >= _SHARED and along > _WITH * way and not _leaves(space, feet, near, reach)


def _leaves(space: Curve, feet: CurveFeet, near: BoolArray, reach: float) -> bool:
    """Whether a curve begins on a crease and leaves it at a flat angle, not at one of its ends. feet: of its places on
    the crease; near: which of them count.
    """
    start, end = space.domain
    parting = np.flatnonzero(near[1:] != near[:-1])
    beyond = feet.t[np.where(near[parting], parting + 1, parting)]
    within = (beyond > start) & (beyond < end)
    return bool(len(parting) and within.all() and feet.distance.max() > _FAR * reach)
