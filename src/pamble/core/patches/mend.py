"""A corner mended: where two neighbours of a hole ask for different curvatures, the rows of one give way.

The edge, its tangent planes at both ends, the far corner and the far side stay. Own derivation: with the unit normal
n at the corner, w a smooth step over the part of the side that gives way and t the share of the side, the first row
inside is lifted by a (1 - t) w(t) n, the second with it so that the curvature across stays, and by b w(t) n of its own;
a and b follow from two linear equations, for the twist of the surface along both edges and for its curvature along the
other. The curvature along the edge itself is the edge's own: it has no such repair.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, edge_words, natural_edge
from pamble.core.faces.twins import on_surface
from pamble.core.patches.folds import folded
from pamble.core.patches.side import Neighbour, Side
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import raise_surface_degree
from pamble.core.spline.surface import Surface

_ROWS = 5
"""Rows across the side: those at the far side stay, with its tangent planes."""

_COLUMNS = 5
"""Columns along the side: what is lifted fades before the far corner."""

_APART = 0.1
"""Distance, mm, up to which the ends of two edges are one corner."""

_SINGULAR = 1e-9


@dataclass(frozen=True)
class Mended:
    """face: the changed one. moved: the largest movement of its CVs, mm. before, after: mismatch at the corner of the
    curvature along the edge that moves, along the other, and of the twist, % of the largest curvature there.
    """

    face: Face
    moved: float
    before: tuple[float, float, float]
    after: tuple[float, float, float]


def mend_corner(face: Face, name: str, to: Edge, diagonal: float, reach: float = 0.6) -> Mended:
    """The face with its side ``name`` mended at the corner where ``to``, an edge of another face round a hole, ends.

    reach: share of the side over which it gives way. diagonal: of the part, mm. Raises `GeometryError` where the edges
    have no corner in common, for a cut side, a rational surface, faces that meet at an angle, and edges that run on.
    """
    edge = face.edge(name)
    if edge.side is None or edge.domain != natural_edge(face.surface, edge.side).domain:
        raise GeometryError(
            f"{edge_words(name)} was cut: a corner is mended at a whole side. Shrink or untrim it first."
        )
    if face.surface.weights is not None:
        raise GeometryError("A rational surface is not mended by its CVs: rebuild it as a polynomial one first.")
    own, other = _corner(edge, to)
    asked = Side(to).at(np.array([other]))
    along, across = (s.tangents(np.array([x]))[0] for s, x in ((Side(edge), own), (Side(to), other)))
    least = float(norm(np.cross(along, across)[None])[0])
    if least < 0.05:
        raise GeometryError("The edges run on into each other: there is no corner to mend.")
    surface = _roomy(face.surface, edge.side)

    def off(s: Surface) -> Array:
        """Differences of curvature along the own edge, along the other one, and of the twist, 1/mm."""
        return _off(Side(natural_edge(s, edge.side or "")).at(np.array([own])), asked, along, across)

    here = Side(natural_edge(surface, edge.side)).at(np.array([own]))
    sharp = float(np.degrees(np.arccos(np.clip(abs(here.normal[0] @ asked.normal[0]), 0, 1))))
    if sharp > 0.5:
        raise GeometryError(f"The faces meet at {sharp:.2f}° there: match one to the other with G1 first.")
    zero = off(surface)
    lifts = [_lifted(surface, edge.side, own, here.normal[0], reach, *ab) for ab in ((1.0, 0.0), (0.0, 1.0))]
    step = np.column_stack([off(s)[1:] - zero[1:] for s in lifts])
    if abs(np.linalg.det(step)) < _SINGULAR * np.abs(step).max() ** 2:
        raise GeometryError("The rows beside the side cannot change what disagrees at the corner.")
    a, b = np.linalg.solve(step, -zero[1:])
    made = _lifted(surface, edge.side, own, here.normal[0], reach, float(a), float(b))
    if folded(made):
        raise GeometryError("The face would fold: what disagrees at the corner is too much for it.")
    bends = [float(np.abs(n.bend).max()) for n in (here, asked)]
    percent = 100 / max(*bends, 1.0 / max(diagonal, 1e-9))
    before, after = (np.abs(x) * percent for x in (zero, off(made)))
    moved = float(norm((made.control - surface.control).reshape(-1, 3)).max())
    return Mended(on_surface(face, made, 1e-4), moved, _three(before), _three(after))


def _three(x: Array) -> tuple[float, float, float]:
    return float(x[0]), float(x[1]), float(x[2])


def _corner(edge: Edge, to: Edge) -> tuple[float, float]:
    """Shares of both edges, 0 or 1, at which they meet."""
    ends = [curve_points(e.space, np.array(e.space.domain)) for e in (edge, to)]
    apart = norm((ends[0][:, None] - ends[1][None]).reshape(-1, 3)).reshape(2, 2)
    i, j = np.unravel_index(int(np.argmin(apart)), apart.shape)
    if apart[i, j] > _APART:
        near = to_curve(to.space, ends[0]).distance.min()
        raise GeometryError(f"The edges have no corner in common: they are {near:.3f} mm apart at the nearest end.")
    return float(i), float(j)


def _off(here: Neighbour, asked: Neighbour, along: Array, across: Array) -> Array:
    sign = 1.0 if float(here.normal[0] @ asked.normal[0]) >= 0 else -1.0
    apart = here.bend[0] - sign * asked.bend[0]
    return np.array([along @ apart @ along, across @ apart @ across, along @ apart @ across])


def _roomy(surface: Surface, side: str) -> Surface:
    """The surface with rows and columns enough, its degrees raised where they are too few."""
    rows = surface.control.shape[:2]
    way = 1 if side[0] == "v" else 0
    few = [0, 0]
    few[way], few[1 - way] = max(0, _ROWS - rows[way]), max(0, _COLUMNS - rows[1 - way])
    return raise_surface_degree(surface, *few) if any(few) else surface


def _lifted(surface: Surface, side: str, end: float, normal: Array, reach: float, a: float, b: float) -> Surface:
    """Rows beside a side lifted toward the corner at its end 0 or 1."""
    control = surface.control.copy()
    rows = control if side[0] == "v" else control.swapaxes(0, 1)
    knots, degree = (surface.knots_u, surface.degree_u) if side[0] == "v" else (surface.knots_v, surface.degree_v)
    over, high = (surface.knots_v, surface.degree_v) if side[0] == "v" else (surface.knots_u, surface.degree_u)
    if side[1] == "1":
        rows = rows[:, ::-1]
    first, last = over[high], over[-high - 1]
    at = first if side[1] == "0" else last
    m = basis.matrix(over, high, np.array([at]), 2)[2, 0]
    m = m[:3] if side[1] == "0" else m[::-1][:3]
    t = basis.greville(knots, degree)
    t = (t - t[0]) / (t[-1] - t[0])
    t = t if end > 0.5 else 1.0 - t
    x = np.clip((t - 1.0 + reach) / reach, 0.0, 1.0)
    w = x**3 * (10 - 15 * x + 6 * x * x)
    f = (1.0 - t) * w
    rows[:, 1] += (a * f)[:, None] * normal
    rows[:, 2] += (b * w - a * m[1] / m[2] * f)[:, None] * normal
    return surface.with_control(control)
