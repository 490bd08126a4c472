"""Edges of a face that run on into each other: one crease in pieces, beside one or several other faces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import reduce
from itertools import groupby, pairwise

import numpy as np

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.curves.edit import run_on
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import frames
from pamble.core.spline.closest import boxed, to_curve, within
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.knots import curve_part, reverse_curve
from pamble.core.spline.surface import Surface

_MEET = 1e-2
"""Distance, mm, within which the ends of two edges meet."""

_KINK = np.cos(np.radians(10.0))
"""Edges that meet at more than 10 degrees are not one crease."""

_SHARED, _WITH = 4, 0.9
"""Samples of an edge, of 33, that lie on a crease if it is part of it, and how far along it they lead for their own
way: a short edge that only ends there has as many beside it, and leads away.
"""


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
        return bool(norm(self.ends[:1] - self.ends[1:])[0] < _MEET)

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
        one, two = (tuple(dict.fromkeys(e.name for e in c.edges)) for c in (self.first, self.second))
        return one, two


@dataclass(frozen=True)
class Followed:
    """A crease as far as it runs on without a kink. number: of the face whose edges it follows; loop: whether it comes
    back to its start; turned: whether it runs against the edge that was given.
    """

    number: int
    runs: tuple[Run, ...]
    loop: bool
    turned: bool = False


def follow(part: Sequence[Face], number: int, edge: Edge, reach: float) -> Followed:
    """The whole crease through an edge of one face, with the edges that run on from it, in runs beside one other face
    each.

    reach: how far apart, mm, the edges of two faces may be. Raises `GeometryError` where no other face lies along it,
    or along an edge that it runs on in.
    """
    row = [(found, e, e.space) for found, e in _bordered(part, number, edge, reach)]
    if not row:
        short = _short(edge, _spans(part, number, edge, reach), reach)
        if short is not None:
            x, y, z = short
            raise GeometryError(
                f"The faces given lie along only a part of this edge: none does beyond ({x:.2f}, {y:.2f}, {z:.2f}) mm."
            )
        away = min((_distance(f.edges, _along(edge.space)) for i, f in enumerate(part) if i != number), default=np.inf)
        near = "" if np.isinf(away) else f": the nearest runs {away:.3f} mm off"
        raise GeometryError(f"No other face shares this edge whole{near}. A fillet needs the crease of two faces.")
    there = _follows_there(part[number], edge, part[row[0][0]], reach) if len(row) == 1 else None
    if there is not None:
        out = follow(part, row[0][0], there, reach)
        return replace(out, turned=not _along_way(edge.space, there.space))
    rest = [
        pair for e in part[number].edges if e is not edge and e.name != edge.name
        for pair in _bordered(part, number, e, reach)
    ]  # fmt: skip
    while not _meet(_end(row[-1][2], 1), _end(row[0][2], 0)):
        grown = next(((k, at, c) for at in (1, 0) for k, (_, e) in enumerate(rest) if (c := _on(row, at, e))), None)
        if grown is None:
            break
        k, at, curve = grown
        found, e = rest.pop(k)
        row.insert(len(row) if at else 0, (found, e, curve))
    loop = _meet(_end(row[-1][2], 1), _end(row[0][2], 0))
    named = {e.name for _, e, _ in row}
    for at in () if loop else (0, 1):
        if any(_on(row, at, e) for e in part[number].edges if e.name not in named):
            x, y, z = _end(row[-at][2], at)[0]
            raise GeometryError(
                f"The crease runs on without a corner at ({x:.2f}, {y:.2f}, {z:.2f}) mm, and none of the faces given "
                "lies along it there."
            )
    if loop:
        # A loop begins where one other face gives way to the next.
        change = [i for i in range(len(row)) if row[i][0] != row[i - 1][0]]
        row = row[change[0] :] + row[: change[0]] if change else row
    runs = []
    for found, group in groupby(row, key=lambda r: r[0]):
        own = list(group)
        space = reduce(run_on, [curve for *_, curve in own])
        beside = tuple(e for e in part[found].edges if _shared(space, e.space, reach))
        runs.append(Run(found, Chain(tuple(e for _, e, _ in own), space), Chain(beside, space)))
    return Followed(number, tuple(runs), loop)


def _bordered(part: Sequence[Face], number: int, edge: Edge, reach: float) -> list[tuple[int, Edge]]:
    """An edge, or its stretches in order, each with the other face that borders it; none where it is not bordered
    whole.
    """
    points = _along(edge.space)
    away = [
        np.inf if i == number else _distance([e for e in face.edges if boxed(e.space, points, reach).any()], points)
        for i, face in enumerate(part)
    ]  # fmt: skip
    nearest = int(np.argmin(away))
    if away[nearest] <= reach:
        return [(nearest, edge)]
    spans = _spans(part, number, edge, reach)
    if not spans or _short(edge, spans, reach) is not None:
        return []
    start, end = edge.domain
    cuts = [start, *(0.5 * (a[1] + b[0]) for a, b in pairwise(spans)), end]
    return [(i, _stretch(edge, a, b)) for (a, b), (*_, i) in zip(pairwise(cuts), spans, strict=True)]


def _spans(part: Sequence[Face], number: int, edge: Edge, reach: float) -> list[tuple[float, float, int]]:
    """Stretches of an edge, start and end, along which whole edges of other faces lie, with the number of each."""
    spans = []
    for i, face in enumerate(part):
        for e in face.edges if i != number else ():
            points = _along(e.space)
            if not boxed(edge.space, points, reach).all():
                continue
            feet = to_curve(edge.space, points)
            if feet.distance.max() <= reach:
                spans.append((float(feet.t.min()), float(feet.t.max()), i))
    start, end = edge.domain
    return sorted(s for s in spans if s[1] - s[0] > 1e-6 * (end - start))


def _short(edge: Edge, spans: Sequence[tuple[float, float, int]], reach: float) -> Array | None:
    """Where stretches of an edge leave a gap; None where they cover it, or where there are none."""
    start, end = edge.domain
    points = curve_points(edge.space, [start, *(t for a, b, _ in spans for t in (a, b)), end])
    wide = norm(points[1::2] - points[::2]) > reach
    if not spans or not wide.any():
        return None
    first = int(np.argmax(wide))
    return np.asarray(points[2 * first] if first else points[1])


def _stretch(edge: Edge, start: float, end: float) -> Edge:
    pcurve, space = (curve_part(c, start, end) for c in (edge.pcurve, edge.space))
    return Edge(edge.surface, edge.name, pcurve, edge.inward, space, edge.side)


def _follows_there(own: Face, edge: Edge, other: Face, reach: float) -> Edge | None:
    """The other face's edge along this one, if the crease runs on there and not here: it is longer, or others go on
    from it; None otherwise.
    """
    points = _along(edge.space)
    along = next((e for e in other.edges if within(e.space, points, reach)), None)
    if along is None:
        return None
    ends = curve_points(along.space, along.space.domain)
    if to_curve(edge.space, ends).distance.max() > reach:
        return along
    return along if _runs_on(other, along) and not _runs_on(own, edge) else None


def _runs_on(face: Face, edge: Edge) -> bool:
    """Whether another edge of a face goes on from one of its edges without a corner."""
    row = [(0, edge, edge.space)]
    return any(_on(row, at, e) for at in (0, 1) for e in face.edges if e is not edge and e.name != edge.name)


def _along_way(a: Curve, b: Curve) -> bool:
    """Whether two curves that lie on each other run the same way."""
    d = curve_derivatives(a, [sum(a.domain) / 2], 1)[:, 0]
    t = to_curve(b, d[:1]).t
    return bool(dot(d[1], curve_derivatives(b, t, 1)[1, 0]) > 0)


def _along(curve: Curve) -> Array:
    return curve_points(curve, np.linspace(*curve.domain, 33))


def _distance(edges: Sequence[Edge], points: Array) -> float:
    """Largest distance of points from the nearest of some edges; infinite where there are none."""
    if not edges:
        return np.inf
    return float(np.min([to_curve(e.space, points).distance for e in edges], axis=0).max())


def _shared(space: Curve, curve: Curve, reach: float) -> bool:
    points = _along(curve)
    points = points[boxed(space, points, reach)]
    if len(points) < _SHARED:
        return False
    feet = to_curve(space, points)
    near = feet.distance <= reach
    way, along = (float(norm(np.diff(p[near], axis=0)).sum()) for p in (points, feet.point))
    return int(near.sum()) >= _SHARED and along > _WITH * way


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
