"""Edges of a face that run on into each other beside one other face: one crease in pieces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.curves.edit import run_on
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import frames
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.knots import reverse_curve
from pamble.core.spline.surface import Surface

_MEET = 1e-2
"""Distance, mm, within which the ends of two edges meet."""

_KINK = np.cos(np.radians(10.0))
"""Edges that meet at more than 10 degrees are not one crease."""

_SHARED = 4
"""Samples of an edge, of 33, that lie on a crease if it is part of it: an edge that only ends there has one or two."""


@dataclass(frozen=True)
class Chain:
    """Edges of one face in a row, and the curve that they are in space."""

    edges: tuple[Edge, ...]
    space: Curve

    @property
    def surface(self) -> Surface:
        return self.edges[0].surface

    @property
    def ends(self) -> Array:
        """Both ends in space, (2, 3)."""
        return curve_points(self.space, self.space.domain)

    @property
    def closed(self) -> bool:
        return bool(norm(self.ends[:1] - self.ends[1:])[0] < 1e-6)

    def beside(self, points: Array) -> tuple[Array, Array]:
        """Parameters (m, 2) on the surface, and unit directions (m, 3) that leave the face, at the places on the chain
        that are nearest to points (m, 3).
        """
        feet = [to_curve(e.space, points) for e in self.edges]
        nearest = np.argmin([f.distance for f in feet], axis=0)
        uv, outward = np.empty((len(points), 2)), np.empty((len(points), 3))
        for i, edge in enumerate(self.edges):
            own = nearest == i
            if own.any():
                t = feet[i].t[own]
                (a, b), (c, d) = edge.space.domain, edge.pcurve.domain
                uv[own] = curve_points(edge.pcurve, c + (t - a) * ((d - c) / (b - a)))
                outward[own] = frames(edge, t, remember=False).outward
        return uv, outward


def partner(faces: Sequence[Face], number: int, edge: Edge, reach: float) -> int:
    """The other face that an edge borders. Raises `GeometryError` where no face does."""
    points = _along(edge.space)
    away = [np.inf if i == number else _distance(face.edges, points) for i, face in enumerate(faces)]
    best = int(np.argmin(away))
    if away[best] > reach:
        near = "" if np.isinf(away[best]) else f": the nearest runs {away[best]:.3f} mm off"
        raise GeometryError(f"No other face shares this edge whole{near}. A fillet needs the crease of two faces.")
    return best


def chains(first: Face, edge: Edge, second: Face, reach: float) -> tuple[Chain, Chain]:
    """The whole crease of two faces through an edge of the first, as a chain of each; it runs as that edge does.

    reach: how far apart, mm, the edges of both may be. Raises `GeometryError` where the second has no edge along it.
    """
    row, space = [edge], edge.space
    rest = [e for e in first.edges if e is not edge and _distance(second.edges, _along(e.space)) <= reach]
    while not _closed(space):
        end = next(((e, at) for at in (1, 0) for e in rest if _runs_on(space, at, e.space)), None)
        if end is None:
            break
        e, at = end
        rest.remove(e)
        row.insert(len(row) if at else 0, e)
        space = _joined(space, at, e.space)
    beside = [e for e in second.edges if int((to_curve(space, _along(e.space)).distance <= reach).sum()) >= _SHARED]
    if not beside:
        raise GeometryError("The second face has no edge along the crease.")
    return Chain(tuple(row), space), Chain(tuple(beside), space)


def _along(curve: Curve) -> Array:
    return curve_points(curve, np.linspace(*curve.domain, 33))


def _distance(edges: Sequence[Edge], points: Array) -> float:
    """Largest distance of points from the nearest of some edges."""
    return float(np.min([to_curve(e.space, points).distance for e in edges], axis=0).max())


def _closed(curve: Curve) -> bool:
    ends = curve_points(curve, curve.domain)
    return bool(norm(ends[:1] - ends[1:])[0] < _MEET)


def _end(curve: Curve, at: int) -> tuple[Array, Array]:
    """Point and unit direction of leaving at an end."""
    p, d = curve_derivatives(curve, [curve.domain[at]], 1)[:, 0]
    return p, unit(d[None])[0] * (1.0 if at else -1.0)


def _runs_on(curve: Curve, at: int, other: Curve) -> bool:
    p, way = _end(curve, at)
    for end in (0, 1):
        q, back = _end(other, end)
        if norm((p - q)[None])[0] < _MEET and float(dot(way, -back)) > _KINK:
            return True
    return False


def _joined(curve: Curve, at: int, other: Curve) -> Curve:
    """One curve that runs as the first does, with the other put on at one of its ends."""
    p, way = _end(curve, at)
    ends = [_end(other, end) for end in (0, 1)]
    near = int(np.argmin([norm((p - q)[None])[0] - 1e-3 * float(dot(way, -back)) for q, back in ends]))
    other = reverse_curve(other) if near == at else other
    return run_on(curve, other) if at else run_on(other, curve)
