"""Geodesics: straight ways on a surface."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, BoolArray, cross, dot, norm, unit
from pamble.core.spline.closest import to_surface
from pamble.core.spline.differential import jet
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface

_BESIDE = 1e-9
"""How far beside its foot, as a fraction of the part, a place may lie: farther, and it is beyond an edge."""


@dataclass(frozen=True)
class _State:
    """Where m walkers are and where to: place (m, 3), way (m, 3) of unit length."""

    place: Array
    way: Array

    def on(self, step: Array, rate: _State) -> _State:
        """The state ``step`` (m, 1) mm further at a rate of change."""
        return _State(self.place + step * rate.place, self.way + step * rate.way)


def walk(
    surface: Surface, u: Array, v: Array, direction: Array, length: Array | float, steps: int
) -> tuple[Array, Array, BoolArray]:
    """Geodesics from m points, each ``length`` mm (one, or (m,)) in a tangent ``direction`` (m, 3).

    Returns the end parameters and whether the way stays on the face. Runge-Kutta of fourth order in space on x'' =
    (normal curvature) N, whose acceleration is square to the surface (do Carmo, section 4-4); the end of every step is
    brought back onto it. Nothing depends on the parameters, so knots, joints and poles are walked over.
    """
    u, v = np.array(u, dtype=float), np.array(v, dtype=float)
    place, way = surface_derivatives(surface, u, v)[0, 0], unit(direction)
    step = np.broadcast_to(np.asarray(length, dtype=float) / steps, u.shape)[:, None]
    stays = np.ones(len(u), dtype=bool)
    for _ in range(steps):
        on = np.flatnonzero(stays)
        seed = u[on], v[on]
        after = _runge_kutta(surface, _State(place[on], way[on]), step[on], seed)
        u[on], v[on], place[on], normal, stays[on] = _foot(surface, after.place, seed)
        way[on] = unit(after.way - dot(after.way, normal)[:, None] * normal)
    return u, v, stays


def _runge_kutta(surface: Surface, at: _State, step: Array, seed: tuple[Array, Array]) -> _State:
    first = _rate(surface, at, seed)
    second = _rate(surface, at.on(0.5 * step, first), seed)
    third = _rate(surface, at.on(0.5 * step, second), seed)
    fourth = _rate(surface, at.on(step, third), seed)
    out = at
    for share, rate in ((1 / 6, first), (1 / 3, second), (1 / 3, third), (1 / 6, fourth)):
        out = out.on(share * step, rate)
    return out


def _rate(surface: Surface, at: _State, seed: tuple[Array, Array]) -> _State:
    """Change per mm of way: of the place, and of the way, square to the surface at the foot, as it bends there."""
    feet = to_surface(surface, at.place, seed)
    here = jet(surface_derivatives(surface, feet.u, feet.v, 2))
    return _State(at.way, here.second(at.way, at.way)[:, None] * here.normal)


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
