"""Edges, or curves, round a patch that run on into each other without a corner, taken as one side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array
from pamble.core.curves.measure import curve_length
from pamble.core.errors import GeometryError
from pamble.core.faces.edge_chain import edge_chain
from pamble.core.faces.face import Edge
from pamble.core.patches.loop import Asked, Placed, chain
from pamble.core.spline import kinks
from pamble.core.spline.curve import Curve
from pamble.core.spline.knots import reverse_curve

_TURN = 0.5
"""Angle, degrees, between two edges, and between their faces, up to which one runs on in the other."""


@dataclass(frozen=True)
class Sides:
    """Sides to be asked for, and of each the numbers of the edges that it consists of, as they were given."""

    asked: tuple[Asked, ...]
    members: tuple[tuple[int, ...], ...]


def taken_together(asked: Sequence[Asked], least: int = 2) -> Sides:
    """Sides of a loop with those made one that follow each other without a corner, on faces that run on into each
    other, and of which the same is asked. Left as they are where fewer than ``least`` sides would remain.
    """
    alone = Sides(tuple(asked), tuple((i,) for i in range(len(asked))))
    if len(asked) <= least:
        return alone
    c = chain(asked)
    smooth = [
        bool(joined and _runs_on(a, c.sides[(i + 1) % len(c.sides)]))
        for i, (joined, a) in enumerate(zip(c.joined, c.sides, strict=True))
    ]
    corners = [i for i, s in enumerate(smooth) if not s]
    if not any(smooth) or len(corners) < least:
        return alone
    groups: list[list[int]] = []
    first = corners[-1] + 1
    for k in range(len(c.sides)):
        i = (first + k) % len(c.sides)
        if k and smooth[i - 1]:
            groups[-1].append(i)
        else:
            groups.append([i])
    groups.sort(key=lambda g: min(c.order[i] for i in g))
    try:
        made = tuple(replace(c.sides[g[0]].asked, source=_one([c.sides[i] for i in g])) for g in groups)
    except GeometryError:
        return alone
    return Sides(made, tuple(tuple(c.order[i] for i in g) for g in groups))


def _one(row: Sequence[Placed]) -> Edge | Curve:
    edges = [p.asked.source for p in row if isinstance(p.asked.source, Edge)]
    if edges:
        return edge_chain(edges)
    curves = [reverse_curve(p.side.curve) if p.side.turned else p.side.curve for p in row]
    return kinks.chain(curves, np.cumsum([0.0, *map(curve_length, curves)])) if len(curves) > 1 else curves[0]


def _runs_on(one: Placed, other: Placed) -> bool:
    alone = isinstance(one.asked.source, Curve)
    if alone != isinstance(other.asked.source, Curve):
        return False
    a, b = one.asked, other.asked
    if (a.order, a.influence) != (b.order, b.influence) or not _alike(a.square, b.square):
        return False
    end, start = np.array([1.0]), np.array([0.0])
    if _degrees(one.side.tangents(end)[0], other.side.tangents(start)[0]) >= _TURN:
        return False
    if alone:
        return True
    between = _degrees(one.side.at(end).normal[0], other.side.at(start).normal[0])
    return min(between, 180 - between) < _TURN


def _alike(a: Array | None, b: Array | None) -> bool:
    return a is b if a is None or b is None else bool(np.allclose(a, b))


def _degrees(a: Array, b: Array) -> float:
    return float(np.degrees(np.arccos(np.clip(a @ b, -1, 1))))
