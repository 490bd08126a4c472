"""Figures of an edge that a trim has made: how exact it is, and at what angle both faces meet along it."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.curves.measure import curve_length
from pamble.core.faces.face import Edge
from pamble.core.spline.closest import to_surface
from pamble.core.spline.differential import normals
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_points
from pamble.core.spline.extremes import both_sides, largest
from pamble.core.spline.surface import Surface

_SAMPLES = 201


@dataclass(frozen=True)
class CutFigures:
    """length and distances in mm, angles in degrees from 0 to 90. off_face: how far the edge's curve is from the face
    at equal parameters, at most; off_cutter: from the surface that cut. The last three are None without one.
    """

    length: float
    off_face: float
    off_cutter: float | None = None
    least_angle: float | None = None
    most_angle: float | None = None


def measure_cut(edge: Edge, cutter: Surface | None = None) -> CutFigures:
    """Figures of a cut edge; with those against the surface that cut it, if that is given."""
    t = np.sort(np.concatenate([np.linspace(*edge.domain, _SAMPLES), both_sides(edge.twin, edge.domain)]))

    def off(t: Array) -> Array:
        space, uv = curve_points(edge.twin, t), curve_points(edge.pcurve, t)
        here = norm(surface_points(edge.surface, uv[:, 0], uv[:, 1]) - space)
        if cutter is None:
            return here[None]
        foot = to_surface(cutter, space)
        angle = _angle(edge.surface, uv, cutter, np.column_stack([foot.u, foot.v]))
        return np.stack([here, foot.distance, angle, -angle])

    most = largest(off, t, off(t))[1].tolist()
    length = curve_length(edge.space)
    if cutter is None:
        return CutFigures(length, most[0])
    return CutFigures(length, most[0], most[1], -most[3], most[2])


def _angle(a: Surface, on_a: Array, b: Surface, on_b: Array) -> Array:
    """Angle between the tangent planes of two surfaces, degrees from 0 to 90."""
    n = [normals(surface_derivatives(s, p[:, 0], p[:, 1], 1)) for s, p in ((a, on_a), (b, on_b))]
    return np.degrees(np.arctan2(norm(np.cross(n[0], n[1])), np.abs(np.vecdot(n[0], n[1]))))
