"""Spline spaces of a patch: one direction, and the product of two, with the energy that keeps a patch calm."""

from __future__ import annotations

from collections.abc import Callable
from functools import cached_property
from math import comb

import numpy as np

from pamble.core.arrays import TINY, Array, dot, norm
from pamble.core.spline import basis
from pamble.core.spline.surface import Surface

_ENDS = 30.0
"""Weight of the rim against the inside where a function is interpolated."""


class Space:
    """Splines of a degree over knots on [0, 1] in one direction."""

    def __init__(self, degree: int, knots: Array) -> None:
        self.degree, self.knots = degree, knots
        self.count = len(knots) - degree - 1

    @staticmethod
    def even(degree: int, spans: int) -> Space:
        """Even spans."""
        return Space(degree, basis.uniform_knots(degree, spans))

    @staticmethod
    def over(degree: int, breaks: Array) -> Space:
        """Spans between rising breaks from 0 to 1."""
        return Space(degree, basis.knots_from_breaks(breaks, degree))

    @cached_property
    def breaks(self) -> Array:
        return basis.breaks(self.knots, self.degree)

    def matrix(self, t: Array, order: int = 0) -> Array:
        """Basis functions and derivatives, (order + 1, m, count)."""
        return basis.matrix(self.knots, self.degree, t, order)

    @cached_property
    def gauss(self) -> tuple[Array, Array]:
        """Places and weights of Gauss-Legendre quadrature, degree + 1 in every span."""
        x, w = np.polynomial.legendre.leggauss(self.degree + 1)
        half = 0.5 * np.diff(self.breaks)
        return (self.breaks[:-1, None] + half[:, None] * (1 + x)).ravel(), (half[:, None] * w).ravel()

    @cached_property
    def places(self) -> Array:
        """The Gauss places and both ends."""
        return np.concatenate([[0.0], self.gauss[0], [1.0]])

    @cached_property
    def gram(self) -> list[Array]:
        """Inner products of the functions' derivatives of order 0 to 3."""
        t, w = self.gauss
        return [(b * w[:, None]).T @ b for b in self.matrix(t, 3)]


class Patch:
    """Tensor-product splines: control points are rows of (count, 3), first index along u slowest."""

    def __init__(self, u: Space, v: Space) -> None:
        self.u, self.v, self.count = u, v, u.count * v.count

    def columns(self, u: Array, v: Array, order: int) -> dict[tuple[int, int], Array]:
        """Functions and derivatives (a, b) with a + b up to ``order`` at places (m,), each (m, count)."""
        bu, bv = self.u.matrix(u, order), self.v.matrix(v, order)
        return {
            (a, b): (bu[a][:, :, None] * bv[b][:, None, :]).reshape(len(u), -1)
            for a in range(order + 1)
            for b in range(order + 1 - a)
        }

    def net(self, control: Array) -> Array:
        """Control points as a grid, (nu, nv, 3)."""
        return control.reshape(self.u.count, self.v.count, 3)

    def grid(self, control: Array, u: Array, v: Array, orders: tuple[int, int] = (0, 0)) -> Array:
        """Points or a derivative on a grid, (mu, mv, 3)."""
        bu, bv = self.u.matrix(u, orders[0])[orders[0]], self.v.matrix(v, orders[1])[orders[1]]
        return np.asarray(np.einsum("in,nmc,jm->ijc", bu, self.net(control), bv, optimize=True))

    def at(self, control: Array, u: Array, v: Array, order: int) -> dict[tuple[int, int], Array]:
        """Points and derivatives at places (m,), each (m, 3)."""
        return {k: b @ control for k, b in self.columns(u, v, order).items()}

    def interpolate(self, points: Callable[[Array, Array], Array]) -> Array:
        """Control points of the nearest patch to a function of u (a,) and v (b,) that gives points (a, b, 3)."""
        u, v = self.u.places, self.v.places
        half_u, half_v = (np.where((t == 0) | (t == 1), _ENDS, 1.0) for t in (u, v))
        values = points(u, v) * half_u[:, None, None] * half_v[None, :, None]
        au, av = self.u.matrix(u)[0] * half_u[:, None], self.v.matrix(v)[0] * half_v[:, None]
        rows = np.linalg.lstsq(au, values.reshape(len(u), -1), rcond=None)[0].reshape(self.u.count, len(v), 3)
        full = np.linalg.lstsq(av, rows.transpose(1, 0, 2).reshape(len(v), -1), rcond=None)[0]
        net: Array = full.reshape(self.v.count, self.u.count, 3).transpose(1, 0, 2)
        return net.reshape(-1, 3)

    def surface(self, control: Array) -> Surface:
        """The patch as a surface."""
        return Surface(self.u.degree, self.v.degree, self.u.knots, self.v.knots, self.net(control))

    def sizes(self, control: Array) -> tuple[float, float]:
        """Mean lengths along u and v, mm."""
        t = np.linspace(0, 1, 9)
        points = self.grid(control, t, t)
        along_u = float(norm(np.diff(points, axis=0)).sum(axis=0).mean())
        along_v = float(norm(np.diff(points, axis=1)).sum(axis=1).mean())
        return max(along_u, 1e-9), max(along_v, 1e-9)

    def energy(self, control: Array) -> tuple[Array, float]:
        """The matrix (count, count) of the third-order energy, derivatives scaled by the sizes of a patch like
        ``control``, and its mean size in mm.
        """
        size_u, size_v = self.sizes(control)
        mean = float(np.sqrt(size_u * size_v))
        total = sum(
            comb(3, k)
            * (mean / size_u) ** (2 * k)
            * (mean / size_v) ** (2 * (3 - k))
            * np.kron(self.u.gram[k], self.v.gram[3 - k])
            for k in range(4)
        )
        return np.asarray(total), mean

    def feet(
        self, control: Array, points: Array, uv: Array, only: int | None = None, steps: int = 1, around: bool = False
    ) -> Array:
        """Parameters (m, 2) nearer to the feet of points by Gauss-Newton steps. only: 0 or 1 where one parameter moves.
        around: whether u runs on over its end at its start.
        """
        for _ in range(steps):
            d = self.at(control, uv[:, 0], uv[:, 1], 1)
            su, sv, gap = d[1, 0], d[0, 1], points - d[0, 0]
            uv = uv.copy()
            if only is not None:
                s = (su, sv)[only]
                uv[:, only] += dot(gap, s) / np.maximum(dot(s, s), TINY)
            else:
                e, f, g, a, b = dot(su, su), dot(su, sv), dot(sv, sv), dot(gap, su), dot(gap, sv)
                det = np.maximum(e * g - f * f, 1e-12 * e * g + TINY)
                uv += np.clip(np.stack([a * g - b * f, b * e - a * f], axis=1) / det[:, None], -0.2, 0.2)
            if around:
                uv[:, 0] %= 1.0
            uv = np.clip(uv, 0.0, 1.0)
        return uv
