"""Match: a face changed at one of its sides so that it meets a neighbour there, G0 to G2, and as little as that
needs."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.checks.measured import measure_seam
from pamble.core.checks.seams import Seam
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Edge, Face, edge_words, natural_edge
from pamble.core.faces.twins import on_surface
from pamble.core.patches.boundary import folded
from pamble.core.patches.conditions import Holds
from pamble.core.patches.meets import Meets
from pamble.core.patches.side import Side
from pamble.core.patches.solve import Condition, fit
from pamble.core.patches.space import Patch, Space
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import curve_part, raise_surface_degree, recast_surface
from pamble.core.spline.surface import Surface
from pamble.core.tolerances import BLEND_ANGLE, BLEND_CURVATURE, BLEND_GAP

_MOST_ADDED = 6
_ROUNDS = 3
_CALM = 3e-3
"""Movement of a CV, as a share of the face's size, that weighs as much as a figure at its aim: rows do not wander."""

_FAR = 0.5
"""How far, as a share of its length, the edge may lie from the neighbour's to still be matched to it."""


@dataclass(frozen=True)
class Matched:
    """face: the changed one. gap mm, angle degrees, curvature %: worst along the seam. moved: of CVs by row from the
    edge inward, mm. rounds: largest movement of each repetition, mm. added: spans put in along the edge; raised:
    degrees across it.
    """

    face: Face
    gap: float
    angle: float
    curvature: float
    moved: Array
    rounds: tuple[float, ...]
    added: int
    raised: int

    def ratio(self, order: int) -> float:
        """The worst over its aim, of those that the continuity asks for."""
        parts = [self.gap / BLEND_GAP, self.angle / BLEND_ANGLE, self.curvature / BLEND_CURVATURE]
        return max(parts[: order + 1])


def match_side(
    face: Face, name: str, to: Edge, order: int, diagonal: float, *, spread: bool = False, most_added: int = _MOST_ADDED
) -> Matched:
    """The face with the side of that name matched to an edge of its neighbour.

    Only the first ``order`` + 1 rows of CVs move, and along their own lines as far as the neighbour lets them; with
    ``spread`` the others give way too, and the far rows stay. Where the edge cannot be met so, spans are put in along
    it, up to ``most_added``. Raises `GeometryError` for an edge that is no side of its surface, a rational surface, and
    where the face would fold.
    """
    edge = face.edge(name)
    if edge.side is None or edge.domain != natural_edge(face.surface, edge.side).domain:
        raise GeometryError(
            f"{edge_words(name)} was cut: a face is matched at a whole side of its surface. Shrink or untrim it first."
        )
    if face.surface.weights is not None:
        raise GeometryError("A rational surface cannot be matched by its CVs: rebuild it as a polynomial one first.")
    target = _opposite(edge, to)
    side = edge.side
    across = face.surface.degree_u if side[0] == "u" else face.surface.degree_v
    raised = max(0, 2 * (order + 1) - 1 - across)
    by = (raised, 0) if side[0] == "u" else (0, raised)
    base = raise_surface_degree(face.surface, *by) if raised else face.surface
    best: Matched | None = None
    for added in range(most_added + 1):
        wide = _with_spans(base, side, added)
        made = _matched(face, wide, side, target, order, diagonal, spread)
        if made is None:
            continue
        surface, moved, rounds = made
        new = natural_edge(surface, side)
        w = measure_seam(Seam((0, 1), new, target, new.domain), diagonal).worst
        figures = w["gap"].value, w["angle"].value, w["curvature"].value
        found = Matched(Face(surface), *figures, moved, rounds, added, raised)
        if best is None or found.ratio(order) < 0.9 * best.ratio(order):
            best = found
        if found.ratio(order) <= 1.0:
            break
    if best is None:
        raise GeometryError("The face would fold: its edge lies too far from the neighbour's, or turns against it.")
    kept = on_surface(face, _on_domain(best.face.surface, face.surface), 1e-4)
    return Matched(kept, best.gap, best.angle, best.curvature, best.moved, best.rounds, best.added, best.raised)


