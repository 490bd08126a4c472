"""Holes of a part: loops of open edges, found from where one points."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
import shapely

from pamble.core.arrays import Array, floats, norm, unit
from pamble.core.checks.seams import OpenEdge, find_seams
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import frames
from pamble.core.spline.knots import curve_part

_MOST_SIDES = 24
_STEP, _VOTES = 33, slice(2, -2, 4)
"""Places on a stretch, and those of them that tell whether its face lies round the hole."""

_MET = 0.01
"""Ends of edges so close, mm, meet as they are: between them the shortest edge is a side."""

_BESIDE = 0.5
"""Share of a hole's length that a place may lie off its rim: the corner that fillets round off does."""

_OUTWARD, _FLAT = 0.3, 0.3
"""Share of the sides that may lead out of a loop that is a hole; in-plane part of a direction from which it counts."""

_SEEN = 1e-4
"""Vector area of a loop over its size squared from which it tells where it is seen from."""


@dataclass(frozen=True)
class HoleSide:
    """A side of a hole: an open edge, or the open stretch of one, of the face with that number."""

    face: int
    edge: Edge


@dataclass(frozen=True)
class Hole:
    """Sides head to tail. gap: the largest between two of them, mm. length: round it, mm."""

    sides: tuple[HoleSide, ...]
    gap: float
    length: float


def find_hole(faces: Sequence[Face], point: Array, search: float) -> Hole:
    """The hole round a point (3,): the smallest closed loop of open edges that surrounds it.

    search: edges of two faces that run closer, mm, meet; ends of open edges may be as far apart. Raises `GeometryError`
    where no loop closes, with the place and the gap.
    """
    loops, broken = _rings(faces, search)
    target = floats(point)
    if not loops:
        if broken is None:
            raise GeometryError("No edge of the part is open: there is no hole to fill.")
        gap, (x, y, z) = broken
        raise GeometryError(
            f"No loop of open edges closes: near ({x:.2f}, {y:.2f}, {z:.2f}) mm {gap:.3f} mm are left open."
        )
    rated, far, rims = [], [], False
    for loop in loops:
        row = np.vstack([w.points for w in loop])
        around, away = _seen(row).surrounds(target), float(norm(row - target).min())
        length = float(norm(np.diff(row, axis=0)).sum())
        if _outer(loop):
            rims = rims or away < _BESIDE * length
        elif around or away < _BESIDE * length:
            rated.append((not around, length if around else away, loop))
        else:
            far.append((away, row.mean(axis=0)))
    if not rated:
        x, y, z = target
        words = f"No hole lies round ({x:g}, {y:g}, {z:g}) mm: name a place inside one."
        if far:
            away, (x, y, z) = min(far, key=lambda f: f[0])
            words += f" The nearest is {away:.1f} mm off, round ({x:.2f}, {y:.2f}, {z:.2f}) mm."
        elif rims:
            words += " The open edges there are the rim of what is there, not of a hole: a blend joins two such rims."
        raise GeometryError(words)
    return _hole(min(rated, key=lambda r: r[:2])[2])


def hole_seen(faces: Sequence[Face], point: Array, way: Array, search: float, hidden: float = -np.inf) -> Hole:
    """The hole that one looks into: of those round the line through a point (3,) along ``way`` (3,), which leads to the
    eye, the one nearest to it. hidden: what lies farther back than so many mm from the point is covered; search as in
    `find_hole`. Raises `GeometryError` where there is none.
    """
    back = unit(floats(way)[None])[0]
    across = np.linalg.svd(back[None])[2][1:]
    target, rated = floats(point), []
    for loop in _rings(faces, search)[0]:
        row = np.vstack([w.points for w in loop])
        flat = _inside((row - target) @ across.T)
        depth = float((row - target).mean(axis=0) @ back)
        if depth > hidden and flat.contains(shapely.Point(0, 0)) and not _outer(loop):
            rated.append((depth, loop))
    if not rated:
        raise GeometryError("No hole lies under the pointer: click inside one, or pick an edge of it.")
    return _hole(max(rated, key=lambda r: r[0])[1])


def _hole(loop: Sequence[_Way]) -> Hole:
    if len(loop) > _MOST_SIDES:
        raise GeometryError(f"The hole has {len(loop)} sides: join some of its edges first.")
    gap = max(
        float(np.linalg.norm(a.points[-1] - b.points[0])) for a, b in zip(loop, [*loop[1:], loop[0]], strict=True)
    )
    length = float(norm(np.diff(np.vstack([w.points for w in loop]), axis=0)).sum())
    return Hole(tuple(HoleSide(w.piece.face, _part(w.piece)) for w in loop), gap, length)


def hole_beside(faces: Sequence[Face], number: int, edge: Edge, search: float) -> Hole:
    """The hole that an edge of a face borders, sides as in `find_hole`. Raises `GeometryError` where there is none."""
    for loop in _rings(faces, search)[0]:
        if any(w.piece.face == number and w.piece.edge is edge for w in loop):
            if _outer(loop):
                raise GeometryError("This edge is on the outer border of the part, not round a hole.")
            return _hole(loop)
    raise GeometryError("No loop of open edges closes along this edge.")


