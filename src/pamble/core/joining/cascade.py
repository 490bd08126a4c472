"""The row cascade: rows of a blend fitted one after the other from each edge, each linear once the last is known.

With q the degree across and C, D, E, F the position, first, second and third derivative across at an edge, the rows
of control points are the Bezier end conditions
    P0 = C,  P1 = P0 + D/q,  P2 = 2 P1 - P0 + E/(q (q-1)),  P3 = 3 P2 - 3 P1 + P0 + F/(q (q-1) (q-2)).
The neighbour asks for  n.D = 0,  n.E = II(D, D),  n.F = 3 II(D, E) + III(D, D, D)  at every point of the edge
(own derivation: the blend's sections agree with the neighbour's height over its tangent plane to third order).
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from pamble.core.arrays import TINY, Array, dot, norm
from pamble.core.checks.figures import RATE_FLOOR
from pamble.core.faces.frames import EdgeFrames, abreast, frames
from pamble.core.joining.directions import Leaving, along, leave
from pamble.core.joining.pairing import Side
from pamble.core.joining.rows import BEND, SLOPE, Condition, RowSpace, solve_row
from pamble.core.joining.spec import BlendSpec
from pamble.core.joining.tip import Tip
from pamble.core.remember import Remembered
from pamble.core.spline import basis, knots
from pamble.core.spline.curve import Curve
from pamble.core.spline.surface import Surface

_EDGE_NORMAL, _EDGE_ACROSS, _EDGE_ALONG = 2e-4, 4e-4, 1e-4
"""Tolerances of an edge row in mm, and along the edge as a fraction of its length."""

_LOOSE = 0.05
"""How far, relative to its size, the direction of a row may move inside the tangent plane."""

_SLOPES, _BACK = (SLOPE, 10 * SLOPE, 100 * SLOPE, 1000 * SLOPE), 0.25
"""Aims for the slope of a row against the tangent plane that are tried one after the other, radians; and the share of
the wanted direction below which a row turns back.
"""

_BENDS, _MISSED, _FAR = (BEND, 10 * BEND, 100 * BEND, 1000 * BEND), 0.05, 2.0
"""The same for their bends, relative to the curvature: where that is missed by a share of it all the same, and times
the direction's size by which a row leads astray in the tangent plane then.
"""

_EXACT_ROWS: Remembered[Curve, tuple[int, bytes], Array] = Remembered(4)


@dataclass(frozen=True)
class EdgeRow:
    """The fitted edge: control points (n, 3) and the neighbour's frames at the samples' feet."""

    row: Array
    frames: EdgeFrames


def edge_row(space: RowSpace, side: Side, order: int) -> EdgeRow:
    """The blend's edge on one side: exact where the space holds the edge, fitted within a micron where not."""
    t = side.parameters(space.s)
    f = frames(side.edge, t, order)
    if side.exact is not None and _holds(space, side.exact.degree, side.exact.knots):
        return EdgeRow(_exact_row(side.exact, space), f)
    target, run = f.position, along(side, f)
    length = float(norm(np.diff(target, axis=0)).sum())
    row = target
    for _ in range(3):
        conditions = [
            Condition(space.values, f.normal, dot(f.normal, f.position), _each(_EDGE_NORMAL, f)),
            Condition(space.values, f.outward, dot(f.outward, f.position), _each(_EDGE_ACROSS, f)),
            Condition(space.values, run, dot(run, target), _each(_EDGE_ALONG * length, f)),
            Condition(space.slopes, f.normal, np.zeros(len(space.s)), _each(SLOPE * length, f)),
        ]
        row = solve_row(space, conditions, target[0], target[-1])
        slip = dot(space.values @ row - f.position, f.tangent)
        t = side.within(t + slip / np.maximum(norm(f.velocity), TINY))
        f = frames(side.edge, t, order)
        if np.abs(slip).max() < 1e-4:
            break
    return EdgeRow(row, f)


