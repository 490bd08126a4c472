"""What a seam or a gap asks of the blend in it: signals along both its edges, as they are and after a repair."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from scipy.interpolate import make_interp_spline

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.checks.judge import CREASE
from pamble.core.faces.face import Edge
from pamble.core.faces.frames import frames
from pamble.core.spline import basis
from pamble.core.spline.differential import Jet, jet
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives, surface_grid
from pamble.core.spline.surface import Surface
from pamble.core.trace.spans import SAMPLES, fitted, left, needed, peak

NORMAL = np.radians(0.005)
"""Tolerances by which spans are counted: radians for normals and the crease angle, mm for edge and gap, a share of the
curvature itself."""
CURVATURE = 0.005
EDGE = 0.002
GAP = 0.02

_GRID = 80
_PACES = 641
_BESIDE = 0.3
_WAY_IN = 3
"""Spans of the directions in which a face is entered."""

_DEEP = 0.45
"""Share of a face up to which it is entered."""


@dataclass(frozen=True)
class Line:
    """An edge seen along a seam. at: shares of the seam to shares of the edge's range.

    smooth: its way on the face taken by its calmest likeness. surface: another surface on which it lies. inside: how
    far inside the face, mm, its normals and curvatures are taken, and from the face itself. part: whether it is a piece
    of a longer way.
    """

    edge: Edge
    at: Callable[[Array], Array]
    smooth: bool = False
    inside: float = 0.0
    surface: Surface | None = None
    part: bool = False

    def even(self) -> Line:
        """The same edge, run through at an even pace."""
        return self._paced(lambda run: run[0] + (run[-1] - run[0]) * SAMPLES)

    def calm(self) -> Line:
        """The same edge, run through at the calmest pace like its own: a stir of the pace alone is nothing to mend."""
        return self if self.smooth else self._paced(lambda run: fitted(1, run))

    def _paced(self, law: Callable[[Array], Array]) -> Line:
        """The edge at another pace; law: what becomes of the lengths that it runs up to at `SAMPLES`."""
        ends = self.at(np.array([0.0, 1.0]))
        share = np.linspace(ends.min(), ends.max(), _PACES)
        low, high = self.edge.domain
        uv = curve_points(self.edge.pcurve, low + (high - low) * share)
        points = surface_derivatives(self.surface or self.edge.surface, uv[:, 0], uv[:, 1])[0, 0]
        length = np.append(0.0, np.cumsum(norm(np.diff(points, axis=0))))
        run = make_interp_spline(share, length, k=3)(self.at(SAMPLES))
        to_share = make_interp_spline(length, share, k=3)(law(run))
        at = make_interp_spline(SAMPLES, to_share, k=5)
        return replace(self, at=lambda s: np.clip(at(s), 0.0, 1.0))

    def on_calm_face(self, inside: float = 0.0) -> Line:
        """The same edge on the face's best fit by one span; what is across it taken from inside the face if asked."""
        low, high = self.edge.domain
        way = curve_points(self.edge.pcurve, low + (high - low) * self.at(SAMPLES)) if self.part else None
        return replace(self, surface=_calm(self.edge.surface, way), inside=inside)


def _calm(surface: Surface, way: Array | None) -> Surface:
    """The best fit of degree 5 by 5 with one span to a surface; of a piece of a way on it, (m, 2), of degree 3 by 3 to
    what lies beside that piece, as one of degree 5 would follow two waves.
    """
    (u0, u1), (v0, v1) = surface.domain
    if way is not None:
        reach = np.ptp(way, axis=0) / [u1 - u0, v1 - v0]
        if reach[0] > _BESIDE * reach[1]:
            u0, u1 = float(way[:, 0].min()), float(way[:, 0].max())
        if reach[1] > _BESIDE * reach[0]:
            v0, v1 = float(way[:, 1].min()), float(way[:, 1].max())
    u, v = np.linspace(u0, u1, _GRID), np.linspace(v0, v1, _GRID)
    points = surface_grid(surface, u, v)[0, 0]
    degree = 5 if way is None else 3
    ku, kv = basis.uniform_knots(degree, 1, u0, u1), basis.uniform_knots(degree, 1, v0, v1)
    down_u = np.linalg.pinv(basis.matrix(ku, degree, u)[0])
    down_v = np.linalg.pinv(basis.matrix(kv, degree, v)[0])
    return Surface(degree, degree, ku, kv, np.einsum("iu,uvx,jv->ijx", down_u, points, down_v, optimize=True))


@dataclass(frozen=True)
class Seen:
    """A line at shares of the seam: points, unit tangents, normals (m, 3), and curvatures across it (m,), 1/mm."""

    point: Array
    tangent: Array
    normal: Array
    curvature: Array


