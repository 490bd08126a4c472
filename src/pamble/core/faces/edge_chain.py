"""Edges of several faces that run on into each other, taken as one edge."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from pamble.core.arrays import Array, cross, norm, unit
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, Part
from pamble.core.faces.frames import frames
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.spline.kinks import chain
from pamble.core.spline.knots import reverse_curve

_GAP = 0.02
"""Distance, mm, within which an edge begins where another ends."""

_TURN = 0.5
"""Angle in degrees up to which one goes on from the other."""


def edge_chain(edges: Sequence[Edge]) -> Edge:
    """One edge of edges that follow each other in any order, run as the first one runs.

    Raises `GeometryError` for edges that leave a gap or meet at a corner.
    """
    if len(edges) == 1:
        return edges[0]
    row = [(edges[0], False)]
    rest = list(edges[1:])
    while rest:
        ways = ((i, end, _goes_on(row, end, e)) for i, e in enumerate(rest) for end in (1, 0))
        grown = next((way for way in ways if way[2] is not None), None)
        if grown is None:
            raise GeometryError(_apart(row, rest[0]))
        i, end, way = grown
        row.insert(len(row) if end else 0, (rest.pop(i), bool(way)))
    curves = [reverse_curve(e.space) if turned else e.space for e, turned in row]
    breaks = np.concatenate([[0.0], np.cumsum([curve_length(c) for c in curves])])
    parts, facing = [], 0.0
    for k, (edge, turned) in enumerate(row):
        sign = _facing(edge) * (-1.0 if turned else 1.0)
        facing = facing or sign
        parts.append(Part(edge, float(breaks[k]), float(breaks[k + 1]), turned, sign != facing))
    first = row[0][0]
    flat = Curve.line(np.zeros(2), np.array([breaks[-1], 0.0]), (0.0, float(breaks[-1])))
    name = "+".join(e.name for e, _ in row)
    return Edge(first.surface, name, flat, first.inward, chain(curves, breaks), None, None, tuple(parts))


def followed(faces: Sequence[Face], number: int, edge: Edge) -> list[tuple[int, Edge]]:
    """An edge of a face and all edges of the faces that go on from it without a corner, in order, each with the number
    of its face. Edges that lie along others are passed over: they are joined already.
    """
    row, where = [(edge, False)], [number]
    open_edges = [(i, e) for i, f in enumerate(faces) for e in f.edges if e is not edge]
    for end in (1, 0):
        while True:
            found = next(
                ((i, e, way) for i, e in open_edges
                 if all(e is not own for own, _ in row) and (way := _goes_on(row, end, e)) is not None
                 and not _lies_along(e, faces, i)),
                None,
            )  # fmt: skip
            if found is None:
                break
            i, e, way = found
            at = len(row) if end else 0
            row.insert(at, (e, way))
            where.insert(at, i)
    return [(i, e) for i, (e, _) in zip(where, row, strict=True)]


def comes_round(row: Sequence[tuple[int, Edge]]) -> bool:
    """Whether edges that follow each other, with the numbers of their faces, end where they begin."""
    ends = np.array([curve_points(e.space, e.space.domain) for _, e in row]).reshape(-1, 3)
    if len(row) == 1:
        return bool(norm(ends[:1] - ends[1:])[0] < _GAP)
    apart = norm(ends[:, None] - ends[None])
    apart[np.arange(len(ends)), np.arange(len(ends))] = np.inf
    return bool((apart.min(axis=1) < _GAP).all())


def alike(faces: Sequence[Face], rows: Sequence[list[tuple[int, Edge]]]) -> list[list[tuple[int, Edge]]]:
    """Two rows of edges, each with the numbers of their faces; where one comes round and the other would if it were
    followed, it is."""
    round_ = [comes_round(row) for row in rows]
    if round_[0] == round_[1]:
        return list(rows)
    longer = [row if closes else followed(faces, *row[0]) for row, closes in zip(rows, round_, strict=True)]
    return longer if all(map(comes_round, longer)) else list(rows)


def _lies_along(edge: Edge, faces: Sequence[Face], number: int) -> bool:
    """Whether another face has an edge with the same ends and middle."""
    own = _places(edge)
    for i, face in enumerate(faces):
        for other in face.edges if i != number else ():
            theirs = _places(other)
            if min(norm(own - theirs).max(), norm(own - theirs[::-1]).max()) < _GAP:
                return True
    return False


def _places(edge: Edge) -> Array:
    return np.asarray(curve_derivatives(edge.space, np.linspace(*edge.space.domain, 3), 0)[0])


def _end(edge: Edge, turned: bool, end: int) -> tuple[Array, Array]:
    """Point and unit direction, along the way that is run, at the start (0) or the end (1)."""
    at = edge.space.domain[1 - end if turned else end]
    p, d = curve_derivatives(edge.space, [at], 1)[:, 0]
    way = unit(d[None])[0]
    return p, -way if turned else way


def _goes_on(row: Sequence[tuple[Edge, bool]], end: int, edge: Edge) -> bool | None:
    """Whether an edge goes on at the end (1) or the start (0) of a row, and then whether it is turned; else None."""
    mine = _end(*row[-1 if end else 0], end)
    for turned in (False, True):
        theirs = _end(edge, turned, 1 - end)
        bend = np.degrees(np.arccos(np.clip(float(mine[1] @ theirs[1]), -1, 1)))
        if np.linalg.norm(mine[0] - theirs[0]) < _GAP and bend < _TURN:
            return turned
    return None


def _apart(row: Sequence[tuple[Edge, bool]], edge: Edge) -> str:
    ends = [_end(*row[-1 if end else 0], end) for end in (1, 0)]
    others = [_end(edge, False, end) for end in (0, 1)]
    away, a, b = min(((float(np.linalg.norm(a[0] - b[0])), a, b) for a in ends for b in others), key=lambda x: x[0])
    x, y, z = b[0]
    if away > _GAP:
        return (
            f"The edges do not follow each other: {away:.3f} mm lie between them near ({x:.2f}, {y:.2f}, {z:.2f}) mm."
        )
    turn = np.degrees(np.arccos(np.clip(abs(float(a[1] @ b[1])), -1, 1)))
    return f"The edges meet at a corner of {turn:.1f}° at ({x:.2f}, {y:.2f}, {z:.2f}) mm: one edge has none."


def _facing(edge: Edge) -> float:
    """On which side of an edge, seen along it from the normal, its face lies: +1 left, -1 right."""
    f = frames(edge, np.array([0.5 * sum(edge.domain)]), remember=False)
    return float(np.sign(cross(f.normal, f.tangent)[0] @ -f.outward[0])) or 1.0
