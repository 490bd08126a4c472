"""Trim curves of a file that run along a side of their surface: the edge is that side, whole or in part, and exact."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import norm
from pamble.core.faces.face import Edge, side_curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import curve_part
from pamble.core.spline.surface import EDGES, Surface

_SAME = 1e-5
"""How near in mm to the side the curve of the file runs."""

_WHOLE = 1e-9
"""Share of the side by which an edge ends beside its end and is taken to end there."""

_ON_SIDE = 1e-9
"""Share of a domain within which a trim curve lies on a side of it."""


def on_sides(surface: Surface, loops: Sequence[Sequence[Edge]]) -> tuple[tuple[Edge, ...], ...]:
    """The loops, edges along a side of the surface run as the side runs, with their names."""
    return tuple(tuple(_on_side(surface, edge) for edge in loop) for loop in loops)


def side_of(edge: Edge) -> str | None:
    """The side of its surface that an edge lies on, known as such or not."""
    if edge.side is not None:
        return edge.side
    flat = edge.pcurve.control
    for side in EDGES:
        k, high = EDGES.index(side) // 2, int(side[1])
        bounds = edge.surface.domain[k]
        if np.abs(flat[:, k] - bounds[high]).max() < _ON_SIDE * (bounds[1] - bounds[0]):
            return side
    return None


def _on_side(surface: Surface, edge: Edge) -> Edge:
    """The stretch of a side along which an edge runs; the edge as it is where it leaves all of them or turns back."""
    side = side_of(edge)
    if side is None:
        return edge
    axis = 1 - EDGES.index(side) // 2
    runs = np.diff(edge.pcurve.control[:, axis])
    t = np.linspace(*edge.domain, 33)
    uv = curve_points(edge.pcurve, t)
    off = norm(curve_points(edge.space, t) - surface_points(surface, uv[:, 0], uv[:, 1])).max()
    if not ((runs > 0).all() or (runs < 0).all()) or off > _SAME:
        return edge
    low, high = surface.domain[axis]
    near = _WHOLE * (high - low)
    first, last = sorted(uv[[0, -1], axis].tolist())
    first, last = low if first - low < near else first, high if high - last < near else last
    inward = edge.inward if runs[0] > 0 else -edge.inward
    pcurve, _, whole = side_curve(surface, side)
    if (first, last) == (low, high):
        return Edge(surface, edge.name, pcurve, inward, None, side)
    return Edge(surface, edge.name, curve_part(pcurve, first, last), inward, None, side, whole)