def seen(line: Line, s: Array) -> Seen:
    """Sample a line."""
    edge = line.edge
    low, high = edge.domain
    t = low + (high - low) * line.at(s)
    here = frames(edge, t, 2, remember=False)
    uv, point, tangent, outward = here.uv, here.position, here.tangent, here.outward
    surface = line.surface or edge.surface
    shape = here.jet
    if line.smooth:
        # Across the common parameter the way on the face is one span; over an uneven share it must not be.
        way = curve_points(edge.pcurve, low + (high - low) * line.at(SAMPLES))
        knots = basis.uniform_knots(5, 1)
        calm = np.linalg.lstsq(basis.matrix(knots, 5, SAMPLES)[0], way, rcond=None)[0]
        values = basis.matrix(knots, 5, s, 1)
        uv, rate = values[0] @ calm, values[1] @ calm
        d = surface_derivatives(surface, uv[:, 0], uv[:, 1], 2)
        shape, point = jet(d), d[0, 0]
        tangent = _along(d, rate, low < high)
    if line.inside:
        u, v = _inside(edge, shape, uv, outward, line.inside)
        shape = jet(surface_derivatives(edge.surface, u, v, 2))
    if line.surface is not None:
        d = surface_derivatives(surface, uv[:, 0], uv[:, 1], 2)
        shape, point = shape if line.inside else jet(d), d[0, 0]
        tangent = _along(d, curve_derivatives(edge.pcurve, t, 1)[1], low < high)
    along = unit(shape.tangent(tangent))
    across = cross(shape.normal, along)
    return Seen(point, tangent, shape.normal, shape.second(across, across))


def _along(d: Array, rate: Array, ahead: bool) -> Array:
    """Unit tangents of a way on a surface with those derivatives, (m, 3); rate: of the way, (m, 2)."""
    return unit(rate[:, :1] * d[1, 0] + rate[:, 1:] * d[0, 1]) * (1.0 if ahead else -1.0)


def _inside(edge: Edge, shape: Jet, uv: Array, outward: Array, distance: float) -> tuple[Array, Array]:
    """Parameters inside the face beside an edge, about the distance away; what is wrong with the crease must not lead
    the samples astray, so each of the two is moved by a calm law.

    Beside a whole side they lie on an iso-curve.
    """
    ranges = edge.surface.domain
    if edge.natural:
        across = 0 if (edge.side or "u0")[0] == "u" else 1
        rate = float(np.median(norm(shape.derivatives[(1, 0) if across == 0 else (0, 1)])))
        low, high = ranges[across]
        moved = uv.copy()
        moved[:, across] += np.sign(low + high - 2.0 * uv[:, across]) * min(distance / rate, _DEEP * (high - low))
        return moved[:, 0], moved[:, 1]
    step = fitted(_WAY_IN, np.stack(shape.coordinates(outward), -1))
    deep = np.abs(np.median(step, axis=0)) / np.diff(ranges, axis=1)[:, 0]
    moved = uv - min(distance, _DEEP / float(deep.max())) * step
    for row, (low, high) in zip(moved.T, ranges, strict=True):
        # Drawn together as a whole where an end would leave the surface: a stop at its border would be a kink.
        first, last = float(row.min()), float(row.max())
        start, end = max(first, low), min(last, high)
        if (start, end) != (first, last):
            row[:] = start + (row - first) * (end - start) / (last - first)
    return moved[:, 0], moved[:, 1]


@dataclass(frozen=True)
class Signals:
    """Both edges of a seam or a gap at the same shares, and the spans that each of their signals needs."""

    a: Seen
    b: Seen
    diagonal: float

    @cached_property
    def angle(self) -> Array:
        """Angle between both tangent planes, signed along the first edge, radians, (m,)."""
        facing = 1.0 if np.median(dot(self.a.normal, self.b.normal)) > 0 else -1.0
        other = facing * self.b.normal
        # The whole angle counts, and a calm direction only says which way it opens: a wavy edge is no wavy angle.
        turn = cross(self.a.normal, other)
        opens = dot(turn, unit(fitted(_WAY_IN, self.a.tangent)))
        whole = np.arctan2(np.copysign(norm(turn), opens), dot(self.a.normal, other))
        # Where faces run on into each other they rock about any axis: only what opens is an angle there.
        return np.asarray(whole if np.median(np.abs(whole)) > np.radians(CREASE) else np.arcsin(np.clip(opens, -1, 1)))

    @cached_property
    def needs(self) -> dict[str, int]:
        """Spans by signal: "normal a", "curvature a", "edge a", the same of b, "angle", "gap"."""
        out: dict[str, int] = {}
        for name, line in (("a", self.a), ("b", self.b)):
            out[f"normal {name}"] = needed(line.normal, NORMAL)
            floor = np.maximum(np.abs(line.curvature), 1.0 / self.diagonal)
            out[f"curvature {name}"] = needed(line.curvature, CURVATURE * floor)
            out[f"edge {name}"] = needed(line.point, EDGE, line.tangent)
        out["angle"] = needed(self.angle, NORMAL)
        out["gap"] = needed(self.a.point - self.b.point, GAP, self.a.tangent)
        return out

    @cached_property
    def most(self) -> int:
        """Spans of the neediest signal."""
        return max(self.needs.values())

    @cached_property
    def predicted(self) -> int:
        """Spans that a blend will need; the angle and the gap tell causes, but do not bind its rows."""
        return max(n for name, n in self.needs.items() if name not in ("angle", "gap"))

    def unrest(self, spans: int = 1) -> tuple[Array, Array]:
        """How far the normals of both sides are from a calm law of so many spans, radians, (m,) each."""
        return left(spans, self.a.normal), left(spans, self.b.normal)


def signals(a: Line, b: Line, diagonal: float, s: Array = SAMPLES) -> Signals:
    """Sample both lines. diagonal: of the part in mm; it bounds the curvature reference from below."""
    return Signals(seen(a, s), seen(b, s), diagonal)


def uneven(angle: Array) -> tuple[float, int]:
    """Unevenness of a crease angle: its largest distance from the calmest law, one span of degree 5, and the sample."""
    return peak(np.abs(angle - fitted(1, angle)))
