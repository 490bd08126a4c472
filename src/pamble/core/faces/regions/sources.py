"""Curves in the parameter plane of a face: its own border and what cuts it, as one table of polynomial pieces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, IntArray, norm
from pamble.core.faces.face import Face, side_curve
from pamble.core.spline import basis
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import EDGES, Surface


@dataclass(frozen=True)
class Source:
    """A curve of the parameter plane.

    loop: number of the border loop it belongs to, -1 for one that cuts. inward: +1 if the face lies on the left of a
    border curve. space: its twin over the same parameters; None where the curve is a pole, a point in space. cutter,
    label: the object that a cutting curve comes from, and its name in words. at: the side of the surface it lies on.
    """

    name: str
    curve: Curve
    space: Curve | None
    loop: int = -1
    inward: float = 1.0
    cutter: str = ""
    label: str = ""
    at: str | None = None

    @property
    def cuts(self) -> bool:
        return self.loop < 0


def plane_scale(surface: Surface) -> Array:
    """Millimetres for a unit of u and of v, on the average, (2,): in the plane scaled by it lengths are about true."""
    c = surface.control
    (u0, u1), (v0, v1) = surface.domain
    along_u = norm(np.diff(c, axis=0)).sum(axis=0).mean() / (u1 - u0)
    along_v = norm(np.diff(c, axis=1)).sum(axis=1).mean() / (v1 - v0)
    return np.maximum([along_u, along_v], 1e-9)


_POINT = 1e-7
"""Length in mm below which a side of a surface is a pole."""

_JUMP = 1e-5
"""How far apart, scaled, two edges that follow each other may end; beyond it a loop jumps over a pole."""


def border_sources(face: Face) -> list[Source]:
    """The border of a face as sources, loop by loop; where a loop jumps over a pole, the pole's line is among them."""
    surface = face.surface
    if face.natural:
        names = dict(zip(EDGES, face.names, strict=True))
        return [_side(surface, side, names[side]) for side in ("v0", "u1", "v1", "u0")]
    out = []
    for number, loop in enumerate(face.loops):
        for k, edge in enumerate(loop):
            out.append(Source(edge.name, edge.pcurve, edge.space, number, edge.inward, at=edge.side))
            after = loop[(k + 1) % len(loop)]
            end = curve_points(edge.pcurve, [edge.domain[1 if edge.inward > 0 else 0]])[0]
            start = curve_points(after.pcurve, [after.domain[0 if after.inward > 0 else 1]])[0]
            if norm((start - end)[None] * plane_scale(surface))[0] > _JUMP:
                out.append(Source("", Curve.line(end, start), None, number))
    return out


def joined_ends(sources: Sequence[Source]) -> list[tuple[int, int]]:
    """Ends of the border's curves that are one since the curves follow each other: pairs of numbers, 2 k and 2 k + 1
    for the start and the end of curve k. In files they lie up to some micrometres apart.
    """
    out = []
    for loop in sorted({s.loop for s in sources if not s.cuts}):
        own = [k for k, s in enumerate(sources) if s.loop == loop]
        for a, b in zip(own, own[1:] + own[:1], strict=True):
            out.append((2 * a + (sources[a].inward > 0), 2 * b + (sources[b].inward < 0)))
    return out


def _side(surface: Surface, side: str, name: str) -> Source:
    pcurve, inward, space = side_curve(surface, side)
    length = float(norm(np.diff(space.control, axis=0)).sum())
    return Source(name, pcurve, space if length > _POINT else None, 0, inward, at=side)