@dataclass(frozen=True)
class _Way:
    """An open stretch, run through one way: points (m, 3) and the unit directions that leave the face there, and unit
    tangents at both its ends, (2, 3).
    """

    number: int
    piece: OpenEdge
    points: Array
    tangent: Array
    out: Array

    @property
    def side(self) -> Array:
        """Normals at both ends with the hole on the left."""
        return np.cross(self.tangent, self.out[[0, -1]])


def _way(number: int, o: OpenEdge, turned: bool) -> _Way:
    f = frames(o.edge, np.linspace(*o.t, _STEP), remember=False)
    points, tangent, out = f.position, f.tangent[[0, -1]], f.outward
    if turned:
        points, tangent, out = points[::-1], -tangent[::-1], out[::-1]
    return _Way(number, o, points, tangent, out)


def _part(o: OpenEdge) -> Edge:
    """The open stretch as an edge of its own."""
    e = o.edge
    if o.t == e.domain:
        return e
    return Edge(e.surface, e.name, curve_part(e.pcurve, *o.t), e.inward, curve_part(e.space, *o.t), e.at)


def _rings(faces: Sequence[Face], search: float) -> tuple[list[list[_Way]], tuple[float, Array] | None]:
    """Loops of open edges as in `_loops`: first holes that close as they are, in which short edges are sides too, then
    what closes of the other edges over gaps.
    """
    _, open_edges = find_seams(faces, search)
    reach = min(search, _MET)
    whole = [loop for loop in _loops([o for o in open_edges if o.length > reach], reach)[0] if not _outer(loop)]
    taken = {id(w.piece) for loop in whole for w in loop}
    loops, broken = _loops([o for o in open_edges if o.length > search and id(o) not in taken], search)
    return whole + loops, broken


def _outer(loop: Sequence[_Way]) -> bool:
    """Whether a loop runs round faces, not round a hole."""
    return _seen(np.vstack([w.points for w in loop])).outward(loop) > _OUTWARD


def _loops(pieces: Sequence[OpenEdge], reach: float) -> tuple[list[list[_Way]], tuple[float, Array] | None]:
    """Closed chains of open edges with the hole on one side; and the smallest gap of those that do not close.

    Where several edges go on from an end, the one is taken that turns most toward the hole, of those whose faces do not
    fold back there.
    """
    ways = [w for i, o in enumerate(pieces) for w in (_way(i, o, False), _way(i, o, True))]
    left = set(range(len(pieces)))
    loops: list[list[_Way]] = []
    broken: tuple[float, Array] | None = None
    while left:
        run = [ways[2 * min(left)]]
        left.discard(run[0].number)
        while True:
            last = run[-1]
            at, normal = last.points[-1], last.side[1]
            found = []
            for w in [*(w for w in ways if w.number in left), run[0]]:
                gap = float(np.linalg.norm(w.points[0] - at))
                if gap <= reach:
                    a, b = last.tangent[1], w.tangent[0]
                    onward = float(w.side[0] @ normal) > 0, float(np.arctan2(np.cross(a, b) @ normal, a @ b))
                    found.append((onward, w))
            if not found:
                rest = [float(np.linalg.norm(w.points[0] - at)) for w in ways if w.number != last.number]
                if len(pieces) > 1 and rest and (broken is None or min(rest) < broken[0]):
                    broken = (min(rest), at)
                break
            _, step = max(found, key=lambda f: f[0])
            if step is run[0]:
                loops.append(run)
                break
            run.append(step)
            left.discard(step.number)
    return loops, broken


@dataclass(frozen=True)
class _Seen:
    """A loop seen from where it encloses the most."""

    middle: Array
    axes: Array
    polygon: shapely.Geometry

    def surrounds(self, point: Array) -> bool:
        flat = (point - self.middle) @ self.axes.T
        high = abs(float(flat[2])) > 0.6 * float(np.sqrt(self.polygon.envelope.area))
        return bool(self.polygon.contains(shapely.Point(flat[:2]))) and not high

    def outward(self, loop: Sequence[_Way]) -> float:
        """Share of the directions that leave the faces and lead out of the loop, less that of those that lead in."""
        points, out = (
            np.vstack([x[_VOTES] for x in rows]) for rows in ([w.points for w in loop], [w.out for w in loop])
        )
        points, out = (points - self.middle) @ self.axes[:2].T, out @ self.axes[:2].T
        flat = norm(out)
        counts = flat > _FLAT
        step = 1e-3 * float(np.sqrt(self.polygon.envelope.area)) * out[counts] / flat[counts, None]
        votes = np.where(shapely.contains_xy(self.polygon, points[counts] + step), -1.0, 1.0)
        return float(votes.mean()) if len(votes) else 0.0


def _seen(row: Array) -> _Seen:
    """Along its vector area: the plane that fits a narrow, bent loop stands on edge to it."""
    middle = row.mean(axis=0)
    flat = row - middle
    area = 0.5 * np.cross(flat, np.roll(flat, -1, axis=0)).sum(axis=0)
    if float(norm(area)) > _SEEN * float(norm(np.ptp(row, axis=0))) ** 2:
        way = unit(area[None])[0]
        flat = flat - np.outer(flat @ way, way)
    axes = np.linalg.svd(flat, full_matrices=False)[2]
    return _Seen(middle, axes, _inside((row - middle) @ axes[:2].T))


def _inside(ring: Array) -> shapely.Geometry:
    """What a ring (m, 2) encloses; neighbours may cross by a hair where they meet in a corner."""
    return shapely.make_valid(shapely.Polygon(ring))
