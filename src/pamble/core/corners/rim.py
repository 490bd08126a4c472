"""The rim of a hole: its sides head to tail, seen with the hole on the left."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, cross, dot, norm, unit
from pamble.core.patches.loop import Placed
from pamble.core.patches.side import Neighbour


@dataclass(frozen=True)
class Ground:
    """A neighbour along a side: places on its surface (m, 2), points, normals (m, 3) and bend (m, 3, 3), turned so that
    n x T leads into the hole; tangent: T (m, 3).
    """

    uv: Array
    point: Array
    normal: Array
    bend: Array
    tangent: Array

    @property
    def into(self) -> Array:
        """Unit directions into the hole, square to the side."""
        return cross(self.normal, self.tangent)


class Rim:
    """The sides of a hole in order. size: their mean length, mm; middle: of the points on them, (3,)."""

    def __init__(self, sides: Sequence[Placed]) -> None:
        self.sides = [p.side for p in sides]
        self.orders = [p.asked.order for p in sides]
        self.eases = [p.ease for p in sides]
        middle = np.array([0.5])
        self._sense = []
        for side in self.sides:
            into = cross(side.at(middle).normal, side.tangents(middle))
            self._sense.append(1.0 if float(dot(into, side.outward(middle))[0]) > 0 else -1.0)
        s = np.linspace(0, 1, 21)
        lines = [x.points(s) for x in self.sides]
        self.size = float(np.mean([norm(np.diff(line, axis=0)).sum() for line in lines]))
        self.middle = np.vstack(lines).mean(axis=0)

    def at(self, side: int, s: Array) -> Ground:
        """The neighbour at shares (m,) of a side."""
        return self._turned(side, self.sides[side].at(s), self.sides[side].tangents(s))

    def angles(self) -> Array:
        """Angle of the hole at the corner where each side starts, degrees; over 180 where the rim turns into it."""
        ends = np.array([0.0, 1.0])
        grounds = [self.at(k, ends) for k in range(len(self.sides))]
        out = []
        for before, here in zip([grounds[-1], *grounds[:-1]], grounds, strict=True):
            back, on = -before.tangent[1], here.tangent[0]
            out.append(np.degrees(np.arctan2(here.normal[0] @ np.cross(on, back), on @ back)) % 360.0)
        return np.array(out)

    def feet(self, side: int, points: Array, before: Ground) -> Ground:
        """The neighbour at the feet of points (m, 3) near the places ``before``."""
        return self._turned(side, self.sides[side].feet(points, before.uv), before.tangent)

    def _turned(self, side: int, x: Neighbour, tangent: Array) -> Ground:
        sense = self._sense[side]
        return Ground(x.uv, x.point, sense * x.normal, sense * x.bend, tangent)

    def foot(self, side: int, t: float, corner: bool) -> Ground:
        """Where a seam leaves the rim, one place: square to the side, or halfway between the sides at its corner; then
        ``tangent`` is such that ``into`` is that direction.
        """
        here = self.at(side, np.array([t]))
        if not corner:
            return here
        before = self.at(side - 1, np.array([1.0]))
        way = unit(here.tangent - before.tangent)
        way = way if float(dot(way, here.into)[0]) >= 0 else -way
        return replace(here, bend=0.5 * (here.bend + before.bend), tangent=cross(way, here.normal))