def _tip_row(space: RowSpace, tip: Tip, beside: EdgeRow, order: int) -> EdgeRow:
    """The point in which all sections that begin on the edge beside it end."""
    return EdgeRow(np.tile(tip.point, (space.count, 1)), tip.frames(space.values @ beside.row, order))


def _each(value: float, f: EdgeFrames) -> Array:
    return np.full(len(f.t), value)


def _exact_row(exact: Curve, space: RowSpace) -> Array:
    """Control points of an edge in the space that holds it; they stand as long as the edge does."""
    key = (space.degree, space.knots.tobytes())
    return _EXACT_ROWS.get(exact, key, lambda: knots.recast_curve(exact, space.degree, space.knots).control)


def _holds(space: RowSpace, degree: int, other: Array) -> bool:
    """Whether every spline of that degree and knots is one of the space."""
    return degree <= space.degree and _held(space.degree, space.knots.tobytes(), degree, other.tobytes())


@lru_cache(maxsize=256)
def _held(degree: int, space: bytes, lower: int, key: bytes) -> bool:
    other = np.frombuffer(key)
    values, counts = np.unique(other[lower + 1 : len(other) - lower - 1], return_counts=True)
    have = np.array([np.sum(np.abs(np.frombuffer(space) - v) < 1e-9) for v in values])
    return bool(np.all(have >= degree - (lower - counts)))


def _direction_row(space: RowSpace, f: EdgeFrames, run: Array, wanted: Leaving, loose: float | Array) -> Array:
    """First derivatives across: in the neighbours' tangent planes, near the wanted velocity. Where there are so few
    spans that only a row that turns back would lie in them, it leaves them rather.
    """
    d, size = wanted.velocity, norm(wanted.velocity)
    leaves = dot(f.outward, d)
    row = np.zeros(0)
    for slope in _SLOPES:
        conditions = [
            Condition(space.values, f.normal, np.zeros(size.shape), slope * size),
            Condition(space.values, f.outward, leaves, loose * size),
            Condition(space.values, run, dot(run, d), loose * size),
        ]
        row = solve_row(space, conditions, d[:, 0], d[:, -1])
        if not (dot(f.outward, space.values @ row) < _BACK * leaves).any():
            break
    return row


def _bend_row(
    space: RowSpace, f: EdgeFrames, run: Array, wanted: Leaving, d: Array, diagonal: float, loose: float | Array
) -> Array:
    """Second derivatives across: the neighbours' curvature along the normal, calm in the tangent plane, which comes
    first where the spans are too few for both.
    """
    size = norm(d)
    square = np.maximum(dot(d, f.outward) ** 2, 0.05 * size**2)
    aim = np.maximum(np.abs(f.curvature), 1.0 / diagonal) * square
    bent = f.jet.second(d, d)
    row = np.zeros(0)
    for bend in _BENDS:
        conditions = [
            Condition(space.values, f.normal, bent, bend * aim),
            Condition(space.values, f.outward, dot(f.outward, wanted.bend), 2 * loose * size),
            Condition(space.values, run, dot(run, wanted.bend), 2 * loose * size),
        ]
        row = solve_row(space, conditions, None, None)
        e = space.values @ row
        off = e - wanted.bend
        aside = norm(off - dot(f.normal, off)[..., None] * f.normal)
        missed = np.abs(dot(f.normal, e) - bent) > _MISSED * aim
        if not (missed.any() and (aside > _FAR * size).any()):
            break
    return row


