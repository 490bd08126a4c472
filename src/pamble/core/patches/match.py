"""Match: a face changed at some of its sides so that it meets its neighbours there, G0 to G3, and as little as that
needs."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from pamble.core.arrays import Array, IntArray, norm
from pamble.core.checks.measured import measure_seams, sample_seam
from pamble.core.checks.seams import Seam
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face, natural_edge
from pamble.core.faces.twins import on_surface
from pamble.core.patches.conditions import Closes, Holds, Way
from pamble.core.patches.folds import folded
from pamble.core.patches.match_pairs import Pair, asked_of
from pamble.core.patches.matchable import Along, Wanted, along_side, candidates, made_like, on_unit_knots, paces
from pamble.core.patches.matched import Matched, Met
from pamble.core.patches.meets import Meets
from pamble.core.patches.side import Side
from pamble.core.patches.solve import Condition, fit
from pamble.core.patches.space import Patch, Space
from pamble.core.spline import basis
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.knots import raise_surface_degree, recast_surface
from pamble.core.spline.surface import Surface
from pamble.core.surfaces.fitted_rows import smooth_joints
from pamble.core.tolerances import BLEND_AIMS

MOST_ADDED = 24
"""Spans that may be put in along a side where nothing else is said."""

_EACH, _ENDS = 12, 1e3
"""Places in every span at which a neighbour's edge is looked at, and the weight of its ends."""

_ROUNDS = (1.0, 1.0, 1.0, 0.3, 0.1, 0.1)
"""Factor on the seam's aims in each repetition: where three do not meet it, it counts for more than what keeps the face
as it is."""

_CALM = 1e-2
"""Movement of a CV, as a share of the face's size, that weighs as much as a figure at its aim: rows do not wander."""

_WAYS: tuple[Way, Way] = ("u", "v")

_BETTER, _STALE = 0.9, 5
"""What counts as better, and after how many trials without any the search ends."""

_FOLDS = 6
"""After how many trials that all fold the search ends."""

_TURNS_BACK = 90.0
"""Angle, degrees, from which a face that is to run on from its neighbour lies over it instead."""


def match_sides(
    face: Face,
    pairs: Sequence[Pair],
    diagonal: float,
    *,
    spread: bool = False,
    most_added: int = MOST_ADDED,
    before: Face | None = None,
) -> Matched:
    """The face with sides matched to edges of its neighbours, all at once.

    Only the first ``order`` + 1 rows of CVs at each side move, and along their own lines as far as the neighbour lets
    them; with ``spread`` the others give way too, and the rows at the other sides stay. Where a side cannot be met so,
    spans are put in along it, up to ``most_added``; where its degree cannot hold the neighbour's edge, it is raised to
    that. before: the face as it was matched last, on whose knots it is at once, without a search, while a neighbour is
    dragged. Raises `GeometryError` for an edge that is no side of its surface, a rational surface, and where the face
    would fold.

    >>> deck = Face(Surface.bezier([[[0, 0, 0], [0, 40, 0]], [[60, 0, 0], [60, 40, 0]]]))
    >>> loose = Face(Surface.bezier([[[x, y, 2.0] for y in (40, 50, 60, 70, 80, 90)] for x in (0, 20, 40, 60)]))
    >>> made = match_sides(loose, [Pair("v0", deck.edge("v1"), 2)], 100.0)
    >>> made.ratio <= 1, bool(made.moved[3:].max() < 1e-6)
    (True, True)
    """
    if face.surface.weights is not None:
        raise GeometryError("A rational surface cannot be matched by its CVs: rebuild it as a polynomial one first.")
    asked = asked_of(face, pairs)
    raised = tuple(max(0, _across(asked, k) - d) for k, d in enumerate((face.surface.degree_u, face.surface.degree_v)))
    base = raise_surface_degree(face.surface, *raised) if any(raised) else face.surface
    best: Matched | None = None
    stale = 0
    missed: dict[str, Along] = {}
    like = None if before is None else made_like(base, before.surface)
    found_on = candidates(base, asked, most_added, missed) if like is None else [like]
    for wide, added, lifted in found_on:
        nearest = np.inf
        for by_length in paces(asked):
            made = _matched(wide, asked, [along_side(wide, a, by_length) for a in asked], diagonal, spread)
            if made is None:
                continue
            surface, moved, rounds = made
            sides, along = zip(*(_met(surface, a, diagonal) for a in asked), strict=True)
            found = Matched(Face(surface), sides, moved, rounds, added, max(raised), lifted)
            if found.ratio < nearest:
                nearest = found.ratio
                missed.update((a.side, x) for a, x in zip(asked, along, strict=True))
            if any(s.order > 0 and s.angle > _TURNS_BACK for s in sides):
                continue
            if best is None or found.ratio <= 1.0 or found.shortfall < _BETTER * best.shortfall:
                best, stale = found, -1
            if nearest <= 1.0:
                break
        stale += 1
        if (best is not None and best.ratio <= 1.0) or stale >= (_STALE if best is not None else _FOLDS):
            break
    if best is None:
        x, y, z = curve_points(asked[0].target.space, [sum(asked[0].target.space.domain) / 2])[0]
        raise GeometryError(
            f"The face would fold near ({x:.2f}, {y:.2f}, {z:.2f}) mm: it lies on its neighbour's side of the edge, or "
            "too far from it. Move it beyond the edge, or pick the edge that it is to run on from."
        )
    return replace(best, face=on_surface(face, _on_domain(best.face.surface, face.surface), 1e-4))