def _opposite(edge: Edge, to: Edge) -> Edge:
    """The stretch of the neighbour's edge that the edge runs along."""
    ends = curve_points(edge.space, edge.space.domain)
    feet = to_curve(to.space, ends)
    length = float(norm(np.diff(curve_points(edge.space, np.linspace(*edge.space.domain, 33)), axis=0)).sum())
    if feet.distance.max() > _FAR * length:
        raise GeometryError(f"The edges lie {feet.distance.max():.2f} mm apart: pick the neighbour's edge beside it.")
    low, high = sorted(feet.t.tolist())
    start, end = to.space.domain
    whole = end - start
    if (low - start) + (end - high) < 1e-6 * whole:
        return to
    if high - low < 1e-3 * whole:
        raise GeometryError("The edges only touch in a point: pick the neighbour's edge that runs along this one.")
    if to.pcurve.domain != to.space.domain:
        raise GeometryError("Only a whole edge of this neighbour can be matched: pick another.")
    return Edge(
        to.surface, to.name, curve_part(to.pcurve, low, high), to.inward, curve_part(to.space, low, high), to.at
    )


def _with_spans(surface: Surface, side: str, added: int) -> Surface:
    """The surface with so many knots more along a side, in the middle of its longest spans."""
    along_u = side[0] == "v"
    degree, knots = (surface.degree_u, surface.knots_u) if along_u else (surface.degree_v, surface.knots_v)
    for _ in range(added):
        breaks = basis.breaks(knots, degree)
        i = int(np.argmax(np.diff(breaks)))
        knots = np.sort(np.append(knots, 0.5 * (breaks[i] + breaks[i + 1])))
    pair = (knots, surface.knots_v) if along_u else (surface.knots_u, knots)
    return recast_surface(surface, (surface.degree_u, surface.degree_v), pair) if added else surface


def _unit(knots: Array, degree: int) -> Array:
    a, b = knots[degree], knots[-degree - 1]
    return np.asarray((knots - a) / (b - a))


def _on_domain(surface: Surface, like: Surface) -> Surface:
    """A surface over the unit square, on the domain of another."""
    (u0, u1), (v0, v1) = like.domain
    return Surface(
        surface.degree_u, surface.degree_v, u0 + surface.knots_u * (u1 - u0), v0 + surface.knots_v * (v1 - v0),
        surface.control,
    )  # fmt: skip


def _matched(
    face: Face, wide: Surface, side: str, target: Edge, order: int, diagonal: float, spread: bool
) -> tuple[Surface, Array, tuple[float, ...]] | None:
    """The surface over the unit square, how far each row moved, and the rounds; None where it folds."""
    patch = Patch(
        Space(wide.degree_u, _unit(wide.knots_u, wide.degree_u)),
        Space(wide.degree_v, _unit(wide.knots_v, wide.degree_v)),
    )
    n, m = wide.control.shape[:2]
    start = wide.control.reshape(-1, 3)
    numbers = np.arange(n * m).reshape(n, m)
    rows = numbers if side[0] == "u" else numbers.T
    rows = rows if side[1] == "0" else rows[::-1]
    still = rows[-(order + 1) :] if spread else rows[order + 1 :]
    own = natural_edge(wide, side)
    ends = curve_points(own.space, own.space.domain)
    line = Side(target)
    away = norm(line.ends - ends[0])
    line = line.reversed() if away[0] > away[1] else line
    control, rounds = start, []
    moving = np.setdiff1d(numbers, still)
    calm = _CALM * wide.diagonal
    for _ in range(_ROUNDS):
        conditions: list[Condition] = [
            Meets(side, line, order, floor=1.0 / max(diagonal, 1e-9), keep=True),
            Holds(still.ravel(), start[still.ravel()], 1e-6),
            Holds(moving, control[moving], calm, name="calm"),
        ]
        made = fit(patch, conditions, control, tau=1.0, steps=8)
        rounds.append(float(norm(made.control - control).max()))
        control = made.control
        control[still.ravel()] = start[still.ravel()]
        if rounds[-1] < 1e-4:
            break
    surface = patch.surface(control)
    if folded(surface) and not folded(patch.surface(start)):
        return None
    moved = norm(control - start)[rows].max(axis=1)
    return surface, moved, tuple(rounds)
