"""Sampling along an edge: points, tangents, the direction that leaves the face, and the surface's jet there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from functools import cached_property

import numpy as np
from numpy.typing import ArrayLike
from scipy.interpolate import BSpline, make_interp_spline

from pamble.core.arrays import TINY, Array, cross, dot, floats, norm, unit
from pamble.core.faces.face import Edge
from pamble.core.remember import Remembered
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import Jet, jet, jets_abreast, stacked_jets
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.poles import off_poles

_TWIN = 1e-3
"""Distance in mm between an edge's curve and the surface under its parameter curve up to which the place there is taken
for the foot: the normal differs by that distance times a curvature."""

_SAME_PACE = 1e-9
"""Distance in mm within which two edges run through the same places at the same shares of their ranges."""

_ROW = 256
"""Most samples of a row that is remembered."""

_KEPT: Remembered[Edge, tuple[bytes, int], EdgeFrames] = Remembered(6)
_LENGTHS: Remembered[Curve, None, ArcLength] = Remembered(1)
_FEET: Remembered[Edge, bytes, Array] = Remembered(2)

_GAUSS = np.polynomial.legendre.leggauss(6)


@dataclass(frozen=True)
class EdgeFrames:
    """An edge at sample parameters, arrays of (m, 3) unless said otherwise.

    position: the edge in space. velocity: its derivative by the parameter. tangent, normal: unit; normal of the
    surface at the foot. outward: unit, square to the tangent, in the tangent plane, leaving the face. width: of the
    whole surface, where it is narrower, as far as its parameters tell, mm, (m,).
    """

    t: Array
    uv: Array
    position: Array
    velocity: Array
    tangent: Array
    outward: Array
    width: Array
    jet: Jet

    @property
    def normal(self) -> Array:
        return self.jet.normal

    @cached_property
    def curvature(self) -> Array:
        """Normal curvature across the edge, 1/mm, signed by the surface normal, (m,)."""
        return self.jet.second(self.outward, self.outward)

    @cached_property
    def curvature_rate(self) -> Array:
        """Change of the normal section's curvature across the edge in the outward direction, 1/mm^2, (m,)."""
        return self.jet.third(self.outward)


def stacked(parts: Sequence[EdgeFrames]) -> EdgeFrames:
    """Samples of several edges in one row; all have derivatives of the same order."""
    if len(parts) == 1:
        return parts[0]
    rows = {f.name: np.concatenate([getattr(p, f.name) for p in parts]) for f in fields(EdgeFrames) if f.name != "jet"}
    return EdgeFrames(**rows, jet=stacked_jets([p.jet for p in parts]))


def abreast(parts: Sequence[EdgeFrames]) -> EdgeFrames:
    """Frames of edges with as many samples each, an axis of the edges before that of the samples."""
    t, uv = np.array([p.t for p in parts]), np.array([p.uv for p in parts])
    position, velocity, tangent, outward = np.array(
        [(p.position, p.velocity, p.tangent, p.outward) for p in parts]
    ).transpose(1, 0, 2, 3)
    width = np.array([p.width for p in parts])
    return EdgeFrames(t, uv, position, velocity, tangent, outward, width, jets_abreast([p.jet for p in parts]))


def positions(edge: Edge, t: ArrayLike) -> Array:
    """Points of the edge in space, (m, 3)."""
    return curve_points(edge.space, t)


def frames(edge: Edge, t: ArrayLike, order: int = 2, remember: bool = True) -> EdgeFrames:
    """Sample an edge with the surface's derivatives to ``order`` (2 or 3).

    Where the edge has a curve of its own, normals and curvatures are taken at the foot of its points on the surface.
    An edge remembers what it was asked last: while a neighbour is dragged it stands, and its samples with it; samples
    that nobody asks for twice are not worth it.
    """
    return frames_of([(edge, np.atleast_1d(floats(t)))], order, remember)[0]


