"""Faces that go on in each other on one surface: one face while a fillet is made, and parted again after that."""

from __future__ import annotations

from collections.abc import Sequence
from contextlib import suppress
from dataclasses import dataclass, replace

import numpy as np
import shapely

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.crossing.onto import curve_onto
from pamble.core.faces.face import MOVED, Edge, Face, base_name
from pamble.core.faces.inside import inside
from pamble.core.faces.joints import cut_by, once
from pamble.core.faces.pieces import outer_first
from pamble.core.faces.regions.arrange import Arrangement, arrange
from pamble.core.faces.regions.cut import faces_of
from pamble.core.faces.regions.sources import Source, border_sources, plane_scale
from pamble.core.faces.twins import run_back
from pamble.core.fillets.bordered import places_on
from pamble.core.fillets.recut import roomy
from pamble.core.fillets.shared_edges import MEET, goes_on, shared_with
from pamble.core.spline.closest import to_curve, to_surface
from pamble.core.spline.curve import Curve
from pamble.core.spline.ends import with_end
from pamble.core.spline.evaluate import curve_points, surface_derivatives, surface_points
from pamble.core.spline.knots import begun_at, curve_part
from pamble.core.spline.surface import EDGES, Surface

_ON, _FIT = 1e-5, 1e-6
"""Distances, mm: within which a face lies on another's surface, and its edges are brought there."""

_SAMPLES, _SIDE = 17, 1e-9
"""Places along an edge, and how close they lie in the parameters to a side that it is on."""

_SHARES, _GAP, _AT_END = (0.0, 0.37, 0.63, 0.21), 0.2, 1e-3
"""Shares of the way round from where there is most room at which a closed surface is begun; the gap between places of
an edge from which it does not lead all round; and how near to where it begins it is not begun anew.
"""

MARK = "|"
"""Between the number of a face and the name of its edge."""


@dataclass(frozen=True)
class One:
    """Faces as one. face: with edges named by their face's number and their own name. members: by number; joints: edges
    along which they meet, on the surface of all.
    """

    face: Face
    members: dict[int, Face]
    joints: tuple[Edge, ...] = ()

    @classmethod
    def of(cls, number: int, face: Face) -> One:
        """A face that is one by itself."""
        loops = face.loops or (tuple(face.edge(face.names[EDGES.index(side)]) for side in ("v0", "u1", "v1", "u0")),)
        named = tuple(
            tuple(replace(e, name=f"{number}{MARK}{e.name}", curve=None, at=None, whole=e.space) for e in loop)
            for loop in loops
        )
        return cls(Face(face.surface, named), {number: face})

    def joined(self, other: One) -> One | None:
        """Both as one; None where they share no edge over which they go on, or are of two surfaces."""
        shared = [own for e in self.face.edges for own in shared_with(e, other.face)[1]]
        if not shared or not all(any(goes_on(e, beside) for beside in other.face.edges) for e in shared):
            return None
        for own, more in ((self, other), (other, self)):
            surface = _holding(own.face.surface, more.face)
            with suppress(GeometryError):
                if surface is not None:
                    return own._on(surface, more)
        return None

    def left(self, changed: Face | None, pieces: Sequence[Face], gone: bool) -> dict[int, list[Face]]:
        """What is left of each member of which anything is, the largest piece first, where ``changed`` and ``pieces``
        are of all; a member of which nothing went is itself. gone: whether nothing is left.
        """
        if gone or changed is None:
            return {} if gone else {number: [face] for number, face in self.members.items()}
        faces = [changed, *pieces]
        if len(self.members) == 1:
            return {next(iter(self.members)): faces}
        out: dict[int, list[Face]] = {}
        for face in faces:
            made = _divided(face, self.joints)
            regions: dict[int, list[int]] = {}
            for r in np.flatnonzero(made.inside).tolist():
                middle = shapely.point_on_surface(made.polygon(r))
                u, v = np.array([[middle.x], [middle.y]]) / made.scale[:, None]
                place = surface_points(face.surface, u, v)
                regions.setdefault(min(self.members, key=lambda k: _away(self.members[k], place)), []).append(r)
            for number, own in regions.items():
                out.setdefault(number, []).extend(faces_of(face.surface, made, own))
        return {number: self._own(number, own) for number, own in out.items()}

    def _own(self, number: int, faces: Sequence[Face]) -> list[Face]:
        """Pieces of a member with its own names, and its own outside."""
        member = self.members[number]
        if all(MARK in e.name or base_name(e.name) in EDGES for f in faces for e in f.edges):
            return [member]
        turned = _turn(faces[0].surface, member.surface, places_on(faces[0].edges[0].space)) < 0
        named = [
            replace(f, loops=tuple(tuple(_renamed(e, number, member) for e in loop) for loop in f.loops)) for f in faces
        ]
        return [run_back(f) if turned else f for f in named]

    def _on(self, surface: Surface, other: One) -> One:
        """Both on one surface, that of this one, perhaps carried on, or begun elsewhere where it closes. Raises
        `GeometryError` where they are not one face there.
        """
        parts = [shared_with(e, other.face) for e in self.face.edges]
        joints = [*self.joints, *other.joints, *(e for _, shared in parts for e in shared)]
        free = [replace(e, surface=surface) for left, _ in parts for e in left]
        theirs = [e for e in other.face.edges for e in shared_with(e, self.face)[0]]
        members, closed = self.members | other.members, [k for k in (0, 1) if surface.closed[k]]
        if closed:
            face = _all_round(surface, once([*free, *theirs]), closed, members)
        else:
            turn = _turn(surface, other.face.surface, places_on(joints[-1].space))
            free += [own for e in theirs for own in _brought(e, surface, turn)]
            face = Face(surface, tuple(_straight_on(loop, joints) for loop in _loops(free, surface)))
        return One(face, members, tuple(own for e in joints for own in _brought(e, face.surface)))


