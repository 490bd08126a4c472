"""Curvature combs of edges and curves."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import TINY, Array, cross, dot, norm
from pamble.core.curves.measure import samples
from pamble.core.faces.frames import arc_length
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives


@dataclass(frozen=True)
class Comb:
    """Teeth along a line. point: (m, 3); tooth: (m, 3), the curvature vector turned to the outer side of
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


def curve_comb(curve: Curve, teeth: int = 60) -> Comb:
    """Comb along a curve or an edge's curve; ``teeth`` steps, dense where the curve turns, of equal length where
    not."""
    length = arc_length(curve)
    row = samples(curve, max(16, -(-4 * teeth // curve.spans)))
    _, bend = curvature_vectors(curve, row)
    rate = length.of_parameter(row, 1) * (1.0 / max(length.total, TINY) + norm(bend))
    pace = np.concatenate([[0.0], np.cumsum(0.5 * (rate[1:] + rate[:-1]) * np.diff(row))])
    t = np.interp(np.linspace(0.0, pace[-1], teeth + 1), pace, row)
    t[0], t[-1] = curve.domain
    at = length.of_parameter(t)
    point, bend = curvature_vectors(curve, t)
    return Comb(point, -bend, np.sqrt(dot(bend, bend)), at)
