"""Directions, speeds and bends with which a blend leaves its edges, before any fitting."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import EdgeFrames, frames
from pamble.core.joining.pairing import Borders, Side
from pamble.core.joining.spec import Ends
from pamble.core.spline.differential import Jet
from pamble.core.spline.evaluate import curve_derivatives

_STEEPEST = 60.0
"""Largest angle, in degrees, that a section may lean along the edge when it follows an end edge or iso-curve."""


@dataclass(frozen=True)
class Leaving:
    """How a blend leaves one edge, at samples: velocity (m, 3) in the tangent plane; bend (m, 3), the tangential
    part of the second derivative, so that section lines carry on a neighbour's end edges without a kink in curvature.
    """

    velocity: Array
    bend: Array


_MEETS = 0.01
"""Distance, mm, within which a border of the face meets the end of an edge."""


def borders_beyond(face: Face, edge: Edge) -> Borders | None:
    """The borders that meet both ends of a cut edge of a face; None for a loop, where there is none, and for a natural
    side, which has its iso-curves.
    """
    if edge.side is not None:
        return None
    f = frames(edge, np.array(edge.domain))
    ways, bends = np.zeros((2, 3)), np.zeros(2)
    for i, (point, normal, outward) in enumerate(zip(f.position, f.normal, f.outward, strict=True)):
        best = (_MEETS, np.zeros(3), np.zeros(3))
        for other in face.edges:
            for at in other.space.domain if other is not edge and other.name != edge.name else ():
                p, first, second = curve_derivatives(other.space, [at], 2)[:, 0]
                away = float(np.linalg.norm(p - point))
                if away < best[0]:
                    best = (away, first, second)
        _, first, second = best
        speed = float(np.linalg.norm(first))
        if speed == 0.0:
            return None
        ways[i] = first / speed * (1.0 if first @ outward >= 0 else -1.0)
        bends[i] = (second - (second @ ways[i]) * ways[i]) @ np.cross(normal, ways[i]) / speed**2
    return Borders(ways, bends)


def along(side: Side, f: EdgeFrames) -> Array:
    """Unit tangents turned into the running direction of the common parameter."""
    return -f.tangent if side.reversed else f.tangent


def leave(side: Side, f: EdgeFrames, chord: Array, fullness: float, ends: Ends, s: Array) -> Leaving:
    """Directions for one side. ``chord`` (m, 3) runs from this edge to the other one."""
    t = along(side, f)
    length = norm(chord)
    lean = _lean(t, chord)
    lean_bend = np.zeros(len(s))
    if ends != "straight":
        iso = _crossing(side.edge, f, t) or _beyond(side, f, t)
        if iso is not None:
            angle, geodesic = iso
            ok = np.abs(angle) < np.radians(_STEEPEST)
            if ends == "iso" and ok.all():
                lean, lean_bend = angle, geodesic
            elif ends == "neighbours" and not side.closed and ok[0] and ok[-1]:
                lean = lean + (1 - s) * (angle[0] - lean[0]) + s * (angle[-1] - lean[-1])
                lean_bend = (1 - s) * geodesic[0] + s * geodesic[-1]
    direction = np.cos(lean)[:, None] * f.outward + np.sin(lean)[:, None] * t
    speed = fullness * length
    sideways = cross(f.normal, direction)
    return Leaving(direction * speed[:, None], sideways * (lean_bend * speed**2)[:, None])


def _lean(t: Array, chord: Array) -> Array:
    """Angle of a section from square to the edge that takes it straight across to its partner."""
    part = dot(chord, t)
    rest = np.sqrt(np.maximum(dot(chord, chord) - part**2, 0.0))
    limit = np.radians(_STEEPEST)
    return np.clip(np.arctan2(part, rest), -limit, limit)


def _crossing(edge: Edge, f: EdgeFrames, t: Array) -> tuple[Array, Array] | None:
    """Lean and geodesic curvature of the iso-curves that cross a side of a surface, run outward; None on a cut edge."""
    if edge.side is None:
        return None
    d = f.jet.derivatives
    first, second = (d[1, 0], d[2, 0]) if edge.side[0] == "u" else (d[0, 1], d[0, 2])
    outward = unit(first) * np.where(dot(first, f.outward) < 0, -1.0, 1.0)[:, None]
    lean = np.arctan2(dot(outward, t), dot(outward, f.outward))
    return lean, geodesic_curvature(f.jet, outward, first, second)


def _beyond(side: Side, f: EdgeFrames, t: Array) -> tuple[Array, Array] | None:
    """The same of the borders of a face that meet the ends of a cut edge, even between; None where they are unknown."""
    if side.borders is None:
        return None
    order = [1, 0] if side.reversed else [0, 1]
    ends, ways, share = [0, -1], side.borders.ways[order], np.linspace(0.0, 1.0, len(t))
    low, high = np.arctan2(dot(ways, t[ends]), dot(ways, f.outward[ends]))
    bends = side.borders.bends[order]
    return low + share * (high - low), bends[0] + share * (bends[1] - bends[0])


def geodesic_curvature(j: Jet, direction: Array, first: Array, second: Array) -> Array:
    """Geodesic curvature (1/mm, (m,)) of a surface curve with derivatives ``first`` and ``second``, seen along
    ``direction``: positive when it turns toward normal x direction. It does not depend on the sense of travel save
    through that reference.
    """
    speed = norm(first)
    bent = second - (dot(second, direction))[:, None] * direction
    return np.asarray(dot(bent, cross(j.normal, direction)) / speed**2)
