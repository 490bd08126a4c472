"""Edges round a hole that run on into each other without a corner, taken as one side."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import GeometryError
from pamble.core.faces.edge_chain import edge_chain
from pamble.core.faces.face import Edge
from pamble.core.patches.loop import Asked, Placed, chain

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
            groups[-1].append(c.order[i])
        else:
            groups.append([c.order[i]])
    groups.sort(key=min)
    try:
        made = tuple(replace(asked[g[0]], source=_one([asked[i] for i in g])) for g in groups)
    except GeometryError:
        return alone
    return Sides(made, tuple(tuple(g) for g in groups))


def _one(row: Sequence[Asked]) -> Edge:
    return edge_chain([a.source for a in row if isinstance(a.source, Edge)])


def _runs_on(one: Placed, other: Placed) -> bool:
    if not (isinstance(one.asked.source, Edge) and isinstance(other.asked.source, Edge)):
        return False
    if replace(one.asked, source=other.asked.source) != other.asked:
        return False
    end, start = np.array([1.0]), np.array([0.0])
    ways = one.side.tangents(end)[0], other.side.tangents(start)[0]
    normals = one.side.at(end).normal[0], other.side.at(start).normal[0]
    return _degrees(*ways) < _TURN and min(_degrees(*normals), 180 - _degrees(*normals)) < _TURN


def _degrees(a: Array, b: Array) -> float:
    return float(np.degrees(np.arccos(np.clip(a @ b, -1, 1))))