def halfway(face: Face, pair: Pair, diagonal: float, before: Face | None = None) -> Face:
    """The face moved half of the way to its neighbour's edge: the neighbour comes the other half when it is matched to
    this one. before: as for `match_sides`, which says what is raised.
    """
    full = match_sides(face, [pair], diagonal, before=before).face.surface
    start = recast_surface(face.surface, (full.degree_u, full.degree_v), (full.knots_u, full.knots_v))
    return on_surface(face, full.with_control(0.5 * (start.control + full.control)), 1e-4)


def _across(asked: Sequence[Wanted], way: int) -> int:
    """Degree that the rows of all sides need across a direction."""
    rows = [a.order + 1 for a in asked if a.side[0] == "uv"[way]]
    return max(2 * max(rows), sum(rows)) - 1 if rows else 0


def _met(surface: Surface, asked: Wanted, diagonal: float) -> tuple[Met, Along]:
    """How a side meets its neighbour, and along it."""
    new = natural_edge(surface, asked.side)
    sampled = sample_seam(Seam((0, 1), new, asked.target, new.domain), order=3 if asked.order > 2 else 2)
    (made,) = measure_seams([sampled], diagonal)
    f, w = made.figures, made.worst
    over = np.stack([f.gap, f.angle, f.curvature, f.rate_percent]) / np.array(BLEND_AIMS)[:, None]
    met = Met(asked.order, *(w[name].value for name in ("gap", "angle", "curvature", "rate_percent")))
    return met, (sampled.t, over[: asked.order + 1].max(axis=0))


def _on_domain(surface: Surface, like: Surface) -> Surface:
    """A surface over the unit square, on the domain of another."""
    (u0, u1), (v0, v1) = like.domain
    return Surface(
        surface.degree_u, surface.degree_v, u0 + surface.knots_u * (u1 - u0), v0 + surface.knots_v * (v1 - v0),
        surface.control,
    )  # fmt: skip


