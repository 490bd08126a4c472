"""Edges of a face that run on into each other: one crease in pieces, beside one or several other faces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import reduce
from itertools import groupby

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


@dataclass(frozen=True)
class Run:
    """A stretch of a crease beside one other face. number: of that face; first, second: the edges of both along it."""

    number: int
    first: Chain
    second: Chain

    @property
    def names(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """Names of the edges of the first and of the second face."""
        return tuple(e.name for e in self.first.edges), tuple(e.name for e in self.second.edges)


def partner(part: Sequence[Face], number: int, edge: Edge, reach: float) -> int:
    """The other face that an edge borders. Raises `GeometryError` where no face does."""
    found, away = _nearest(part, number, edge)
    if away > reach:
        near = "" if np.isinf(away) else f": the nearest runs {away:.3f} mm off"
        raise GeometryError(f"No other face shares this edge whole{near}. A fillet needs the crease of two faces.")
    return found


def crease_runs(part: Sequence[Face], number: int, edge: Edge, reach: float) -> list[Run]:
    """The whole crease through an edge of one face: with the edges that run on from it without a kink, in the
    direction of that edge, in runs beside one other face each.

    reach: how far apart, mm, the edges of two faces may be. Raises `GeometryError` where no other face lies along it.
    """
    row = [(partner(part, number, edge, reach), edge, edge.space)]
    rest = []
    for e in part[number].edges:
        found, away = _nearest(part, number, e)
        if e is not edge and e.name != edge.name and away <= reach:
            rest.append((found, e))
    while not _meet(_end(row[-1][2], 1), _end(row[0][2], 0)):
        grown = next(((k, at, c) for at in (1, 0) for k, (_, e) in enumerate(rest) if (c := _on(row, at, e))), None)
        if grown is None:
            break
        k, at, curve = grown
        found, e = rest.pop(k)
        row.insert(len(row) if at else 0, (found, e, curve))
    if _meet(_end(row[-1][2], 1), _end(row[0][2], 0)):
        # A loop begins where one other face gives way to the next.
        change = [i for i in range(len(row)) if row[i][0] != row[i - 1][0]]
        row = row[change[0] :] + row[: change[0]] if change else row
    runs = []
    for found, group in groupby(row, key=lambda r: r[0]):
        own = list(group)
        space = reduce(run_on, [curve for *_, curve in own])
        beside = tuple(e for e in part[found].edges if _shared(space, e.space, reach))
        runs.append(Run(found, Chain(tuple(e for _, e, _ in own), space), Chain(beside, space)))
    return runs


def _nearest(part: Sequence[Face], number: int, edge: Edge) -> tuple[int, float]:
    """The face whose edges are nearest to all of an edge, and how far they are, mm."""
    points = _along(edge.space)
    away = [np.inf if i == number else _distance(face.edges, points) for i, face in enumerate(part)]
    best = int(np.argmin(away))
    return best, float(away[best])


def _along(curve: Curve) -> Array:
    return curve_points(curve, np.linspace(*curve.domain, 33))


def _distance(edges: Sequence[Edge], points: Array) -> float:
    """Largest distance of points from the nearest of some edges."""
    return float(np.min([to_curve(e.space, points).distance for e in edges], axis=0).max())


def _shared(space: Curve, curve: Curve, reach: float) -> bool:
    return int((to_curve(space, _along(curve)).distance <= reach).sum()) >= _SHARED


def _end(curve: Curve, at: int) -> tuple[Array, Array]:
    """Point and unit direction along the curve at an end."""
    p, d = curve_derivatives(curve, [curve.domain[at]], 1)[:, 0]
    return p, unit(d[None])[0]


def _meet(a: tuple[Array, Array], b: tuple[Array, Array]) -> bool:
    """Whether the second goes on from the first."""
    return bool(norm((a[0] - b[0])[None])[0] < _MEET and float(dot(a[1], b[1])) > _KINK)


def _on(row: Sequence[tuple[int, Edge, Curve]], at: int, edge: Edge) -> Curve | None:
    """An edge's curve, turned so that it goes on at the end (1) or the start (0) of a row; None where it does not."""
    for curve in (edge.space, reverse_curve(edge.space)):
        pair = (_end(row[-1][2], 1), _end(curve, 0)) if at else (_end(curve, 1), _end(row[0][2], 0))
        if _meet(*pair):
            return curve
    return None
