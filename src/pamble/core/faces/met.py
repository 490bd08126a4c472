"""Edges parted where the corners of other faces lie on them, so that faces that are sewn share whole edges."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.on_sides import side_of
from pamble.core.spline.closest import boxed, to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part

_ON, _APART = 2e-3, 0.2
"""Distance, mm, within which a corner lies on an edge; and from its ends and other corners from which it parts it."""


def parted_where_met(faces: Sequence[Face]) -> list[Face]:
    """The faces with their cut edges parted at corners of others. Whole sides of surfaces stay whole."""
    corners = [np.concatenate([curve_points(e.space, e.domain) for e in face.edges]) for face in faces]
    out = []
    for i, face in enumerate(faces):
        others = np.concatenate([np.zeros((0, 3)), *(c for k, c in enumerate(corners) if k != i)])
        out.append(face if face.natural else replace(face, loops=tuple(_loop(own, others) for own in face.loops)))
    return out


def _loop(loop: Sequence[Edge], corners: Array) -> tuple[Edge, ...]:
    out = list[Edge]()
    for edge in loop:
        pieces = [edge] if side_of(edge) is not None or edge.parts else _pieces(edge, corners)
        out += pieces if edge.inward > 0 else pieces[::-1]
    return tuple(out)


def _pieces(edge: Edge, corners: Array) -> list[Edge]:
    """An edge, or its stretches in order between corners that lie on it."""
    space = edge.space
    near = corners[boxed(space, corners, _ON)]
    if not len(near):
        return [edge]
    feet = to_curve(space, near)
    start, end = space.domain
    stops = [start]
    for t in sorted(feet.t[feet.distance < _ON].tolist()):
        if start < t < end and all(_away(edge, t, other) > _APART for other in (stops[-1], end)):
            stops.append(t)
    if len(stops) == 1:
        return [edge]
    return [
        Edge(edge.surface, f"{edge.name}~{k}", curve_part(edge.pcurve, a, b), edge.inward, curve_part(space, a, b))
        for k, (a, b) in enumerate(pairwise([*stops, end]))
    ]


def _away(edge: Edge, t: float, other: float) -> float:
    a, b = curve_points(edge.space, [t, other])
    return float(norm((a - b)[None])[0])
