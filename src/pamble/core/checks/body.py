"""What faces are together: their area, whether they close, the volume they hold, and which of them are turned."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, cross, norm
from pamble.core.checks.measured import measure_seams, sample_seams
from pamble.core.checks.seams import OpenEdge, Seam, find_seams, part_diagonal
from pamble.core.faces.face import Edge, Face
from pamble.core.spline import basis
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import SEAM_SEARCH

_NODES, _SETTLED = (10, 14, 28, 56), 1e-9
"""Gauss places in a span, or in a stretch of a trim: more until an integral changes by less than a share of itself, as
area is no polynomial.
"""

_STRETCHES = 4
_LOOKED = 101
"""Places along a trim at which it is looked whether it crosses a span's border."""

_JUMP = 1e-9

_ALONG = 17
"""Places along a seam at which it is looked to which side both faces point."""

Integrand = Callable[[Array], Array]
"""Values (m, k) from first derivatives of a surface at m places, for each unit of u and v."""


@dataclass(frozen=True)
class Body:
    """area: mm². volume: mm³, None where the faces do not close. open: stretches of edges that meet nothing, mm.
    turned: numbers of the faces whose normals point to the other side than the first one's of their piece. pieces: how
    many the faces fall into.
    """

    area: float
    volume: float | None
    open: tuple[OpenEdge, ...]
    turned: tuple[int, ...]
    pieces: int

    @property
    def closed(self) -> bool:
        return self.volume is not None


def body_of(faces: Sequence[Face], search: float = SEAM_SEARCH) -> Body:
    """Look at faces as one body. search: how far apart edges are that meet, mm.

    >>> from pamble.core.spline.surface import Surface
    >>> deck = Face(Surface.bezier([[[0, 0, 0], [0, 4, 0]], [[6, 0, 0], [6, 4, 0]]]))
    >>> body = body_of([deck])
    >>> round(body.area, 9), body.closed
    (24.0, False)
    """
    seams, left = find_seams(faces, search)
    flip, piece = _sides(faces, seams)
    about = np.mean([f.surface.control.reshape(-1, 3).mean(axis=0) for f in faces], axis=0) if faces else np.zeros(3)
    sums = np.array([_integral(f, _area_and_flux(about)) for f in faces]).reshape(-1, 2)
    # Each closed piece counts, whichever way its normals point.
    flux = np.zeros(max(piece, default=-1) + 1)
    np.add.at(flux, piece, flip * sums[:, 1])
    volume = None if left or not len(faces) else float(np.abs(flux).sum())
    turned = tuple(np.flatnonzero(flip < 0).tolist())
    return Body(float(sums[:, 0].sum()), volume, tuple(left), turned, len(flux))


def inside_out(faces: Sequence[Face], search: float = SEAM_SEARCH) -> list[int]:
    """Numbers of the faces whose normals point into the body: where faces close, else to the other side than those of
    most of their piece, by area. search: how far apart edges are that meet, mm.
    """
    seams, left = find_seams(faces, search)
    flip, piece = _sides(faces, seams)
    owner, open_pieces = np.array(piece), {piece[o.face] for o in left}
    out = list[int]()
    for number in dict.fromkeys(piece):
        own = np.flatnonzero(owner == number)
        if number in open_pieces and (flip[own] > 0).all():
            continue
        here = [faces[i] for i in own.tolist()]
        about = np.mean([f.surface.control.reshape(-1, 3).mean(axis=0) for f in here], axis=0)
        sums = np.array([_by_gauss(f, _area_and_flux(about), _NODES[0]) for f in here])
        outward = float(flip[own] @ sums[:, 0 if number in open_pieces else 1])
        out += own[flip[own] * outward < 0].tolist()
    return sorted(out)


def _area_and_flux(about: Array) -> Integrand:
    """Area, and the volume of the cone over it from a point (3,): all cones of a closed body make up its volume."""

    def values(d: Array) -> Array:
        full = cross(d[1, 0], d[0, 1])
        return np.stack([norm(full), np.vecdot(d[0, 0] - about, full) / 3.0], axis=-1)

    return values


