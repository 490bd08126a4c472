"""A side of a patch: an edge of a neighbour, seen through a parameter from 0 to 1, with the neighbour's shape there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import TINY, Array, cross, dot, norm
from pamble.core.curves.measure import LengthMap
from pamble.core.faces.face import Edge, Part
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.differential import Jet, jet, stacked_jets
from pamble.core.spline.evaluate import curve_derivatives, curve_points, surface_derivatives
from pamble.core.spline.poles import off_poles
from pamble.core.spline.surface import Surface

_UNEVEN = 3.0
"""Ratio of the fastest to the slowest pace of an edge from which it is run through by length instead."""


_SOUND = 1e-14
"""Determinant of the first form, and ratio of its squared speeds, below which one parameter moves nothing."""

_BEYOND = 0.25
"""Share of its domain by which a surface is followed beyond it."""


@dataclass(frozen=True)
class Neighbour:
    """A surface at places on it: uv (m, 2), points and unit normals (m, 3), and the second fundamental form as a tensor
    in space, bend (m, 3, 3), 1/mm: the normal curvature along a unit tangent d is d.bend.d. jet: to third order, where
    that was asked for. Along a chain of edges uv has a third column, the number of the part.
    """

    uv: Array
    point: Array
    normal: Array
    bend: Array
    jet: Jet | None = None


def neighbour(surface: Surface, uv: Array, order: int = 2, turned: bool = False) -> Neighbour:
    """The surface at parameters (m, 2), beyond its domain too, to order 2 or 3; the tensor by the dual basis. On a pole
    it is what the surface is just beside.

    turned: whether its normal is that of its other side.
    """
    uv, d = off_poles(surface, uv, order)
    d = d.swapaxes(0, 1) if turned else d
    su, sv = d[1, 0], d[0, 1]
    full = cross(su, sv)
    area = np.maximum(norm(full), TINY)[:, None]
    n = full / area
    e, f = cross(sv, n) / area, cross(n, su) / area
    l, m, k = (dot(n, x)[:, None, None] for x in (d[2, 0], d[1, 1], d[0, 2]))
    mixed = e[:, :, None] * f[:, None, :]
    bend = (
        l * e[:, :, None] * e[:, None, :] + k * f[:, :, None] * f[:, None, :] + m * (mixed + mixed.transpose(0, 2, 1))
    )
    return Neighbour(uv, d[0, 0], n, bend, jet(d) if order > 2 else None)


class Side:
    """An edge of a neighbour, or a curve that stands alone (then there is no surface to meet).

    turned: whether it is run through against its own parameter. by_length: its pace, by its own parameter or by length;
    None for its own parameter, but by length where that is very ``uneven``. like: a curve over [0, 1] that lies on it,
    at whose pace and in whose sense it is run through instead. over: of a loop, the parameters between which it is run
    through upward, over its start where the second is not above the first.
    """

    def __init__(
        self,
        source: Edge | Curve,
        turned: bool = False,
        by_length: bool | None = None,
        like: Curve | None = None,
        over: tuple[float, float] | None = None,
    ) -> None:
        self.source, self.turned, self._like, self.over = source, turned, like, over
        self.curve = source if isinstance(source, Curve) else source.space
        if like is not None:
            feet = to_curve(self.curve, curve_points(like, [0.0, 1.0])).t
            self.turned = bool(feet[0] > feet[1])
        self.surface = None if isinstance(source, Curve) else source.surface
        t = np.linspace(*self.curve.domain, 65)
        speed = norm(curve_derivatives(self.curve, t, 1)[1])
        self.uneven = bool(speed.max() >= _UNEVEN * max(float(speed.min()), TINY))
        self.by_length = self.uneven if by_length is None else by_length
        self._map = LengthMap(self.curve) if self.by_length else None

    def reversed(self) -> Side:
        """The same side, run through the other way."""
        return Side(self.source, not self.turned, self.by_length, over=self.over)

    def at_own_pace(self) -> Side:
        """The same side, run through by its own parameter."""
        return Side(self.source, self.turned, by_length=False, over=self.over)

    def parameters(self, s: Array) -> Array:
        """Parameters of the curve (m,) at shares (m,)."""
        if self._like is not None:
            return np.asarray(to_curve(self.curve, curve_points(self._like, s)).t)
        s = 1.0 - s if self.turned else s
        a, b = self.curve.domain
        if self.over is not None:
            start, end = self.over if self._map is None else map(self._map.fraction, self.over)
            low, round_trip = (a, b - a) if self._map is None else (0.0, 1.0)
            s = np.mod((start - low) / round_trip + s * turn_share(start, end, round_trip), 1.0)
        return a + s * (b - a) if self._map is None else self._map.parameters(s)

    def points(self, s: Array) -> Array:
        """Points (m, 3)."""
        return curve_points(self.curve, self.parameters(s))

    def tangents(self, s: Array) -> Array:
        """Unit tangents (m, 3) along the rising share."""
        d = curve_derivatives(self.curve, self.parameters(s), 1)[1]
        return np.asarray((-d if self.turned else d) / np.maximum(norm(d), TINY)[:, None])

    @property
    def ends(self) -> Array:
        """Both ends, (2, 3)."""
        return self.points(np.array([0.0, 1.0]))

    def at(self, s: Array, order: int = 2) -> Neighbour:
        """The neighbour's surface at the feet of the edge's points, to order 2 or 3. Only for an edge."""
        if isinstance(self.source, Curve):
            raise TypeError("A curve has no surface beside it.")
        t = self.parameters(s)
        uv = _on_parts(self.source, t) if self.source.parts else _on_plane(self.source, self.curve, t)
        return self.feet(self.points(s), uv, 2, order)

    def feet(self, points: Array, uv: Array, steps: int = 1, order: int = 2) -> Neighbour:
        """Feet of points that are near the surface, by Gauss-Newton steps from ``uv`` (m, 2); then its shape there, to
        order 2 or 3.
        """
        assert self.surface is not None
        if isinstance(self.source, Edge) and self.source.parts:
            return self._feet_on_parts(self.source.parts, points, uv, steps, order)
        return _feet(self.surface, points, uv, steps, order)

    def _feet_on_parts(self, parts: Sequence[Part], points: Array, uv: Array, steps: int, order: int) -> Neighbour:
        which = uv[:, 2].astype(int)
        own, places = [], []
        for k in np.unique(which).tolist():
            at = np.flatnonzero(which == k)
            own.append(_feet(parts[k].edge.surface, points[at], uv[at, :2], steps, order, parts[k].turned))
            places.append(at)
        back = np.argsort(np.concatenate(places))

        def joined(name: str) -> Array:
            return np.concatenate([getattr(f, name) for f in own])[back]

        jets = [f.jet for f in own if f.jet is not None]
        jet = stacked_jets(jets).part(back) if jets else None
        return Neighbour(np.column_stack([joined("uv"), which]), joined("point"), joined("normal"), joined("bend"), jet)

    def outward(self, s: Array) -> Array:
        """Unit directions (m, 3) in the neighbour's tangent plane, square to the edge, that leave its face."""
        assert isinstance(self.source, Edge)
        from pamble.core.faces.frames import frames

        return frames(self.source, self.parameters(s), 2, remember=False).outward