def frames_of(asked: Sequence[tuple[Edge, Array]], order: int = 2, remember: bool = True) -> list[EdgeFrames]:
    """Sample several edges, each at its parameters (m,), in one go; see `frames`."""
    out: dict[tuple[int, bytes], EdgeFrames] = {}
    new: dict[tuple[int, bytes], tuple[Edge, Array]] = {}
    places = [(id(edge), t.tobytes()) for edge, t in asked]
    for place, (edge, t) in zip(places, asked, strict=True):
        known = _KEPT.known(edge, (place[1], order)) if remember and len(t) <= _ROW else None
        if known is not None:
            out[place] = known
        else:
            new[place] = edge, t
    for (place, (edge, t)), made in zip(new.items(), _frames(list(new.values()), order), strict=True):
        out[place] = made
        if remember and len(t) <= _ROW:
            _KEPT.put(edge, (place[1], order), made)
    return [out[place] for place in places]


def feet(edge: Edge, points: Array, shares: Array, remember: bool = True) -> Array:
    """Parameters (m,) of the places on an edge that are closest to points (m, 3).

    shares: of another edge's range (m,) at which the points were taken; where both run at one pace, forward or back,
    as a surface made on an edge does, nothing is to be searched.
    """
    if len(points) > _ROW or not remember:
        return _feet(edge, points, shares)
    return _FEET.get(edge, points.tobytes(), lambda: _feet(edge, points, shares))


def _feet(edge: Edge, points: Array, shares: Array) -> Array:
    start, end = edge.domain
    ends = curve_points(edge.space, (start, end))
    near = norm(ends - points[0]) < _SAME_PACE
    for way in (shares, 1.0 - shares):
        if not near[int(way[0] > 0.5)]:
            continue
        t = start + way * (end - start)
        if norm(curve_points(edge.space, t) - points).max() < _SAME_PACE:
            return t
    return to_curve(edge.space, points).t


@dataclass(frozen=True)
class _Feet:
    """An edge on its surface at parameters ``t``: derivatives of its parameter curve (2, m, 2) and of its own curve in
    space (2, m, 3) if it has one, feet (m, 2), the surface's derivatives there, and its domain's lengths (m, 2).
    """

    t: Array
    flat: Array
    own: Array | None
    uv: Array
    derivatives: Array
    inward: Array
    reach: Array


def _on_parts(edge: Edge, t: Array, order: int) -> _Feet:
    """The same of an edge that consists of others: each is asked for its own samples."""
    m = len(t)
    flat, uv, inward, reach = np.zeros((2, m, 2)), np.zeros((m, 2)), np.zeros(m), np.zeros((m, 2))
    derivatives = np.zeros((order + 1, order + 1, m, 3))
    which = np.searchsorted([p.end for p in edge.parts[:-1]], t, side="right")
    for k, part in enumerate(edge.parts):
        at = np.flatnonzero(which == k)
        if not len(at):
            continue
        share = (t[at] - part.start) / (part.end - part.start)
        low, high = part.edge.domain
        own = _on_surface(part.edge, low + (1 - share if part.reversed else share) * (high - low), order)
        flat[:, at] = own.flat[..., ::-1] if part.turned else own.flat
        uv[at] = own.uv
        inward[at] = -own.inward if part.turned else own.inward
        reach[at] = own.reach[:, ::-1] if part.turned else own.reach
        derivatives[:, :, at] = own.derivatives.swapaxes(0, 1) if part.turned else own.derivatives
    return _Feet(t.copy(), flat, curve_derivatives(edge.space, t, 1), uv, derivatives, inward, reach)


def _on_surface(edge: Edge, t: Array, order: int) -> _Feet:
    if edge.parts:
        return _on_parts(edge, t, order)
    p = curve_derivatives(edge.pcurve, t, 1)
    own = None if edge.natural else curve_derivatives(edge.twin, t, 1)
    uv, d = off_poles(edge.surface, p[0], order)
    if own is not None and norm(d[0, 0] - own[0]).max() > _TWIN:
        foot = to_surface(edge.surface, own[0], (uv[:, 0], uv[:, 1]))
        uv, d = off_poles(edge.surface, np.column_stack([foot.u, foot.v]), order)
    reach = np.tile(np.ptp(edge.surface.domain, axis=1), (len(t), 1))
    return _Feet(t.copy(), p, own, uv, d, np.full(len(t), edge.inward), reach)


