"""Poles: places where a surface has no normal of its own, because one of its sides is a point."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import TINY, Array, cross, norm
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface

_STEP = 1e-6
"""How far, as a fraction of the domain, a place on a pole is moved inward to have a normal."""

_NONE = 1e-10
"""Share of its mean by which an element of area is none."""


def off_poles(surface: Surface, uv: Array, order: int) -> tuple[Array, Array]:
    """Parameters (m, 2) and derivatives to ``order`` there, places without a normal moved slightly inward."""
    d = surface_derivatives(surface, uv[:, 0], uv[:, 1], order)
    area = norm(cross(d[1, 0], d[0, 1]))
    (u0, u1), (v0, v1) = surface.domain
    least = _NONE * max(surface.diagonal, TINY) ** 2 / ((u1 - u0) * (v1 - v0))
    if area.min() >= least:
        return uv, d
    pole, low, high = area < least, np.array([u0, v0]), np.array([u1, v1])
    uv = uv + np.where(pole[:, None], np.sign(0.5 * (low + high) - uv) * _STEP * (high - low), 0.0)
    return uv, surface_derivatives(surface, uv[:, 0], uv[:, 1], order)