def _matched(
    wide: Surface, asked: Sequence[Wanted], lines: Sequence[Side], diagonal: float, spread: bool
) -> tuple[Surface, Array, tuple[float, ...]] | None:
    """The surface over the unit square, how far each row moved, and the rounds; None where it folds."""
    patch = Patch(
        Space(wide.degree_u, on_unit_knots(wide.knots_u, wide.degree_u)),
        Space(wide.degree_v, on_unit_knots(wide.knots_v, wide.degree_v)),
    )
    start = wide.control.reshape(-1, 3)
    numbers = np.arange(len(start)).reshape(wide.control.shape[:2])
    inward = [_from_side(numbers, a.side) for a in asked]
    moving = np.unique(np.concatenate([rows[: a.order + 1].ravel() for rows, a in zip(inward, asked, strict=True)]))
    if spread:
        far = np.concatenate([rows[-(a.order + 1) :].ravel() for rows, a in zip(inward, asked, strict=True)])
        moving = np.union1d(moving, np.setdiff1d(numbers, far))
    control, rounds = _brought(wide, asked, lines, inward), []
    calm = _CALM * wide.diagonal
    # Beside another side that is matched, the iso-lines go where that one's neighbour leads them.
    keep = float(len({a.side[0] for a in asked}) == 1)
    floor = 1.0 / max(diagonal, 1e-9)
    joints = _joints(wide, asked)
    for loose in _ROUNDS:
        conditions: list[Condition] = [
            Meets(a.side, line, a.order, floor=floor, loose=loose, keep=keep, whole=True, name=f"meets {a.side}")
            for a, line in zip(asked, lines, strict=True)
        ]
        conditions += [Closes(order, way) for way, order in joints.items()]
        conditions.append(Holds(moving, control[moving], calm, name="calm"))
        made = fit(patch, conditions, control, tau=1.0, steps=8, free=moving)
        rounds.append(float(norm(made.control - control).max()))
        control = made.control
        met = len(rounds) >= 3 and loose * made.ratio < 1.0
        if met or rounds[-1] < 1e-4:
            break
    for way in joints:
        # What is left of the joint's aim goes.
        both = numbers[[0, -1]] if way == "u" else numbers[:, [0, -1]].T
        control[both] = control[both].mean(axis=0)
    surface = patch.surface(control)
    if folded(surface) and not folded(patch.surface(start)):
        return None
    by = norm(control - start)
    depth = np.min([_from_side_depth(numbers.shape, a.side) for a in asked], axis=0).ravel()
    moved = np.array([by[depth == d].max() for d in range(int(depth.max()) + 1)])
    return surface, moved, tuple(rounds)


def _joints(wide: Surface, asked: Sequence[Wanted]) -> dict[Way, int]:
    """Along which directions sides come round to their start, and how smoothly the surface does there."""
    along: dict[str, Way] = {"v": "u", "u": "v"}
    round_ways = {along[a.side[0]] for a in asked}
    order = dict(zip(_WAYS, zip(smooth_joints(wide), wide.closed, strict=True), strict=True))
    return {way: order[way][0] for way in _WAYS if way in round_ways and order[way][1]}


def _brought(wide: Surface, asked: Sequence[Wanted], lines: Sequence[Side], inward: Sequence[IntArray]) -> Array:
    """CVs with the rows that move brought to the neighbours' edges as they are, at the sides' own pace: from there few
    steps are left.
    """
    control = wide.control.reshape(-1, 3).copy()
    for a, line, rows in zip(asked, lines, inward, strict=True):
        degree, knots = (wide.degree_u, wide.knots_u) if a.side[0] == "v" else (wide.degree_v, wide.knots_v)
        knots = on_unit_knots(knots, degree)
        places = np.unique(np.linspace(basis.breaks(knots, degree)[:-1], basis.breaks(knots, degree)[1:], _EACH))
        values = basis.matrix(knots, degree, places)[0]
        weight = np.where((places == 0) | (places == 1), _ENDS, 1.0)[:, None]
        row = np.linalg.lstsq(values * weight, line.points(places) * weight, rcond=None)[0]
        control[rows[: a.order + 1]] += row - control[rows[0]]
    return control


def _from_side(grid: IntArray, side: str) -> IntArray:
    """A grid with its rows counted from a side inward."""
    rows = grid if side[0] == "u" else grid.swapaxes(0, 1)
    return rows if side[1] == "0" else rows[::-1]


def _from_side_depth(shape: tuple[int, ...], side: str) -> IntArray:
    """For each CV the number of its row, counted from a side inward."""
    n = shape[0 if side[0] == "u" else 1]
    count = np.arange(n) if side[1] == "0" else np.arange(n)[::-1]
    return np.broadcast_to(count[:, None] if side[0] == "u" else count, shape)