def _sides(faces: Sequence[Face], seams: Sequence[Seam]) -> tuple[Array, list[int]]:
    """For each face +1, or -1 where its normal points to the other side than that of the first of its piece; and the
    number of its piece.
    """
    beside: dict[int, list[tuple[int, float]]] = {i: [] for i in range(len(faces))}
    diagonal = part_diagonal(list(faces)) if faces else 1.0
    found = measure_seams(sample_seams(seams, _ALONG, exact=False), diagonal, exact=False) if seams else []
    for seam, measured in zip(seams, found, strict=True):
        a, b = seam.faces
        sign = -1.0 if measured.figures.opposed else 1.0
        beside[a].append((b, sign))
        beside[b].append((a, sign))
    flip, piece = np.zeros(len(faces)), [-1] * len(faces)
    for start in range(len(faces)):
        if piece[start] >= 0:
            continue
        number = max(piece) + 1
        flip[start], piece[start], waiting = 1.0, number, [start]
        while waiting:
            i = waiting.pop()
            for j, sign in beside[i]:
                if piece[j] < 0:
                    flip[j], piece[j] = flip[i] * sign, number
                    waiting.append(j)
    return flip, piece


def _integral(face: Face, values: Integrand) -> Array:
    """The integral (k,) over a face of values for each unit of its parameters, on as many places as it takes."""
    found = _by_gauss(face, values, _NODES[0])
    for nodes in _NODES[1:]:
        last, found = found, _by_gauss(face, values, nodes)
        if (np.abs(found - last) <= _SETTLED * np.abs(found).max()).all():
            break
    return found


def _by_gauss(face: Face, values: Integrand, nodes: int) -> Array:
    """The same on so many places in a span.

    Over a whole surface by Gauss in every span; over a trimmed one by Green's theorem: the integral along u up to the
    trims, run round them.
    """
    s = face.surface
    x, w = np.polynomial.legendre.leggauss(nodes)
    breaks_u, breaks_v = basis.breaks(s.knots_u, s.degree_u), basis.breaks(s.knots_v, s.degree_v)
    if face.natural:
        (u, wu), (v, wv) = (_gauss(b, x, w) for b in (breaks_u, breaks_v))
        grid_u, grid_v = (g.ravel() for g in np.meshgrid(u, v, indexing="ij"))
        return np.asarray((wu[:, None] * wv).ravel() @ values(surface_derivatives(s, grid_u, grid_v, 1)))
    total = np.zeros(0)
    for loop in face.loops:
        ends = [curve_points(e.pcurve, e.domain)[:: int(e.inward)] for e in loop]
        for k, edge in enumerate(loop):
            t, weight = _gauss(_stretches(edge, s, breaks_u, breaks_v), x, w)
            p = curve_derivatives(edge.pcurve, t, 1)
            part = (edge.inward * weight * p[1, :, 1]) @ _up_to(s, p[0], breaks_u, x, w, values)
            # Over a pole a loop jumps, straight in the parameters.
            start, end = ends[k][1], ends[(k + 1) % len(loop)][0]
            if np.abs(end - start).max() > _JUMP:
                share, weight = _gauss(np.linspace(0.0, 1.0, _STRETCHES + 1), x, w)
                way = start + share[:, None] * (end - start)
                part = part + weight * (end - start)[1] @ _up_to(s, way, breaks_u, x, w, values)
            total = part if not len(total) else total + part
    return total


def _gauss(breaks: Array, x: Array, w: Array) -> tuple[Array, Array]:
    half = 0.5 * np.diff(breaks)
    return (breaks[:-1, None] + half[:, None] * (1 + x)).ravel(), (half[:, None] * w).ravel()


def _stretches(edge: Edge, surface: Surface, breaks_u: Array, breaks_v: Array) -> Array:
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


def _up_to(surface: Surface, uv: Array, breaks: Array, x: Array, w: Array, values: Integrand) -> Array:
    """Integrals (m, k) along u from the start of the domain to places (m, 2)."""
    low = breaks[:-1]
    half = 0.5 * (np.clip(uv[:, :1], low, breaks[1:]) - low)
    u = low[:, None] + half[..., None] * (1 + x)
    v = np.broadcast_to(uv[:, 1, None, None], u.shape)
    found = values(surface_derivatives(surface, u.ravel(), v.ravel(), 1)).reshape(*u.shape, -1)
    return np.asarray(np.einsum("msgk,ms,g->mk", found, half, w))
