"""Curvature combs of edges and curves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import TINY, Array, cross, dot, norm
from pamble.core.faces.face import Edge
from pamble.core.faces.frames import arc_length
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives


@dataclass(frozen=True)
class Comb:
    """Teeth at equal steps of length. point: (m, 3); tooth: (m, 3), the curvature vector turned to the outer side of
    the bend, 1/mm; curvature: (m,) 1/mm; length: (m,) mm from the start.
    """

    point: Array
    tooth: Array
    curvature: Array
    length: Array


def curvature_vectors(curve: Curve, t: Array) -> tuple[Array, Array]:
    """Points and curvature vectors (1/mm, toward the centre of the bend) of a space curve.

    Source: do Carmo, Differential Geometry of Curves and Surfaces, exercise 1-5.12: k = |C' x C''| / |C'|^3.
    """
    d = curve_derivatives(curve, t, 2)
    binormal = cross(d[1], d[2])
    speed = np.maximum(norm(d[1]), TINY)
    return d[0], cross(binormal, d[1]) / (speed**4)[:, None]


def edge_comb(edge: Edge, teeth: int = 60) -> Comb:
    """Comb along an edge with ``teeth`` equal steps."""
    length = arc_length(edge)
    at = np.linspace(0.0, length.total, teeth + 1)
    t = np.clip(length.to_parameter(at), *edge.domain)
    point, bend = curvature_vectors(edge.space, t)
    return Comb(point, -bend, np.sqrt(dot(bend, bend)), at)
