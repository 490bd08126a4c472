"""Steps toward feet on surfaces, round their joints and beyond their domains."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import Array, dot
from pamble.core.spline.power import surface_form
from pamble.core.spline.surface import Surface


def derivatives(surface: Surface, u: Array, v: Array, order: int = 1) -> Array:
    """Derivatives of a surface, round the joint of one that is closed, and beyond the domain of one that is not."""
    uv = [u, v]
    for k, (low, high) in enumerate(surface.domain):
        if surface.closed[k]:
            uv[k] = low + np.mod(uv[k] - low, high - low)
    return surface_form(surface).derivatives(uv[0], uv[1], order)


def step_uv(d: Array, way: Array) -> Array:
    """Parameters (m, 2) of tangent vectors (m, 3)."""
    e, f, g = dot(d[1, 0], d[1, 0]), dot(d[1, 0], d[0, 1]), dot(d[0, 1], d[0, 1])
    a, b = dot(way, d[1, 0]), dot(way, d[0, 1])
    det = np.maximum(e * g - f * f, 1e-300)
    return np.asarray(np.stack([(a * g - b * f) / det, (b * e - a * f) / det], axis=1))


def foot_uv(surface: Surface, uv: Array, points: Array) -> Array:
    """Parameters (m, 2) of the feet of points (m, 3) near known ones."""
    for _ in range(3):
        d = derivatives(surface, uv[:, 0], uv[:, 1], 1)
        uv = uv + step_uv(d, points - d[0, 0])
    return uv