def _change_row(
    space: RowSpace, f: EdgeFrames, run: Array, d: Array, e: Array, diagonal: float, loose: float | Array
) -> Array:
    """Third derivatives across: the neighbours' change of curvature along the normal."""
    size = norm(d)
    cube = np.maximum(np.abs(dot(d, f.outward)) ** 3, 0.01 * size**3)
    curvature = np.maximum(np.abs(f.curvature), 1.0 / diagonal)
    reference = np.maximum(np.abs(f.curvature_rate), RATE_FLOOR * curvature / diagonal)
    target = 3 * f.jet.second(d, f.jet.tangent(e)) + f.jet.third(d)
    zero = np.zeros(size.shape)
    conditions = [
        Condition(space.values, f.normal, target, 2 * BEND * reference * cube),
        Condition(space.values, f.outward, zero, 4 * loose * size),
        Condition(space.values, run, zero, 4 * loose * size),
    ]
    return solve_row(space, conditions, None, None)


def across_rows(
    space: RowSpace,
    f: EdgeFrames,
    run: Array,
    wanted: Leaving,
    continuity: int,
    diagonal: float,
    slack: float | Array = 1.0,
) -> list[Array]:
    """Rows of the first derivatives across, up to the continuity, each (k, n, 3) for k sides abreast. wanted: how
    sections leave; slack: share of the usual freedom of theirs.
    """
    loose = _LOOSE * slack
    rows = [_direction_row(space, f, run, wanted, loose)]
    d = space.values @ rows[0]
    if continuity > 1:
        rows.append(_bend_row(space, f, run, wanted, d, diagonal, loose))
    if continuity > 2:
        rows.append(_change_row(space, f, run, d, space.values @ rows[1], diagonal, loose))
    return rows


def between_rows(space: RowSpace, edges: Sequence[Array], derivatives: Sequence[list[Array]], across: int) -> Surface:
    """The surface from the rows of both edges and of the derivatives across them. across: its degree there."""
    halves = [bezier_end(edge, rows, across) for edge, rows in zip(edges, derivatives, strict=True)]
    net = np.stack(halves[0] + halves[1][::-1], axis=1)
    return Surface(space.degree, across, space.knots, basis.uniform_knots(across, 1), net)


def bezier_end(c: Array, derivatives: list[Array], q: int) -> list[Array]:
    """Control points of the first rows from position and derivatives across, each (n, 3)."""
    rows = [c]
    if derivatives:
        rows.append(c + derivatives[0] / q)
    if len(derivatives) > 1:
        rows.append(2 * rows[1] - rows[0] + derivatives[1] / (q * (q - 1)))
    if len(derivatives) > 2:
        rows.append(3 * rows[2] - 3 * rows[1] + rows[0] + derivatives[2] / (q * (q - 1) * (q - 2)))
    return rows


def cascade(
    sides: tuple[Side, Side | Tip], spec: BlendSpec, space: RowSpace, diagonal: float, gains: Array | float = 1.0
) -> Surface:
    """Blend surface over the given row space: u along the edges, v from the first edge to the second.

    gains: factors on the fullness of both sides, one or one for each of the space's samples.
    """
    orders = [3 if g > 2 else 2 for g in spec.continuity]
    (one, other), (first, second) = sides, orders
    edges = [edge_row(space, one, first)]
    edges.append(_tip_row(space, other, edges[0], second) if isinstance(other, Tip) else edge_row(space, other, second))
    chord = space.values @ (edges[1].row - edges[0].row)
    derivatives: list[list[Array]] = [[], []]
    # Sides of which the same is asked are solved together.
    for g in {g for g in spec.continuity if g > 0}:
        which = [i for i in (0, 1) if spec.continuity[i] == g]
        asked = [sides[i] for i in which]
        f = abreast([edges[i].frames for i in which])
        run = np.array([along(sides[i], edges[i].frames) for i in which])
        across = np.array([-chord if i else chord for i in which])
        wanted = leave(asked, f, run, across, [spec.full(i) * gains for i in which], spec.ends, space.s)
        rows = across_rows(space, f, run, wanted, g, diagonal)
        for k, i in enumerate(which):
            derivatives[i] = [row[k] for row in rows]
    return between_rows(space, [edge.row for edge in edges], derivatives, spec.across)
