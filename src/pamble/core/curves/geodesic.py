"""Geodesics: straight ways on a surface."""

from __future__ import annotations

import numpy as np

from pamble.core.arrays import TINY, Array, BoolArray, cross, dot, norm, unit
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface

_BESIDE = 1e-9
"""How far beside its foot, as a fraction of the part, a place may lie: farther, and it is beyond an edge."""


def walk(
    surface: Surface, u: Array, v: Array, direction: Array, length: Array | float, steps: int
) -> tuple[Array, Array, BoolArray]:
    """Geodesics from m points, each ``length`` mm (one, or (m,)) in a tangent ``direction`` (m, 3).

    Returns the end parameters and whether the way stays on the face. Runge-Kutta of fourth order in space on x'' =
    (normal curvature) N, whose acceleration is square to the surface (do Carmo, section 4-4); the end of every step is
    brought back onto it. Nothing depends on the parameters, so knots, joints and poles are walked over.
    """
    u, v = np.array(u, dtype=float), np.array(v, dtype=float)
    x, t = surface_derivatives(surface, u, v)[0, 0], unit(direction)
    h = np.broadcast_to(np.asarray(length, dtype=float) / steps, u.shape)[:, None]
    stays = np.ones(len(u), dtype=bool)
    for _ in range(steps):
        on = np.flatnonzero(stays)
        seed, step, x1, t1 = (u[on], v[on]), h[on], x[on], t[on]
        a1 = _bend(surface, x1, t1, seed)
        t2 = t1 + 0.5 * step * a1
        a2 = _bend(surface, x1 + 0.5 * step * t1, t2, seed)
        t3 = t1 + 0.5 * step * a2
        a3 = _bend(surface, x1 + 0.5 * step * t2, t3, seed)
        t4 = t1 + step * a3
        a4 = _bend(surface, x1 + step * t3, t4, seed)
        to = x1 + step / 6 * (t1 + 2 * t2 + 2 * t3 + t4)
        u[on], v[on], x[on], n, stays[on] = _foot(surface, to, seed)
        way = t1 + step / 6 * (a1 + 2 * a2 + 2 * a3 + a4)
        t[on] = unit(way - dot(way, n)[:, None] * n)
    return u, v, stays


def _bend(surface: Surface, x: Array, t: Array, seed: tuple[Array, Array]) -> Array:
    """Acceleration (m, 3) of geodesics through the feet of ``x``, of unit speed along ``t``."""
    feet = to_surface(surface, x, seed)
    d = surface_derivatives(surface, feet.u, feet.v, 2)
    su, sv = d[1, 0], d[0, 1]
    n = unit(cross(su, sv))
    e, f, g, a, b = dot(su, su), dot(su, sv), dot(sv, sv), dot(t, su), dot(t, sv)
    area = np.maximum(e * g - f * f, TINY)
    du, dv = (a * g - b * f) / area, (b * e - a * f) / area
    bend = d[2, 0] * (du * du)[:, None] + d[1, 1] * (2 * du * dv)[:, None] + d[0, 2] * (dv * dv)[:, None]
    return dot(bend, n)[:, None] * n


def _foot(surface: Surface, x: Array, seed: tuple[Array, Array]) -> tuple[Array, Array, Array, Array, BoolArray]:
    """Foot parameters, points and normals (m, 3), and whether ``x`` is over the surface, not beyond an edge."""
    feet = to_surface(surface, x, seed)
    u, v = feet.u, feet.v
    n, over = _over(surface, x, u, v)
    if not over.all():
        # Beyond a pole the foot is where no step along the parameters leads to.
        lost = np.flatnonzero(~over)
        again = to_surface(surface, x[lost])
        u[lost], v[lost] = again.u, again.v
        n[lost], over[lost] = _over(surface, x[lost], again.u, again.v)
    return u, v, surface_derivatives(surface, u, v)[0, 0], n, over


def _over(surface: Surface, x: Array, u: Array, v: Array) -> tuple[Array, BoolArray]:
    """Normals (m, 3) at parameters, and whether ``x`` lies along them."""
    d = surface_derivatives(surface, u, v, 1)
    n = unit(cross(d[1, 0], d[0, 1]))
    gap = x - d[0, 0]
    beside = norm(gap - dot(gap, n)[:, None] * n)
    return n, beside < _BESIDE * max(1.0, surface.diagonal)