def turn_share(start: float, end: float, whole: float) -> float:
    """Share of a loop from one place on it upward to another; all of it where they are one."""
    return float(1.0 - np.mod((start - end) / whole, 1.0))


def _on_plane(edge: Edge, curve: Curve, t: Array) -> Array:
    """Parameters (m, 2) of a surface along an edge: the same range as in space."""
    (a, b), (c, d) = curve.domain, edge.pcurve.domain
    return curve_points(edge.pcurve, c + (t - a) * ((d - c) / (b - a)))


def _on_parts(edge: Edge, t: Array) -> Array:
    """The same along a chain, with the number of the part (m, 3)."""
    which = np.searchsorted([p.end for p in edge.parts[:-1]], t, side="right")
    out = np.zeros((len(t), 3))
    for k, part in enumerate(edge.parts):
        at = np.flatnonzero(which == k)
        share = (t[at] - part.start) / (part.end - part.start)
        low, high = part.edge.domain
        own = low + (1 - share if part.reversed else share) * (high - low)
        out[at] = np.column_stack([curve_points(part.edge.pcurve, own), np.full(len(at), k)])
    return out


def _feet(surface: Surface, points: Array, uv: Array, steps: int, order: int, turned: bool = False) -> Neighbour:
    low, high = np.array(surface.domain).T
    room = _BEYOND * (high - low)
    for _ in range(steps):
        d = surface_derivatives(surface, uv[:, 0], uv[:, 1], 1)
        su, sv, gap = d[1, 0], d[0, 1], points - d[0, 0]
        e, f, g, a, b = dot(su, su), dot(su, sv), dot(sv, sv), dot(gap, su), dot(gap, sv)
        det = e * g - f * f
        sound = det > _SOUND * e * g
        # On a pole one parameter moves nothing: it stays.
        alone = np.stack([np.where(e > g, a / np.maximum(e, TINY), 0), np.where(e > g, 0, b / np.maximum(g, TINY))])
        step = np.stack([a * g - b * f, b * e - a * f]) / np.maximum(det, TINY)
        uv = uv + np.where(sound & (np.minimum(e, g) > _SOUND * np.maximum(e, g)), step, alone).T
        # A small face of a high degree tells nothing of what is far from it.
        uv = np.clip(uv, low - room, high + room)
    return neighbour(surface, uv, order, turned)


def seeded(surface: Surface, points: Array) -> Array:
    """Parameters (m, 2) of the feet of points on a surface, found without a start."""
    feet = to_surface(surface, points)
    return np.stack([feet.u, feet.v], axis=1)
