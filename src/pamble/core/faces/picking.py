"""Naming an edge or a face by a point near it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, floats, norm
from pamble.core.errors import ReferenceLost
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import frames
from pamble.core.faces.inside import inside
from pamble.core.faces.on_sides import side_of
from pamble.core.spline.closest import away_from_box, to_curve, to_surface
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.surface import EDGES

_TOGETHER = 1e-3
"""Edges that are no farther apart than this, mm, where they are named lie together."""

_REACH = 0.05
"""How far from an edge, as a fraction of the part's diagonal, a point may be to still name it."""


@dataclass(frozen=True)
class PickedEdge:
    """An edge of one of several faces. face: position in the list; distance (mm) of the naming point from its foot
    ``point`` (3,), which lies at the parameter ``t`` (1,) of the edge.
    """

    face: int
    edge: Edge
    distance: float
    t: Array
    point: Array


def pick_face(faces: Sequence[Face], point: Sequence[float], diagonal: float) -> tuple[int, Array, float]:
    """The face nearest to a point: its place in the list, the parameters (2,) of the foot, the distance in mm.

    Where the foot on a face's surface is trimmed away, its edges count. Raises `ReferenceLost` if none is near.
    """
    target = floats(point)
    found = []
    for i, face in enumerate(faces):
        foot = to_surface(face.surface, target[None])
        away, uv = float(foot.distance[0]), np.array([foot.u[0], foot.v[0]])
        if not inside(face, foot.u, foot.v)[0]:
            away = min(float(to_curve(e.space, target[None]).distance[0]) for e in face.edges)
        found.append((away, i, uv))
    distance, number, uv = min(found, key=lambda f: f[:2])
    if distance > max(1.0, _REACH * diagonal):
        x, y, z = target
        raise ReferenceLost(f"No face is near ({x:g}, {y:g}, {z:g}) mm: the nearest is {distance:.2f} mm away.")
    return number, uv, distance


def _candidates(faces: Sequence[Face], point: Array) -> list[PickedEdge]:
    """The nearest edge, those that may lie together with it, and others, from the nearest on."""
    edges = [(i, edge) for i, face in enumerate(faces) for edge in face.edges]
    away = [away_from_box(edge.space, point) for _, edge in edges]
    reach = min(float(norm(edge.space.control[[0, -1]] - point).min()) for _, edge in edges) + _TOGETHER
    found = []
    for (i, edge), least in zip(edges, away, strict=True):
        if least <= reach:
            foot = to_curve(edge.space, point[None])
            found.append(PickedEdge(i, edge, float(foot.distance[0]), foot.t, foot.point[0]))
    found.sort(key=lambda p: p.distance)
    return found


@dataclass(frozen=True)
class Naming:
    """How an edge is named: by a point near it; where several edges lie together there, by a point near the face
    too."""

    point: Array
    face: Array | None = None


def pick_edge(faces: Sequence[Face], naming: Naming, diagonal: float, toward: Array | None = None) -> PickedEdge:
    """The edge nearest to a point.

    An edge that passes a point comes before one that ends there, and any before one along which its face closes. Where
    a point lies on an edge that several faces share, the named face's counts; else the face is taken that leaves
    ``toward`` a place. Raises `ReferenceLost` if the point is far from every edge.
    """
    point = naming.point
    found = _candidates(faces, point)
    best = found[0]
    if best.distance > max(1.0, _REACH * diagonal):
        x, y, z = best.point
        raise ReferenceLost(
            f"No edge is near ({point[0]:g}, {point[1]:g}, {point[2]:g}) mm: the nearest is "
            f"{best.distance:.2f} mm away, at ({x:.3f}, {y:.3f}, {z:.3f})."
        )
    near = [p for p in found if p.distance <= best.distance + _TOGETHER]
    near = [p for p in near if not _at_end(p)] or near
    near = [p for p in near if not _on_joint(p.edge)] or near
    if naming.face is not None:
        meant = {p.face for p in near}
        number = min(meant, key=lambda i: pick_face([faces[i]], naming.face, np.inf)[2])  # type: ignore[arg-type]
        return next(p for p in near if p.face == number)
    return near[0] if toward is None else max(near, key=lambda p: _leaving(p, toward - point))


def pick_edges(faces: Sequence[Face], names: Sequence[Naming], diagonal: float) -> list[PickedEdge]:
    """The edges nearest to points; of edges that lie together the one whose face leaves toward the other points."""
    points = np.array([n.point for n in names])
    out = []
    for i, n in enumerate(names):
        others = np.delete(points, i, axis=0)
        out.append(pick_edge(faces, n, diagonal, others.mean(axis=0) if len(others) else None))
    return out


def _at_end(p: PickedEdge) -> bool:
    """Whether an open edge is met at one of its ends."""
    ends = curve_points(p.edge.space, p.edge.space.domain)
    if norm(ends[:1] - ends[1:])[0] < _TOGETHER:
        return False
    return bool(norm(ends - p.point).min() < _TOGETHER)


def _on_joint(edge: Edge) -> bool:
    side = side_of(edge)
    return side is not None and edge.surface.closed[EDGES.index(side) // 2]


def _leaving(p: PickedEdge, toward: Array) -> float:
    outward = frames(p.edge, p.t).outward[0]
    return float(np.dot(outward, toward))
