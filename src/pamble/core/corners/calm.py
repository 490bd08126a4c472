"""How calm light lies on patches, whatever their parametrisation."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, cross, norm, unit
from pamble.core.spline.differential import jet
from pamble.core.spline.evaluate import surface_grid
from pamble.core.spline.surface import Surface

_WAYS = 7
"""Directions over half a turn that average the square of a cubic form exactly: it holds no wave above the sixth."""

_PLACES = 10


def unrest(surfaces: Sequence[Surface]) -> float:
    """Area times the root mean square, over the area and over all directions, of the change of normal curvature along a
    direction (1/mm^2): a number, 0 on planes, cylinders and balls.
    """
    x, w = np.polynomial.legendre.leggauss(_PLACES)
    total = size = 0.0
    for s in surfaces:
        (u0, u1), (v0, v1) = s.domain
        d = surface_grid(s, u0 + 0.5 * (1 + x) * (u1 - u0), v0 + 0.5 * (1 + x) * (v1 - v0), 3)
        weight: Array = norm(cross(d[1, 0], d[0, 1])) * np.outer(w, w)
        here = jet(d)
        first = unit(d[1, 0])
        second = cross(here.normal, first)
        turns = np.pi * np.arange(_WAYS) / _WAYS
        mean = np.mean([here.third(np.cos(t) * first + np.sin(t) * second) ** 2 for t in turns], axis=0)
        total, size = total + float((mean * weight).sum()), size + float(weight.sum())
    return float(np.sqrt(total / size) * size)