def _holding(surface: Surface, other: Face) -> Surface | None:
    """The surface, carried on if need be, if another face lies on it; None else."""
    places = np.concatenate([places_on(e.space) for e in other.edges])
    (u0, u1), (v0, v1) = other.surface.domain
    u, v = (a.ravel() for a in np.meshgrid(np.linspace(u0, u1, 9), np.linspace(v0, v1, 9)))
    held = inside(other, u, v)
    places = np.concatenate([places, surface_points(other.surface, u[held], v[held])])
    size = float(norm(np.ptp(places, axis=0)[None])[0])
    for made in (surface, roomy(surface, size)):
        if to_surface(made, places).distance.max() < _ON:
            return made
    return None


def _turn(one: Surface, two: Surface, places: Array) -> float:
    """Above zero where both show the same side at places (m, 3), below it where they do not."""
    normals = []
    for surface in (one, two):
        foot = to_surface(surface, places[len(places) // 2][None])
        d = surface_derivatives(surface, foot.u, foot.v, 1)
        normals.append(cross(d[1, 0], d[0, 1]))
    return float(dot(*normals)[0])


def _brought(edge: Edge, surface: Surface, turn: float = 1.0) -> list[Edge]:
    """An edge of a face that lies on another surface, there, in pieces where that begins. turn: see `_turn`. Raises
    `GeometryError` where it does not come whole.
    """
    space = edge.space if edge.space.domain == edge.domain else curve_part(edge.space, *edge.domain)
    fits = curve_onto(surface, space, None, _FIT)
    if not fits or (len(fits) > 1 and not any(surface.closed)):
        raise GeometryError("The edge does not lie on the surface in one piece.")
    inward = edge.inward if turn > 0 else -edge.inward
    return [Edge(surface, edge.name, fit.on_a, inward, None, None, fit.space) for fit in fits]


def _all_round(surface: Surface, edges: Sequence[Edge], closed: Sequence[int], members: dict[int, Face]) -> Face:
    """The face of edges on a surface that closes along u (0), v (1) or both, begun where few of them are."""

    def holds(uv: Array) -> bool:
        place = surface_points(begun, uv[:1], uv[1:])
        return any(_away(face, place) < MEET for face in members.values())

    rooms = [_room(surface, edges, k) for k in closed]
    for share in _SHARES:
        begun = surface
        for k, room in zip(closed, rooms, strict=True):
            low, high = surface.domain[k]
            begun = begun_at(begun, k, low + float(np.clip((room + share) % 1.0, _AT_END, 1 - _AT_END)) * (high - low))
        with suppress(GeometryError):
            there = [own for e in edges for own in _brought(e, begun)]
            there = [e for e in there if not any(_on_side(e, k) for k in (0, 1) if k not in closed)]
            face = cut_by(begun, [Source(e.name, e.pcurve, e.space, cutter=e.name) for e in there], holds)
            if {base_name(e.name) for e in there} <= {base_name(e.name) for e in face.edges}:
                return face
    raise GeometryError("There is no room for the joint of the surface.")


def _room(surface: Surface, edges: Sequence[Edge], along: int) -> float:
    """Where on its way round a closed surface edges leave the most room, as a share of the way; those that lead all
    round are passed by.
    """
    low, high = surface.domain[along]
    places = list[Array]()
    for e in edges:
        foot = to_surface(surface, places_on(e.space))
        shares = np.sort(((foot.v if along else foot.u) - low) / (high - low))
        if np.diff(np.append(shares, 1.0 + shares[0])).max() > _GAP:
            places.append(shares)
    if not places:
        return 0.5
    taken = np.sort(np.concatenate(places))
    free = np.diff(np.append(taken, 1.0 + taken[0]))
    widest = int(np.argmax(free))
    return float(taken[widest] + 0.5 * free[widest])


def _on_side(edge: Edge, along: int) -> bool:
    """Whether an edge lies on a side of its surface where a parameter, u (0) or v (1), starts or ends."""
    places = curve_points(edge.pcurve, np.linspace(*edge.domain, _SAMPLES))[:, along]
    return any(bool((np.abs(places - side) < _SIDE).all()) for side in edge.surface.domain[along])


def _loops(edges: Sequence[Edge], surface: Surface) -> tuple[tuple[Edge, ...], ...]:
    """Edges as loops, the face on their left, the outer one first. Raises `GeometryError` where they do not close."""
    scale, rest, loops = plane_scale(surface), list(edges), list[list[Edge]]()
    while rest:
        row = [rest.pop(0)]
        while norm((_tip(row[-1], 1) - _tip(row[0], 0))[None] * scale)[0] > MEET:
            away = [float(norm((_tip(e, 0) - _tip(row[-1], 1))[None] * scale)[0]) for e in rest]
            if not away or min(away) > MEET:
                raise GeometryError("The edges of both faces do not close.")
            row.append(rest.pop(int(np.argmin(away))))
        loops.append(row)
    return outer_first(loops)


def _straight_on(loop: Sequence[Edge], joints: Sequence[Edge]) -> tuple[Edge, ...]:
    """A loop in which straight edges that lie in one line where a joint began between them are one edge."""
    tips = np.concatenate([curve_points(e.space, e.domain) for e in joints])
    out = list[Edge]()
    for edge in loop:
        both = _one_line(out[-1], edge, tips) if out else None
        out[-1:] = [both] if both is not None else [*out[-1:], edge]
    both = _one_line(out[-1], out[0], tips) if len(out) > 2 else None
    return tuple(out) if both is None else (both, *out[1:-1])


def _one_line(one: Edge, two: Edge, tips: Array) -> Edge | None:
    """The edge of two straight ones in one line that follow each other at one of some places (m, 3); None else."""
    places = np.concatenate([places_on(e.space)[:: 1 if e.inward > 0 else -1] for e in (one, two)])
    start, end, between = places[0], places[-1], places[len(places) // 2]
    along = unit((end - start)[None])[0]
    off = places - start - np.outer((places - start) @ along, along)
    if norm(off).max() > _FIT or (np.diff(places @ along) < -_FIT).any() or norm(tips - between).min() > MEET:
        return None
    line = Curve.line(start, end)
    return _brought(Edge(one.surface, f"{MARK}{one.name}", line, 1.0, line), one.surface)[0]


def _tip(edge: Edge, at: int) -> Array:
    """Where an edge starts (0) or ends (1) with the face on its left, (2,)."""
    return np.asarray(curve_points(edge.pcurve, [edge.domain[at if edge.inward > 0 else 1 - at]])[0])


def _divided(face: Face, joints: Sequence[Edge]) -> Arrangement:
    """A face with the joints that part it, where these do not lie on its border."""
    scale, border = plane_scale(face.surface), border_sources(face)
    cuts = []
    for edge in (own for joint in joints for own in shared_with(joint, face)[0]):
        line = edge.pcurve
        for row in (0, -1):
            line = with_end(line, row, _on_border(line.control[row], border, scale))
        cuts.append(Source(edge.name, line, edge.space, cutter=edge.name))
    return arrange([*border, *cuts], scale)


def _on_border(place: Array, border: Sequence[Source], scale: Array) -> Array:
    """A place in the parameters put on the border where it lies beside it: on an end of a curve rather than between."""
    tips = np.concatenate([curve_points(s.curve, s.curve.domain) for s in border])
    feet = np.concatenate([to_curve(s.curve, place[None]).point for s in border])
    for places in (tips, feet):
        away = norm((places - place) * scale)
        if away.min() < MEET:
            return np.asarray(places[int(np.argmin(away))])
    return place


def _away(face: Face, place: Array) -> float:
    """How far a place (1, 3) lies from a face's surface, mm; endless where it is not inside its border."""
    foot = to_surface(face.surface, place)
    return float(foot.distance[0]) if inside(face, foot.u, foot.v)[0] else np.inf


def _renamed(edge: Edge, number: int, member: Face) -> Edge:
    """An edge with the name that its face gave it."""
    owner, mark, name = edge.name.rpartition(MARK)
    if not mark and base_name(name) not in EDGES:
        return edge
    if owner != str(number):
        middle = curve_points(edge.space, [0.5 * sum(edge.space.domain)])
        feet = [(float(to_curve(e.space, middle).distance[0]), e.name) for e in member.edges]
        away, nearest = min(feet)
        name = nearest if mark or away < MEET else name
    at_side = edge.at is not None or base_name(name) not in EDGES
    return replace(edge, name=name if at_side else name + MOVED)
