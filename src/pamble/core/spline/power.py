"""Surfaces in power form: points and first derivatives at scattered parameters that are never asked for twice.

Moving stations defeat every cache of basis values. Here the power coefficients of each span are made once a surface,
and a call is two small stacked products.
"""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from pamble.core.arrays import Array, IntArray
from pamble.core.spline import basis
from pamble.core.spline.evaluate import surface_derivatives
from pamble.core.spline.surface import Surface


class PowerForm:
    """Power coefficients of a surface's spans; the end spans go on beyond the domain."""

    def __init__(self, surface: Surface) -> None:
        p, q = surface.degree_u, surface.degree_v
        self._edges_u, first_u, cu = basis.power_pieces(surface.knots_u, p)
        self._edges_v, first_v, cv = basis.power_pieces(surface.knots_v, q)
        self._rational = surface.weights is not None
        points = surface.homogeneous if self._rational else surface.control
        rows, columns = first_u[:, None] + np.arange(p + 1), first_v[:, None] + np.arange(q + 1)
        net = points[rows[:, None, :, None], columns[None, :, None, :]]
        along = np.matmul(cu[:, None], net.reshape(*net.shape[:3], -1)).reshape(net.shape)
        both = np.matmul(cv[None, :, None], along)
        self._spans_u, self._spans_v = len(first_u), len(first_v)
        self._shape = (p, q, points.shape[-1])
        self._co = np.ascontiguousarray(both.reshape(self._spans_u * self._spans_v, p + 1, (q + 1) * points.shape[-1]))

    def at(self, u: Array, v: Array) -> tuple[Array, Array, Array]:
        """Points, derivatives along u and along v, (m, 3) each, at parameters (m,)."""
        p, q, size = self._shape
        i, wu = _span(self._edges_u, u)
        j, wv = _span(self._edges_v, v)
        bu, bv = _powers((u - self._edges_u[i]) / wu, wu, p), _powers((v - self._edges_v[j]) / wv, wv, q)
        along = np.matmul(bu, self._co[i * self._spans_v + j]).reshape(len(u), 2, q + 1, size)
        s = np.matmul(bv, along[:, 0])
        su = np.matmul(bv[:, :1], along[:, 1])[:, 0]
        if not self._rational:
            return s[:, 0], su, s[:, 1]
        w = s[:, 0, 3:]
        point = s[:, 0, :3] / w
        return point, (su[:, :3] - su[:, 3:] * point) / w, (s[:, 1, :3] - s[:, 1, 3:] * point) / w


def _span(edges: Array, t: Array) -> tuple[IntArray, Array]:
    """Span of each parameter and its width."""
    if len(edges) == 2:
        i = np.zeros(len(t), dtype=np.intp)
    else:
        i = np.minimum(np.maximum(edges.searchsorted(t, side="right") - 1, 0), len(edges) - 2)
    return i, edges[i + 1] - edges[i]


def _powers(x: Array, width: Array, degree: int) -> Array:
    """Powers of ``x`` and their derivatives, (m, 2, degree + 1)."""
    out = np.zeros((len(x), 2, degree + 1))
    out[:, 0, 0] = 1.0
    for k in range(1, degree + 1):
        np.multiply(out[:, 0, k - 1], x, out=out[:, 0, k])
    np.multiply(out[:, 0, :-1], np.arange(1, degree + 1), out=out[:, 1, 1:])
    out[:, 1] /= width[:, None]
    return out


class PlainForm:
    """The same of a surface whose degree is too high for powers."""

    def __init__(self, surface: Surface) -> None:
        self._surface = surface

    def at(self, u: Array, v: Array) -> tuple[Array, Array, Array]:
        """Points, derivatives along u and along v, (m, 3) each, at parameters (m,)."""
        d = surface_derivatives(self._surface, u, v, 1)
        return d[0, 0], d[1, 0], d[0, 1]


@lru_cache(maxsize=64)
def power_form(surface: Surface) -> PowerForm | PlainForm:
    """The power form of a surface, remembered for as long as the surface is in use."""
    high = max(surface.degree_u, surface.degree_v) > basis.POWERS
    return PlainForm(surface) if high else PowerForm(surface)