def _frames(asked: Sequence[tuple[Edge, Array]], order: int) -> list[EdgeFrames]:
    """Each edge is evaluated by itself; what follows from that is one row of vectors for all of them."""
    if not asked:
        return []
    on = [_on_surface(edge, t, order) for edge, t in asked]
    d, flat = _joined([f.derivatives for f in on], 2), _joined([f.flat for f in on], 1)[1]
    along = d[1, 0] * flat[:, :1] + d[0, 1] * flat[:, 1:]
    ends = np.cumsum([len(f.t) for f in on])
    parts = [slice(end - len(f.t), end) for end, f in zip(ends, on, strict=True)]
    position = [d[0, 0, i] if f.own is None else f.own[0] for f, i in zip(on, parts, strict=True)]
    velocity = _joined([along[i] if f.own is None else f.own[1] for f, i in zip(on, parts, strict=True)])
    j = jet(d)
    tangent = unit(j.tangent(np.where(norm(velocity)[:, None] > 1e-12, velocity, along)))
    across = cross(j.normal, tangent)
    # The parameter-plane normal that points into the face, carried into space, tells which side the face is on.
    into = flat[:, :1] * d[0, 1] - flat[:, 1:] * d[1, 0]
    inward = _joined([f.inward for f in on])
    outward = across * np.where(dot(across, into) * inward > 0, -1.0, 1.0)[:, None]
    reach = _joined([f.reach for f in on])
    long = np.maximum(norm(d[1, 0]) * reach[:, 0], norm(d[0, 1]) * reach[:, 1])
    width = norm(cross(d[1, 0], d[0, 1])) * reach.prod(axis=1) / np.maximum(long, TINY)
    return [
        EdgeFrames(f.t, f.uv, p, velocity[i], tangent[i], outward[i], width[i], j.part(i))
        for f, p, i in zip(on, position, parts, strict=True)
    ]


def _joined(rows: list[Array], axis: int = 0) -> Array:
    return rows[0] if len(rows) == 1 else np.concatenate(rows, axis=axis)


@dataclass(frozen=True)
class ArcLength:
    """Arc length of an edge at nodes of its parameter, and as smooth functions both ways; lengths in mm."""

    nodes: Array
    lengths: Array

    @property
    def total(self) -> float:
        return float(self.lengths[-1])

    @cached_property
    def of_parameter(self) -> BSpline:
        """Length from the start as a function of the parameter, quintic."""
        return make_interp_spline(self.nodes, self.lengths, k=5)

    @cached_property
    def to_parameter(self) -> BSpline:
        """Parameter as a function of the length from the start, quintic."""
        rising = np.concatenate([[True], np.diff(self.lengths) > 1e-12 * max(self.total, TINY)])
        return make_interp_spline(self.lengths[rising], self.nodes[rising], k=5)


def arc_length(source: Curve) -> ArcLength:
    """Tabulate arc length by Gauss-Legendre quadrature on at least 40 pieces, some in every span; remembered."""
    return _LENGTHS.get(source, None, lambda: _tabulated(source))


def _tabulated(source: Curve) -> ArcLength:
    points = basis.breaks(source.knots, source.degree)
    each = max(6, -(-40 // (len(points) - 1)))
    nodes = np.append((points[:-1, None] + np.diff(points)[:, None] * np.arange(each) / each).ravel(), points[-1])
    x, w = _GAUSS
    half = 0.5 * np.diff(nodes)
    t = (nodes[:-1, None] + half[:, None] * (1 + x)).ravel()
    speed = norm(curve_derivatives(source, t, 1)[1])
    return ArcLength(nodes, np.concatenate([[0.0], np.cumsum((speed.reshape(-1, len(x)) * w).sum(axis=1) * half)]))
