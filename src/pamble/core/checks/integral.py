"""Integrals over faces, whole or trimmed, of what follows from a surface's first derivatives."""

from __future__ import annotations

import itertools
from collections.abc import Callable

import numpy as np
from numpy.polynomial import legendre

from pamble.core.arrays import Array
from pamble.core.faces.face import Edge, Face
from pamble.core.spline import basis
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_grid
from pamble.core.spline.surface import Surface

NODES = (10, 14, 28, 56)
"""Gauss places in a span, or in a stretch of a trim: more until an integral settles, as area is no polynomial."""

_SETTLED = 1e-9
"""Share of itself by which an integral changes at most once it has settled."""

_STRETCHES = 4
_LOOKED = 101
"""Places along a trim at which it is looked whether it crosses a span's border."""

_JUMP = 1e-9

_SMOOTHER, _BLOCK, _MOST = 6, 200_000, 4_000_000
"""Places more in a span through which an integral along u goes, as it is exact for half as high degrees as Gauss's;
places that are evaluated at once; and those on a surface beyond which no more are tried.
"""

Integrand = Callable[[Array], Array]
"""Values (..., k) from first derivatives (2, 2, ..., 3) of a surface, for each unit of u and v."""


def integral(face: Face, values: Integrand) -> Array:
    """The integral (k,) over a face of values for each unit of its parameters, on as many places as it takes."""
    found = by_gauss(face, values, NODES[0])
    spans_u, spans_v = face.surface.spans
    for nodes in NODES[1:]:
        if spans_u * spans_v * nodes**2 > _MOST:
            break
        last, found = found, by_gauss(face, values, nodes)
        if (np.abs(found - last) <= _SETTLED * np.abs(found).max()).all():
            break
    return found


def by_gauss(face: Face, values: Integrand, nodes: int) -> Array:
    """The same on so many places in a span.

    Over a whole surface by Gauss in every span; over a trimmed one by Green's theorem: the integral along u up to the
    trims, run round them.
    """
    s = face.surface
    x, w = legendre.leggauss(nodes)
    breaks_u, breaks_v = basis.breaks(s.knots_u, s.degree_u), basis.breaks(s.knots_v, s.degree_v)
    if face.natural:
        (u, wu), (v, wv) = (_gauss(b, x, w) for b in (breaks_u, breaks_v))
        return np.asarray(np.einsum("u,v,uvk->k", wu, wv, values(surface_grid(s, u, v, 1)), optimize=True))
    up_to = _UpTo(s, values, breaks_u, breaks_v, nodes + _SMOOTHER)
    total = np.zeros(0)
    for loop in face.loops:
        ends = [curve_points(e.pcurve, e.domain)[:: int(e.inward)] for e in loop]
        for k, edge in enumerate(loop):
            t, weight = _gauss(_stretches(edge, breaks_u, breaks_v), x, w)
            p = curve_derivatives(edge.pcurve, t, 1)
            part = (edge.inward * weight * p[1, :, 1]) @ up_to(p[0])
            # Over a pole a loop jumps, straight in the parameters.
            start, end = ends[k][1], ends[(k + 1) % len(loop)][0]
            if np.abs(end - start).max() > _JUMP:
                share, weight = _gauss(np.linspace(0.0, 1.0, _STRETCHES + 1), x, w)
                part = part + weight * (end - start)[1] @ up_to(start + share[:, None] * (end - start))
            total = part if not len(total) else total + part
    return total


class _UpTo:
    """Integrals along u from the start of a surface's domain: sums of Legendre's polynomials in every span, through
    Gauss places, as there are far more places on trims than in spans.
    """

    def __init__(self, s: Surface, values: Integrand, breaks_u: Array, breaks_v: Array, nodes: int) -> None:
        x, w = legendre.leggauss(nodes)
        order, spans = np.arange(nodes), len(breaks_v) - 1
        modes = (order[:, None] + 0.5) * (legendre.legvander(x, nodes - 1) * w[:, None]).T
        u, v = _gauss(breaks_u, x, w)[0], _gauss(breaks_v, x, w)[0].reshape(spans, nodes)
        each = max(1, _BLOCK // (len(u) * nodes))
        blocks = []
        for first in range(0, spans, each):
            own = v[first : first + each]
            found = values(surface_grid(s, u, own.ravel(), 1)).reshape(len(breaks_u) - 1, nodes, len(own), nodes, -1)
            blocks.append(np.einsum("nx,my,ixjyk->ijnmk", modes, modes, found, optimize=True))
        modes_of = np.concatenate(blocks, axis=1)
        up = legendre.legint(np.eye(nodes), lbnd=-1.0)
        half = 0.5 * np.diff(breaks_u)
        self._co = half[:, None, None, None, None] * np.einsum("an,ijnmk->ijamk", up, modes_of, optimize=True)
        whole = 2.0 * half[:, None, None, None] * modes_of[:, :, 0]
        self._co[1:, :, 0] += np.cumsum(whole, axis=0)[:-1]
        self._breaks, self._nodes = (breaks_u, breaks_v), nodes

    def __call__(self, uv: Array) -> Array:
        """Integrals (m, k) up to places (m, 2)."""
        spans, functions = [], []
        for k, (breaks, most) in enumerate(zip(self._breaks, (self._nodes, self._nodes - 1), strict=True)):
            i = np.clip(np.searchsorted(breaks, uv[:, k], "right") - 1, 0, len(breaks) - 2)
            x = np.clip(2.0 * (uv[:, k] - breaks[i]) / (breaks[i + 1] - breaks[i]) - 1.0, -1.0, 1.0)
            spans.append(i)
            functions.append(legendre.legvander(x, most))
        out = np.zeros((len(uv), self._co.shape[-1]))
        row = spans[0] * self._co.shape[1] + spans[1]
        for number in np.unique(row):
            at = np.flatnonzero(row == number)
            co = self._co[divmod(number, self._co.shape[1])]
            along = (functions[0][at] @ co.reshape(len(co), -1)).reshape(len(at), *co.shape[1:])
            out[at] = np.einsum("mb,mbk->mk", functions[1][at], along)
        return out


def _gauss(breaks: Array, x: Array, w: Array) -> tuple[Array, Array]:
    half = 0.5 * np.diff(breaks)
    return (breaks[:-1, None] + half[:, None] * (1 + x)).ravel(), (half[:, None] * w).ravel()


def _stretches(edge: Edge, breaks_u: Array, breaks_v: Array) -> Array:
    """Parameters of a trim between which it crosses no border of a span."""
    start, end = edge.domain
    own = basis.breaks(edge.pcurve.knots, edge.pcurve.degree)
    fixed = [start, *own[(own > start) & (own < end)].tolist(), end]
    cuts = [np.linspace(a, b, _STRETCHES + 1) for a, b in itertools.pairwise(fixed)]
    t = np.linspace(start, end, _LOOKED)
    uv = curve_points(edge.pcurve, t)
    for k, breaks in ((0, breaks_u[1:-1]), (1, breaks_v[1:-1])):
        off = uv[:, k, None] - breaks
        i, j = np.nonzero(off[1:] * off[:-1] < 0)
        cuts.append(t[i] + (t[i + 1] - t[i]) * off[i, j] / (off[i, j] - off[i + 1, j]))
    return np.unique(np.concatenate(cuts))
