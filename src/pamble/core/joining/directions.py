"""Directions, speeds and bends with which a blend leaves its edges, before any fitting."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, BoolArray, cross, dot, norm, unit
from pamble.core.faces.edge_chain import edge_chain
from pamble.core.faces.face import Edge, Face
from pamble.core.faces.frames import EdgeFrames, frames
from pamble.core.joining.pairing import Borders, Side
from pamble.core.joining.spec import Ends
from pamble.core.joining.tip import Tip
from pamble.core.spline.differential import Jet
from pamble.core.spline.evaluate import curve_derivatives

_STEEPEST = 60.0
"""Largest angle, in degrees, that a section may lean along the edge when it follows an end edge or iso-curve."""


@dataclass(frozen=True)
class Leaving:
    """How a blend leaves k edges, at samples: velocity (k, m, 3) in the tangent plane; bend (k, m, 3), the tangential
    part of the second derivative, so that section lines carry on a neighbour's end edges without a kink in curvature.
    """

    velocity: Array
    bend: Array


_MEETS = 0.01
"""Distance, mm, within which a border of the face meets the end of an edge."""


def borders_beyond(face: Face, edge: Edge) -> Borders | None:
    """The borders that meet both ends of an edge of a trimmed face; None for a loop, where there is none, and for an
    untrimmed face, which has its iso-curves there.
    """
    return None if face.natural else _borders(face, edge)


def side_of(row: Sequence[tuple[Face, Edge]]) -> tuple[Edge, Borders | None]:
    """An edge of a face, or edges of several that run on into each other as one, and the borders beyond its ends.

    Raises `GeometryError` for edges that do not follow each other.
    """
    if len(row) == 1:
        face, edge = row[0]
        return edge, borders_beyond(face, edge)
    whole = edge_chain([edge for _, edge in row])
    faces = {id(edge): face for face, edge in row}
    first, last = ((faces[id(p.edge)], p.edge) for p in (whole.parts[0], whole.parts[-1]))
    return whole, _beyond_chain(first, last, whole)


def _beyond_chain(first: tuple[Face, Edge], last: tuple[Face, Edge], chain: Edge) -> Borders | None:
    """The borders that meet both ends of a chain of edges, which begins on the one face and ends on the other."""
    ways, bends = np.zeros((2, 3)), np.zeros(2)
    for k, (own, part) in enumerate(((first, chain.parts[0]), (last, chain.parts[-1]))):
        found = _borders(*own)
        if found is None:
            return None
        at = 1 - k if part.reversed else k
        ways[k], bends[k] = found.ways[at], -found.bends[at] if part.turned else found.bends[at]
    return Borders(ways, bends)


def _borders(face: Face, edge: Edge) -> Borders | None:
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


def along(side: Side | Tip, f: EdgeFrames) -> Array:
    """Unit tangents turned into the running direction of the common parameter."""
    return -f.tangent if side.reversed else f.tangent


def leave(
    sides: Sequence[Side | Tip],
    f: EdgeFrames,
    run: Array,
    chord: Array,
    fullness: Sequence[Array | float],
    ends: Ends,
    s: Array,
) -> Leaving:
    """Directions for k sides. f: their frames abreast; run (k, m, 3) along them; chord (k, m, 3) to the other edge.
    fullness: of each side, one or (m,).
    """
    lean = _lean(run, chord)
    lean_bend = np.zeros_like(lean)
    if ends != "straight":
        angle, geodesic, known = _guides(sides, f, run, ends == "iso")
        ok = (np.abs(angle) < np.radians(_STEEPEST)) & known[:, None]
        if ends == "iso":
            use = ok.all(axis=1, keepdims=True)
        else:
            use = (ok[:, 0] & ok[:, -1] & ~np.array([side.closed for side in sides]))[:, None]
            angle = lean + (1 - s) * (angle[:, :1] - lean[:, :1]) + s * (angle[:, -1:] - lean[:, -1:])
            geodesic = (1 - s) * geodesic[:, :1] + s * geodesic[:, -1:]
        lean, lean_bend = np.where(use, angle, lean), np.where(use, geodesic, lean_bend)
    direction = np.cos(lean)[..., None] * f.outward + np.sin(lean)[..., None] * run
    speed = np.array(fullness).reshape(len(sides), -1) * norm(chord)
    sideways = cross(f.normal, direction)
    return Leaving(direction * speed[..., None], sideways * (lean_bend * speed**2)[..., None])


def _lean(t: Array, chord: Array) -> Array:
    """Angle of a section from square to the edge that takes it straight across to its partner."""
    part = dot(chord, t)
    rest = np.sqrt(np.maximum(dot(chord, chord) - part**2, 0.0))
    limit = np.radians(_STEEPEST)
    return np.clip(np.arctan2(part, rest), -limit, limit)


def _guides(sides: Sequence[Side | Tip], f: EdgeFrames, run: Array, iso: bool) -> tuple[Array, Array, BoolArray]:
    """Lean and geodesic curvature (k, m), run outward, of the lines that ends may follow, and whether there are any.

    They are the borders of a trimmed face that meet the ends of an edge, or the iso-curves that cross a side of a
    surface: these first where ``iso``.
    """
    d = f.jet.derivatives
    names = [side.natural for side in sides]
    rows = [(1, 0, 2, 0) if name is not None and name[0] == "u" else (0, 1, 0, 2) for name in names]
    first = np.array([d[k, l, i] for i, (k, l, _, _) in enumerate(rows)])
    second = np.array([d[k, l, i] for i, (_, _, k, l) in enumerate(rows)])
    outward = unit(first) * np.where(dot(first, f.outward) < 0, -1.0, 1.0)[..., None]
    lean = np.arctan2(dot(outward, run), dot(outward, f.outward))
    bend = geodesic_curvature(f.jet, outward, first, second)
    known = np.array([name is not None or side.borders is not None for name, side in zip(names, sides, strict=True)])
    for i, (name, side) in enumerate(zip(names, sides, strict=True)):
        if side.borders is not None and (name is None or not iso):
            lean[i], bend[i] = _beyond(side.borders, side.reversed, f.outward[i], run[i])
    return lean, bend, known


def _beyond(borders: Borders, turned: bool, outward: Array, run: Array) -> tuple[Array, Array]:
    """The same of the borders of a face that meet the ends of a cut edge, even between, (m,)."""
    order = [1, 0] if turned else [0, 1]
    ends, ways, share = [0, -1], borders.ways[order], np.linspace(0.0, 1.0, len(run))
    low, high = np.arctan2(dot(ways, run[ends]), dot(ways, outward[ends]))
    bends = borders.bends[order]
    return low + share * (high - low), bends[0] + share * (bends[1] - bends[0])


def geodesic_curvature(j: Jet, direction: Array, first: Array, second: Array) -> Array:
    """Geodesic curvature (1/mm, (...)) of a surface curve with derivatives ``first`` and ``second``, seen along
    ``direction``: positive when it turns toward normal x direction. It does not depend on the sense of travel save
    through that reference.
    """
    speed = norm(first)
    bent = second - dot(second, direction)[..., None] * direction
    return np.asarray(dot(bent, cross(j.normal, direction)) / speed**2)
