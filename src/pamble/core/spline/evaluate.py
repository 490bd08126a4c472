"""Points and derivatives of curves and surfaces, for whole arrays of parameters."""

from __future__ import annotations

from math import comb

import numpy as np
from numpy.typing import ArrayLike

from pamble.core.arrays import Array, floats
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface

CHUNK = 4096
"""Scattered points are taken in pieces of this size, so that temporaries stay in the cache."""


def curve_derivatives(curve: Curve, t: ArrayLike, order: int = 0) -> Array:
    """Point and derivatives of a curve, (order+1, m, d).

    >>> from pamble.core.spline.curve import Curve
    >>> parabola = Curve.bezier([[0, 0, 0], [1, 0, 0], [2, 4, 0]])
    >>> curve_derivatives(parabola, [0.5], 1)[:, 0].tolist()
    [[1.0, 1.0, 0.0], [2.0, 4.0, 0.0]]
    """
    t = np.atleast_1d(floats(t))
    points = curve.control if curve.weights is None else curve.homogeneous
    out = basis.combined(curve.knots, curve.degree, t, order, points)
    return out if curve.weights is None else curve_quotient(out, order)


def curve_quotient(homogeneous: Array, order: int) -> Array:
    """Derivatives (order+1, m, d) of a rational curve from its homogeneous ones (The NURBS Book, A4.2)."""
    weight, result = homogeneous[..., -1:], homogeneous[..., :-1].copy()
    for k in range(order + 1):
        for i in range(1, k + 1):
            result[k] -= comb(k, i) * weight[i] * result[k - i]
        result[k] /= weight[0]
    return result


def curve_points(curve: Curve, t: ArrayLike) -> Array:
    """Points of a curve, (m, d).

    >>> from pamble.core.spline.curve import Curve
    >>> curve_points(Curve.line([0, 0, 0], [4, 2, 0]), [0, 0.5, 1]).tolist()
    [[0.0, 0.0, 0.0], [2.0, 1.0, 0.0], [4.0, 2.0, 0.0]]
    """
    return np.asarray(curve_derivatives(curve, t, 0)[0])


def surface_derivatives(surface: Surface, u: ArrayLike, v: ArrayLike, order: int = 0) -> Array:
    """Points and partial derivatives at scattered parameters.

    u, v: (m,). Returns (order+1, order+1, m, 3); entry [k, l] is the k-th derivative along u and l-th along v,
    filled for k + l <= order and zero elsewhere.
    """
    u, v = np.broadcast_arrays(np.atleast_1d(floats(u)), np.atleast_1d(floats(v)))
    points = surface.control if surface.weights is None else surface.homogeneous
    out = np.zeros((order + 1, order + 1, len(u), points.shape[2]))
    for start in range(0, len(u), CHUNK):
        part = slice(start, start + CHUNK)
        _part(surface, points, u[part], v[part], order, out[:, :, part])
    return out if surface.weights is None else surface_quotient(out, order)


def _part(surface: Surface, points: Array, u: Array, v: Array, order: int, out: Array) -> None:
    p, q = surface.degree_u, surface.degree_v
    first_u, bu = basis.local(surface.knots_u, p, u, order)
    first_v, bv = basis.local(surface.knots_v, q, v, order)
    if points.shape[:2] == (p + 1, q + 1):
        along = bu.reshape(-1, p + 1) @ points.reshape(p + 1, -1)
    else:
        size = points.shape[1]
        active = (np.arange(p + 1)[:, None] * size + np.arange(q + 1)).ravel()
        net = points.reshape(-1, points.shape[2]).take((first_u * size + first_v)[:, None] + active, axis=0)
        along = np.matmul(bu, net.reshape(len(u), p + 1, -1))
    along = along.reshape(len(u), order + 1, q + 1, -1)
    for k in range(order + 1):
        out[k, : order + 1 - k] = np.matmul(bv[:, : order + 1 - k], along[:, k]).transpose(1, 0, 2)


def surface_grid(surface: Surface, us: ArrayLike, vs: ArrayLike, order: int = 0) -> Array:
    """Points and partial derivatives on a parameter grid: (order+1, order+1, nu, nv, 3).

    Separable: one matrix product on each side of the control net.
    """
    us, vs = np.atleast_1d(floats(us)), np.atleast_1d(floats(vs))
    points = surface.control if surface.weights is None else surface.homogeneous
    n, m, c = points.shape
    bu = basis.matrix(surface.knots_u, surface.degree_u, us, order)
    bv = basis.matrix(surface.knots_v, surface.degree_v, vs, order)
    out = np.zeros((order + 1, order + 1, len(us), len(vs), c))
    along = np.matmul(bu, points.reshape(n, m * c)).reshape(order + 1, len(us), m, c)
    for k in range(order + 1):
        for l in range(order + 1 - k):
            out[k, l] = np.matmul(bv[l], along[k])
    return out if surface.weights is None else surface_quotient(out, order)


def surface_points(surface: Surface, u: ArrayLike, v: ArrayLike) -> Array:
    """Points at scattered parameters, (m, 3).

    >>> from pamble.core.spline.surface import Surface
    >>> saddle = Surface.bezier([[[0, 0, 0], [0, 1, 0]], [[1, 0, 0], [1, 1, 1]]])
    >>> surface_points(saddle, [0.5], [0.5]).tolist()
    [[0.5, 0.5, 0.25]]
    """
    return np.asarray(surface_derivatives(surface, u, v, 0)[0, 0])


def surface_quotient(homogeneous: Array, order: int) -> Array:
    """Derivatives of a rational surface from its homogeneous ones (The NURBS Book, A4.4)."""
    weight, result = homogeneous[..., -1:], homogeneous[..., :-1].copy()
    for k in range(order + 1):
        for l in range(order + 1 - k):
            value = result[k, l]
            for i in range(k + 1):
                for j in range(l + 1):
                    if i or j:
                        value = value - comb(k, i) * comb(l, j) * weight[i, j] * result[k - i, l - j]
            result[k, l] = value / weight[0, 0]
    return result
