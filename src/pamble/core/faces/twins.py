"""Trim loops on a surface that has changed: their parameter curves stay, their twins in space are made anew."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.transform import Affine
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.fitted import fitted_like, rough_places
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points, surface_points
from pamble.core.spline.knots import curve_part, edge_curve, reverse_curve, reverse_surface, swap_directions
from pamble.core.spline.surface import Surface


def on_surface(face: Face, surface: Surface, tolerance: float) -> Face:
    """The face with another surface of the same parameters under its trim loops.

    Edges along sides stay exact, the others lie on the new surface within ``tolerance`` (mm).
    """
    if face.natural:
        return Face(surface, (), face.names)
    loops = tuple(tuple(_moved(e, surface, tolerance) for e in loop) for loop in face.loops)
    return Face(surface, loops, face.names)


def moved_face(face: Face, change: Affine) -> Face:
    """The face moved, turned, mirrored or scaled with its trims; exact. Its outside stays outside."""
    surface = change.apply(face.surface)
    loops = tuple(
        tuple(Edge(surface, e.name, e.pcurve, e.inward, change.apply(e.space), e.at) for e in loop)
        for loop in face.loops
    )
    made = Face(surface, loops, face.names)
    return turn_over(made) if np.linalg.det(change.matrix) < 0 else made


def turn_over(face: Face) -> Face:
    """The same face with its normal on the other side; its edges keep their names."""
    surface = swap_directions(face.surface)
    u0, u1, v0, v1 = face.names
    return Face(
        surface, tuple(tuple(_turned(e, surface) for e in reversed(loop)) for loop in face.loops), (v0, v1, u0, u1)
    )


def run_back(face: Face) -> Face:
    """The same face with u run through the other way, its normal on the other side; its edges keep their names."""
    surface, ends = reverse_surface(face.surface, "u"), sum(face.surface.domain[0])
    u0, u1, v0, v1 = face.names
    loops = tuple(tuple(_back(e, surface, ends) for e in reversed(loop)) for loop in face.loops)
    return Face(surface, loops, (u1, u0, v0, v1))


def _back(e: Edge, surface: Surface, ends: float) -> Edge:
    """An edge where u runs the other way. A whole side is run as its surface runs it. ends: sum of the limits of u."""
    control = np.column_stack([ends - e.pcurve.control[:, 0], e.pcurve.control[:, 1]])
    pcurve, inward = replace(e.pcurve, control=control), -e.inward
    side = e.side
    if e.natural and side is not None and side[0] == "v":
        pcurve, inward = reverse_curve(pcurve), e.inward
    at = {"u0": "u1", "u1": "u0"}.get(side, side) if side is not None else None
    return Edge(surface, e.name, pcurve, inward, e.curve, at, e.whole)


def _turned(e: Edge, surface: Surface) -> Edge:
    p = Curve(e.pcurve.degree, e.pcurve.knots, e.pcurve.control[:, ::-1], e.pcurve.weights)
    at = None if e.side is None else {"u": "v", "v": "u"}[e.side[0]] + e.side[1]
    return Edge(surface, e.name, p, -e.inward, e.curve, at, e.whole)


def _moved(edge: Edge, surface: Surface, tolerance: float) -> Edge:
    if edge.side is not None and surface.domain == edge.surface.domain:
        whole = edge_curve(surface, edge.side)
        space = whole if edge.domain == whole.domain else curve_part(whole, *edge.domain)
    else:
        space = twin(surface, edge.pcurve, tolerance)
    return Edge(surface, edge.name, edge.pcurve, edge.inward, space, edge.at)


def twin(surface: Surface, pcurve: Curve, tolerance: float) -> Curve:
    """The curve in space over a curve of the parameter plane, on its parameters, within ``tolerance`` (mm)."""

    def place(t: Array) -> Array:
        uv = curve_points(pcurve, t)
        return surface_points(surface, uv[:, 0], uv[:, 1])

    return fitted_like(
        pcurve, place, tolerance, rough_places(surface, pcurve.domain, lambda t: curve_points(pcurve, t))
    )