class CurveTable:
    """Many plane curves as one array of polynomial pieces, scaled: a call evaluates any mix of them.

    domain: (n, 2) parameters of each curve; length: (n,) of its domain. first: number of each curve's first piece.
    """

    def __init__(self, curves: Sequence[Curve], scale: Array) -> None:
        self.degree = max(c.degree for c in curves)
        self.rational = any(c.weights is not None for c in curves)
        parts = [basis.power_pieces(c.knots, c.degree) for c in curves]
        count = np.array([len(first) for _, first, _ in parts])
        self.first = np.concatenate([[0], np.cumsum(count)])
        total = int(self.first[-1])
        self._co = np.zeros((total, self.degree + 1, 3 if self.rational else 2))
        self.start, self.width, self._key = np.empty(total), np.empty(total), np.empty(total)
        self.domain = np.empty((len(curves), 2))
        for k, (c, (edges, first, coefficients)) in enumerate(zip(curves, parts, strict=True)):
            points = c.control * scale
            if self.rational:
                w = np.ones(len(points)) if c.weights is None else c.weights
                points = np.column_stack([points * w[:, None], w])
            a, b = self.first[k], self.first[k + 1]
            active = points[first[:, None] + np.arange(c.degree + 1)]
            self._co[a:b, : c.degree + 1] = np.matmul(coefficients, active)
            self.start[a:b], self.width[a:b] = edges[:-1], np.diff(edges)
            self._key[a:b] = 2.0 * k + (edges[:-1] - edges[0]) / (edges[-1] - edges[0])
            self.domain[k] = edges[0], edges[-1]
        self.owner = np.repeat(np.arange(len(curves)), count)
        self.length = self.domain[:, 1] - self.domain[:, 0]

    def at(self, curve: IntArray, t: Array) -> tuple[Array, Array]:
        """Points and first derivatives (m, 2) of the curves of those numbers; end pieces go on beyond the domain."""
        share = np.clip((t - self.domain[curve, 0]) / self.length[curve], 0.0, 1.0)
        piece = self._key.searchsorted(share + 2.0 * curve, side="right") - 1
        piece = np.minimum(np.maximum(piece, self.first[curve]), self.first[curve + 1] - 1)
        return self._local(piece, (t - self.start[piece]) / self.width[piece])

    def points(self, curve: IntArray, t: Array) -> Array:
        """Points alone."""
        return self.at(curve, t)[0]

    def _local(self, piece: IntArray, x: Array) -> tuple[Array, Array]:
        powers = x[:, None] ** np.arange(self.degree + 1)
        c = self._co[piece]
        p = np.matmul(powers[:, None, :], c)[:, 0]
        rise = (powers[:, :-1] * np.arange(1, self.degree + 1))[:, None, :]
        d = np.matmul(rise, c[:, 1:])[:, 0] / self.width[piece][:, None]
        if not self.rational:
            return p, d
        w, q = p[:, 2:], p[:, :2] / p[:, 2:]
        return q, (d[:, :2] - d[:, 2:] * q) / w

    def chords(self, sag: float) -> tuple[Array, IntArray, Array, IntArray]:
        """Parameters at which chords stay within ``sag`` (scaled) of all curves, one curve after the other, at least
        four a piece; the curve of each, the points, and where each curve begins, (n + 1,).
        """
        steps = 8
        v = (np.arange(steps + 1) / steps)[:, None] ** np.arange(self.degree + 1)
        p = np.matmul(v, self._co)
        if self.rational:
            p = p[..., :2] / p[..., 2:]
        bend = norm(np.diff(p, 2, axis=1)).max(axis=1)
        n = np.clip(np.ceil(1.2 * steps * np.sqrt(bend / (8 * sag))), 4, 400).astype(np.intp)
        ends = np.zeros(len(n), dtype=np.intp)
        ends[self.first[1:] - 1] = 1
        m = n + ends
        piece = np.repeat(np.arange(len(n)), m)
        step = np.arange(len(piece)) - np.repeat(np.cumsum(m) - m, m)
        x = step / n[piece]
        t = self.start[piece] + self.width[piece] * x
        begins = np.concatenate([[0], np.cumsum(m)])[self.first]
        t[begins[1:] - 1] = self.domain[:, 1]
        return t, self.owner[piece], self._local(piece, x)[0], begins
