"""Curves and surfaces in power form: points and derivatives at scattered parameters that are never asked for twice.

Moving stations defeat every cache of basis values. Here the power coefficients of each span are made once a shape, and
a call is one small stacked product, or two.
"""

from __future__ import annotations

from functools import lru_cache
from math import perm

import numpy as np

from pamble.core.arrays import Array, IntArray
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import (
    CHUNK,
    curve_derivatives,
    curve_quotient,
    surface_derivatives,
    surface_quotient,
)
from pamble.core.spline.surface import Surface


class _Spans:
    """The spans of one direction; those at the ends go on beyond the domain."""

    def __init__(self, knots: Array, degree: int) -> None:
        edges, first, self.pieces = basis.power_pieces(knots, degree)
        self.active = first[:, None] + np.arange(degree + 1)
        self._inner, self._start, self._width = edges[1:-1], edges[:-1], np.diff(edges)
        self._size = degree + 1
        self._factors = list[Array]()

    def __len__(self) -> int:
        return len(self._width)

    def at(self, t: Array, order: int) -> tuple[IntArray, Array]:
        """Span of each parameter (m,), and the derivatives of its powers there (m, order+1, degree+1)."""
        i = self._inner.searchsorted(t, side="right")
        powers = np.empty((len(t), self._size))
        powers[:, 0] = 1.0
        powers[:, 1:] = ((t - self._start.take(i)) / self._width.take(i))[:, None]
        np.multiply.accumulate(powers, axis=1, out=powers)
        out = np.zeros((len(t), order + 1, self._size))
        out[:, 0] = powers
        for k in range(1, min(order, self._size - 1) + 1):
            np.multiply(powers[:, : self._size - k], self._factor(k).take(i, axis=0), out=out[:, k, k:])
        return i, out

    def _factor(self, order: int) -> Array:
        """What a derivative of the powers is times those lower by as many, (spans, degree + 1 - order)."""
        while len(self._factors) < order:
            k = len(self._factors) + 1
            fall = np.array([float(perm(j, k)) for j in range(k, self._size)])
            self._factors.append(fall / self._width[:, None] ** k)
        return self._factors[order - 1]


class CurveForm:
    """Power coefficients of a curve's spans."""

    def __init__(self, curve: Curve) -> None:
        self._spans, self._rational = _Spans(curve.knots, curve.degree), curve.weights is not None
        points = curve.homogeneous if self._rational else curve.control
        self._co = np.matmul(self._spans.pieces, points[self._spans.active])

    def derivatives(self, t: Array, order: int) -> Array:
        """Points and derivatives (order+1, m, d) at parameters (m,)."""
        i, powers = self._spans.at(t, order)
        out = np.matmul(powers, self._co.take(i, axis=0)).transpose(1, 0, 2)
        return curve_quotient(out, order) if self._rational else out


class SurfaceForm:
    """Power coefficients of a surface's spans."""

    def __init__(self, surface: Surface) -> None:
        self._u, self._v = _Spans(surface.knots_u, surface.degree_u), _Spans(surface.knots_v, surface.degree_v)
        self._rational = surface.weights is not None
        points = surface.homogeneous if self._rational else surface.control
        net = points[self._u.active[:, None, :, None], self._v.active[None, :, None, :]]
        along = np.matmul(self._u.pieces[:, None], net.reshape(*net.shape[:3], -1)).reshape(net.shape)
        both = np.matmul(self._v.pieces[None, :, None], along)
        self._co = np.ascontiguousarray(both.reshape(len(self._u) * len(self._v), net.shape[2], -1))
        self._across = net.shape[3:]

    def derivatives(self, u: Array, v: Array, order: int) -> Array:
        """Points and partial derivatives at parameters (m,), as `surface_derivatives` has them."""
        out = np.zeros((order + 1, order + 1, len(u), self._across[1]))
        for start in range(0, len(u), CHUNK):
            part = slice(start, start + CHUNK)
            self._part(u[part], v[part], order, out[:, :, part])
        return surface_quotient(out, order) if self._rational else out

    def _part(self, u: Array, v: Array, order: int, out: Array) -> None:
        (i, along_u), (j, along_v) = self._u.at(u, order), self._v.at(v, order)
        rows = np.matmul(along_u, self._co.take(i * len(self._v) + j, axis=0))
        rows = rows.reshape(len(u), order + 1, *self._across)
        for k in range(order + 1):
            out[k, : order + 1 - k] = np.matmul(along_v[:, : order + 1 - k], rows[:, k]).transpose(1, 0, 2)

    def at(self, u: Array, v: Array) -> tuple[Array, Array, Array]:
        """Points, derivatives along u and along v, (m, 3) each, at parameters (m,)."""
        d = self.derivatives(u, v, 1)
        return d[0, 0], d[1, 0], d[0, 1]


class _PlainCurve(CurveForm):
    """The same of a curve whose degree is too high for powers."""

    def __init__(self, curve: Curve) -> None:
        self._curve = curve

    def derivatives(self, t: Array, order: int) -> Array:
        return curve_derivatives(self._curve, t, order)


class _PlainSurface(SurfaceForm):
    """The same of a surface whose degree is too high for powers."""

    def __init__(self, surface: Surface) -> None:
        self._surface = surface

    def derivatives(self, u: Array, v: Array, order: int) -> Array:
        return surface_derivatives(self._surface, u, v, order)


@lru_cache(maxsize=64)
def curve_form(curve: Curve) -> CurveForm:
    """The power form of a curve, remembered for as long as the curve is in use."""
    return (_PlainCurve if curve.degree > basis.POWERS else CurveForm)(curve)


@lru_cache(maxsize=64)
def surface_form(surface: Surface) -> SurfaceForm:
    """The power form of a surface, remembered for as long as the surface is in use."""
    high = max(surface.degree_u, surface.degree_v) > basis.POWERS
    return (_PlainSurface if high else SurfaceForm)(surface)
