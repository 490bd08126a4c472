"""Edges of faces that run on into each other: one crease in pieces, each between two faces."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from functools import reduce
from itertools import groupby

import numpy as np

from pamble.core.arrays import Array, dot, norm, unit
from pamble.core.curves.edit import run_on
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import frames
from pamble.core.fillets.bordered import bordered, distance_from, gap_of, places_on, shared, spans_along
from pamble.core.fillets.passed_on import passed_on
from pamble.core.spline.closest import boxed, to_curve, within
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.knots import reverse_curve
from pamble.core.spline.surface import Surface

_MEET = 1e-2
"""Distance, mm, within which the ends of two edges meet."""

_KINK = np.cos(np.radians(10.0))
"""Edges that meet at more than 10 degrees are not one crease."""


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
    """A stretch of a crease between two faces. numbers: of the faces on its first and its second side; first, second:
    the edges of both along it.
    """

    numbers: tuple[int, int]
    first: Chain
    second: Chain

    @property
    def names(self) -> tuple[tuple[str, ...], tuple[str, ...]]:
        """Names of the edges of the first and of the second face."""
        one, two = (tuple(dict.fromkeys(e.name for e in c.edges)) for c in (self.first, self.second))
        return one, two


@dataclass(frozen=True)
class Followed:
    """A crease as far as it runs on without a kink. loop: whether it comes back to its start; turned: whether it runs
    against the edge that was given.
    """

    runs: tuple[Run, ...]
    loop: bool
    turned: bool = False

    @property
    def numbers(self) -> list[int]:
        """Numbers of all faces along it: those on its first side come first."""
        return list(dict.fromkeys(n for side in (0, 1) for n in (r.numbers[side] for r in self.runs)))


@dataclass(frozen=True)
class _Link:
    """An edge of a face, or a stretch of it, that another borders: their numbers, and its curve as the crease runs."""

    numbers: tuple[int, int]
    edge: Edge
    curve: Curve


def follow(part: Sequence[Face], number: int, edge: Edge, reach: float, over_joints: bool = True) -> Followed:
    """The whole crease through an edge of one face, with the edges that run on from it, in runs between two faces each.
    It runs on along the same face, or where both faces run on in others.

    reach: how far apart, mm, the edges of two faces may be. over_joints: whether it is followed along the face on its
    other side where the first goes on in another. Raises `GeometryError` where no other face lies along it,
    or along an edge that it runs on in.
    """
    row = [_Link((number, found), e, e.space) for found, e in bordered(part, number, edge, reach)]
    if not row:
        raise _not_bordered(part, number, edge, reach)
    other = row[0].numbers[1]
    there = _follows_there(part[number], edge, part[other], reach) if len(row) == 1 else None
    if there is not None:
        out = follow(part, other, there, reach, over_joints)
        return replace(out, turned=not _along_way(edge.space, there.space))
    rest = [e for e in part[number].edges if e is not edge and e.name != edge.name]
    links = {number: _links(part, number, rest, reach)}
    while not _meet(_end(row[-1].curve, 1), _end(row[0].curve, 0)):
        grown = next((g for at in (1, 0) if (g := _grown(part, row, at, links, reach)) is not None), None)
        if grown is None:
            break
        at, link = grown
        row.insert(len(row) if at else 0, link)
    loop = _meet(_end(row[-1].curve, 1), _end(row[0].curve, 0))
    if over_joints and not loop and (longer := _over_a_joint(part, row, edge, reach)) is not None:
        return longer
    named = {(link.numbers[0], link.edge.name) for link in row}
    for at in () if loop else (0, 1):
        own = row[-at].numbers[0]
        if any(_on(row, at, e) for e in part[own].edges if (own, e.name) not in named):
            x, y, z = _end(row[-at].curve, at)[0]
            raise GeometryError(
                f"The crease runs on without a corner at ({x:.2f}, {y:.2f}, {z:.2f}) mm, and none of the faces given "
                "lies along it there."
            )
    return Followed(_runs(part, _begun(row) if loop else row, reach), loop)


def _over_a_joint(part: Sequence[Face], row: Sequence[_Link], edge: Edge, reach: float) -> Followed | None:
    """The crease followed along the face on its other side, where that is one and the first goes on in another at an
    end; None where that leads no farther.
    """
    (number, other), *more = {link.numbers for link in row}
    open_ends = [at for at in (0, 1) if not more and any(_on(row, at, e) for e in part[other].edges)]
    tips = [_end(row[-at].curve, at)[0] for at in open_ends]
    if not any(passed_on(part, (number, other), tip, reach) for tip in tips):
        return None
    middle = curve_points(edge.space, [0.5 * sum(edge.space.domain)])
    along = min(part[other].edges, key=lambda e: to_curve(e.space, middle).distance[0])
    try:
        out = follow(part, other, along, reach, over_joints=False)
    except GeometryError:
        return None
    longer = out.loop or sum(len(r.first.edges) for r in out.runs) > len(row)
    return replace(out, turned=not _along_way(edge.space, along.space)) if longer else None


def _not_bordered(part: Sequence[Face], number: int, edge: Edge, reach: float) -> GeometryError:
    short = gap_of(edge, spans_along(part, number, edge, reach), reach)
    if short is not None:
        x, y, z = short
        return GeometryError(
            f"The faces given lie along only a part of this edge: none does beyond ({x:.2f}, {y:.2f}, {z:.2f}) mm."
        )
    places = places_on(edge.space)
    away = min((distance_from(f.edges, places) for i, f in enumerate(part) if i != number), default=np.inf)
    near = "" if np.isinf(away) else f": the nearest runs {away:.3f} mm off"
    return GeometryError(f"No other face shares this edge whole{near}. A fillet needs the crease of two faces.")


def _links(part: Sequence[Face], number: int, edges: Sequence[Edge], reach: float) -> list[_Link]:
    """Edges of a face, or stretches of them, that others border whole."""
    return [_Link((number, n), own, own.space) for e in edges for n, own in bordered(part, number, e, reach)]


def _grown(
    part: Sequence[Face], row: Sequence[_Link], at: int, links: dict[int, list[_Link]], reach: float
) -> tuple[int, _Link] | None:
    """What goes on at the end (1) or the start (0) of a row: along the same face, else where both faces run on in
    others, the first on the first's side. links: what may go on along faces, by number; less what is taken.
    """
    last = row[-at]
    if (link := _taken(row, at, links[last.numbers[0]])) is not None:
        return at, link
    tip, _ = _end(last.curve, at)
    leaves = _leaves(last.edge, tip)
    for n, face in enumerate(part):
        beside = [] if n in last.numbers else [e for e in face.edges if boxed(e.space, tip[None], _MEET)[0]]
        if not any(_on(row, at, e) is not None and _leaves(e, tip) @ leaves > _KINK for e in beside):
            continue
        if n not in links:
            links[n] = _links(part, n, face.edges, reach)
        if (link := _taken(row, at, links[n], last.numbers)) is not None:
            return at, link
    return None


def _taken(row: Sequence[_Link], at: int, rest: list[_Link], apart: Sequence[int] = ()) -> _Link | None:
    """The link that goes on at an end of a row, taken out of those that may. apart: numbers of faces that are not to
    border it.
    """
    for k, link in enumerate(rest):
        curve = None if link.numbers[1] in apart else _on(row, at, link.edge)
        if curve is not None:
            return replace(rest.pop(k), curve=curve)
    return None


def _leaves(edge: Edge, place: Array) -> Array:
    """The unit direction (3,) that leaves a face at the place on its edge nearest to one."""
    return np.asarray(frames(edge, to_curve(edge.space, place[None]).t, remember=False).outward[0])


def _begun(row: Sequence[_Link]) -> list[_Link]:
    """A loop begun where both faces give way to others, or else the one on its second side does."""
    for side in (0, 1):
        change = [i for i in range(len(row)) if row[i].numbers[side] != row[i - 1].numbers[side]]
        if change:
            return [*row[change[0] :], *row[: change[0]]]
    return list(row)


def _runs(part: Sequence[Face], row: Sequence[_Link], reach: float) -> tuple[Run, ...]:
    """Links in a row, as runs."""
    runs = []
    for numbers, group in groupby(row, key=lambda link: link.numbers):
        own = list(group)
        space = reduce(run_on, [link.curve for link in own])
        beside = tuple(e for e in part[numbers[1]].edges if shared(space, e.space, reach))
        runs.append(Run(numbers, Chain(tuple(link.edge for link in own), space), Chain(beside, space)))
    return tuple(runs)


def _follows_there(own: Face, edge: Edge, other: Face, reach: float) -> Edge | None:
    """The other face's edge along this one, if the crease runs on there and not here: it is longer, or others go on
    from it; None otherwise.
    """
    points = places_on(edge.space)
    along = next((e for e in other.edges if within(e.space, points, reach)), None)
    if along is None:
        return None
    ends = curve_points(along.space, along.space.domain)
    if to_curve(edge.space, ends).distance.max() > reach:
        return along
    return along if _runs_on(other, along) and not _runs_on(own, edge) else None


def _runs_on(face: Face, edge: Edge) -> bool:
    """Whether another edge of a face goes on from one of its edges without a corner."""
    row = [_Link((0, 0), edge, edge.space)]
    return any(_on(row, at, e) for at in (0, 1) for e in face.edges if e is not edge and e.name != edge.name)


def _along_way(a: Curve, b: Curve) -> bool:
    """Whether two curves that lie on each other run the same way."""
    d = curve_derivatives(a, [sum(a.domain) / 2], 1)[:, 0]
    t = to_curve(b, d[:1]).t
    return bool(dot(d[1], curve_derivatives(b, t, 1)[1, 0]) > 0)


def _end(curve: Curve, at: int) -> tuple[Array, Array]:
    """Point and unit direction along the curve at an end."""
    p, d = curve_derivatives(curve, [curve.domain[at]], 1)[:, 0]
    return p, unit(d[None])[0]


def _meet(a: tuple[Array, Array], b: tuple[Array, Array]) -> bool:
    """Whether the second goes on from the first."""
    return bool(norm((a[0] - b[0])[None])[0] < _MEET and float(dot(a[1], b[1])) > _KINK)


def _on(row: Sequence[_Link], at: int, edge: Edge) -> Curve | None:
    """An edge's curve, turned so that it goes on at the end (1) or the start (0) of a row; None where it does not."""
    for curve in (edge.space, reverse_curve(edge.space)):
        pair = (_end(row[-1].curve, 1), _end(curve, 0)) if at else (_end(curve, 1), _end(row[0].curve, 0))
        if _meet(*pair):
            return curve
    return None
