"""Edges that two faces share: in which stretches, and whether the faces go on in each other there."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import dot
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import frames
from pamble.core.fillets.bordered import distance_from, places_on, spans_along
from pamble.core.spline.closest import boxed, to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part

MEET = 1e-3
"""Distance, mm, within which edges meet."""

_AGAINST = -np.cos(np.radians(0.1))
"""Cosine of the turn between the ways in which two faces are left at an edge, from which they do not go on."""

_LEAST = 1e-6
"""Share of an edge from which a stretch counts."""


def shared_with(edge: Edge, other: Face) -> tuple[list[Edge], list[Edge]]:
    """An edge in stretches: those that another face does not share, and those that it does."""
    (start, end), places = edge.domain, places_on(edge.space)
    beside = [e for e in other.edges if boxed(e.space, places, MEET).any()]
    if not beside:
        return [edge], []
    if distance_from(beside, places) < MEET:
        return [], [edge]
    spans = spans_along([Face(edge.surface, ((edge,),)), Face(other.surface, (tuple(beside),))], 0, edge, MEET)
    at, free, shared = start, list[Edge](), list[Edge]()
    for a, b, _ in spans:
        if a - at > _LEAST * (end - start):
            free.append(_stretch(edge, at, a))
        shared.append(_stretch(edge, a, b))
        at = max(at, b)
    if end - at > _LEAST * (end - start):
        free.append(_stretch(edge, at, end))
    return free, shared


def goes_on(edge: Edge, other: Edge) -> bool:
    """Whether the middle of an edge lies on another, and the faces of both are left there in opposite ways."""
    middle = np.array([0.5 * sum(edge.domain)])
    place = curve_points(edge.space, middle)
    if not boxed(other.space, place, MEET)[0]:
        return False
    foot = to_curve(other.space, place)
    if foot.distance[0] > MEET:
        return False
    outward = [frames(e, t, remember=False).outward for e, t in ((edge, middle), (other, foot.t))]
    return bool(dot(*outward)[0] < _AGAINST)


def _stretch(edge: Edge, start: float, end: float) -> Edge:
    return (
        edge
        if (start, end) == edge.domain
        else Edge(edge.surface, edge.name, curve_part(edge.pcurve, start, end), edge.inward, None, edge.at, edge.twin)
    )
