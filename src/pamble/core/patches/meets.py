"""A patch meets neighbours: along its own sides, or along a line that runs anywhere through it and trims it."""

from __future__ import annotations

from dataclasses import dataclass, field
from functools import cached_property
from math import comb

import numpy as np

from pamble.core.arrays import TINY, Array, BoolArray, IntArray, cross, dot, norm, unit
from pamble.core.checks.figures import RATE_FLOOR
from pamble.core.patches.conditions import WEIGHT, ends_of, side_places, spread, used
from pamble.core.patches.loop import Ease
from pamble.core.patches.side import Neighbour, Side
from pamble.core.patches.solve import Rows
from pamble.core.patches.space import Patch

_GAP = 5e-4
_ANGLE = np.radians(0.0025)
_CURVATURE = 0.003
_RATE = 0.01
_ENDS = 5e-4
"""Aims of a seam: mm, radians, share of the curvature and of its change; and mm at its ends, where three faces meet."""

_ACROSS, _ALONG = 0.004, 0.1
"""How far, in mm, the side may slide in the neighbour, across its edge and along it."""

_LEANS = 0.03
"""Least lean of an arm along its side, over its way square to it, that is told from none."""

_LEAVES = 0.3
"""Least part of an arm that is kept which leads out of the neighbour's face."""

_STILL = 2e-3
"""By how much of its size a patch may slide in its own plane in a step, as heavy as a figure at its aim."""

_ARM = 0.05
"""Share of its length by which an arm that is asked for may be missed."""


@dataclass
class _Kept:
    """What stays the same from step to step: functions on the control points that count, and the edge."""

    ids: IntArray
    on: Array
    along: Array
    across: Array
    bent: Array
    third: Array | None
    level: Array
    mixed: Array
    anchor: Array
    tangent: Array
    ends: BoolArray
    weight: Array
    arm: Array | None
    ease: Array


@dataclass
class Meets:
    """A side of the patch (u0, u1, v0 or v1) runs in a neighbour along its edge, G0 to G3.

    The edge may slide inside the neighbour's surface, so normals and curvatures are taken at the feet of the patch's
    points. influence: length of the patch's arm across the side over the way to the other side, None for what comes.
    keep: the arm stays as it is, so many times as long, but for what the neighbour's tangent plane asks of it, and that
    it leaves the neighbour's face; 0 for what comes.
    floor: least curvature, 1/mm, that a mismatch is taken against. loose: factor on all aims of the seam. ease: factors
    on that of the curvature, by share of the side. whole: the curvature is held along the side and mixed as well, each
    by itself: arms that lean far along it tell little of that square to it. missed: at the last step, the worst figure
    over its aim at the ``shares`` (m,) of the side.
    """

    patch_side: str
    side: Side
    order: int = 2
    influence: float | None = None
    floor: float = 1e-3
    loose: float = 1.0
    keep: float = 0.0
    ease: Ease | None = None
    name: str = "side"
    whole: bool = False
    kept: _Kept | None = None
    uv: Array = field(default_factory=lambda: np.zeros((0, 2)))
    shares: Array = field(default_factory=lambda: np.zeros(0))
    missed: Array = field(default_factory=lambda: np.zeros(0))

    def _keep(self, patch: Patch, control: Array) -> _Kept:
        u, v, s = side_places(patch, self.patch_side, 16)
        self.shares = s
        columns = patch.columns(u, v, max(2, self.order))
        level = self.patch_side[0] == "v"
        sign = 1.0 if self.patch_side[1] == "0" else -1.0

        def of(a: int, b: int) -> Array:
            return columns[(a, b) if level else (b, a)]

        ids = used(of(0, 0), of(1, 0), of(0, 1), *(of(0, k) for k in range(2, max(2, self.order) + 1)))
        beside = self.side.at(s)
        self.uv = beside.uv
        tangent = self.side.tangents(s)
        across = sign * of(0, 1)[:, ids]
        arm = None
        if self.influence is not None:
            d = across @ control[ids]
            way = cross(beside.normal, tangent)
            way = way * np.sign(dot(way, d))[:, None]
            x = np.linspace(0, 1, 17)
            rows = patch.grid(control, *((s, x) if level else (x, s)))
            run = norm(np.diff(rows, axis=1 if level else 0)).sum(axis=1 if level else 0)
            arm = way * (self.influence * run)[:, None]
        if self.keep:
            d = across @ control[ids]
            flat = d - dot(d, beside.normal)[:, None] * beside.normal
            out = self.side.outward(s)
            flat += np.maximum(_LEAVES * norm(d) - dot(flat, out), 0.0)[:, None] * out
            arm = unit(flat) * (self.keep * norm(d))[:, None]
        weight = np.full(len(s), WEIGHT / np.sqrt(len(s)))
        return _Kept(
            ids, of(0, 0)[:, ids], of(1, 0)[:, ids], across, of(0, 2)[:, ids],
            sign * of(0, 3)[:, ids] if self.order > 2 else None, of(2, 0)[:, ids], sign * of(1, 1)[:, ids],
            self.side.points(s), tangent, ends_of(s),
            weight, arm, np.ones(len(s)) if self.ease is None else self.ease(s),
        )  # fmt: skip

    def rows(self, patch: Patch, control: Array) -> Rows:
        if self.kept is None:
            self.kept = self._keep(patch, control)
        k = self.kept
        x = control[k.ids]
        c, c1, d, e = k.on @ x, k.along @ x, k.across @ x, k.bent @ x
        f = self.side.feet(c, self.uv, order=max(2, self.order))
        self.uv = f.uv
        n = f.normal
        inward = cross(n, k.tangent)
        gap = c - k.anchor
        bend_d = np.einsum("mij,mj->mi", f.bend, d)
        kdd, reach = dot(d, bend_d), norm(cross(unit(c1), d))
        w = k.weight / self.loose
        slip_across = np.where(k.ends, _ENDS, _ACROSS)
        slip_along = np.where(k.ends, _ENDS, _ALONG)
        matrix = [
            spread(k.on, n) * (w / _GAP)[:, None],
            spread(k.on, inward) * (w / slip_across)[:, None],
            spread(k.on, k.tangent) * (w / slip_along)[:, None],
        ]
        figures = [dot(n, f.point - c) / _GAP]
        right = [figures[0] * w, -dot(inward, gap) * w / slip_across, -dot(k.tangent, gap) * w / slip_along]

        def turning(vector: Array) -> Array:
            """How the normal at the foot turns with the points, on a vector."""
            return spread(k.on, np.einsum("mij,mj->mi", f.bend, vector))

        def add(rows: Array, value: Array, tolerance: Array) -> None:
            matrix.append(rows * (w / tolerance)[:, None])
            figures.append(value / tolerance)
            right.append(figures[-1] * w)

        if self.order >= 1:
            add(spread(k.along, n) - turning(c1), -dot(n, c1), _ANGLE * np.maximum(norm(c1), TINY))
            add(spread(k.across, n) - turning(d), -dot(n, d), _ANGLE * np.maximum(reach, TINY))
        if self.order >= 2:
            least = np.maximum(np.abs(kdd) / np.maximum(dot(d, d), TINY), self.floor)
            rows = spread(k.bent, n) - 2 * spread(k.across, bend_d) - turning(e)
            add(rows, kdd - dot(n, e), _CURVATURE * k.ease * least * np.maximum(reach, TINY) ** 2)
            if self.whole:
                # As far as the arm leans along the side, what is missed there counts square to it.
                pace, bend_c, flat, both = norm(c1), np.einsum("mij,mj->mi", f.bend, c1), k.level @ x, k.mixed @ x
                lean = np.maximum(np.abs(dot(unit(c1), d)) / np.maximum(reach, TINY), _LEANS)
                aim = _CURVATURE * k.ease * least * np.maximum(pace, TINY)
                rows = spread(k.level, n) - 2 * spread(k.along, bend_c) - turning(flat)
                add(rows, dot(c1, bend_c) - dot(n, flat), aim * pace / lean**2)
                rows = spread(k.mixed, n) - spread(k.along, bend_d) - spread(k.across, bend_c) - turning(both)
                add(rows, dot(c1, bend_d) - dot(n, both), aim * np.maximum(reach, TINY) / (2 * lean))
        if k.third is not None and f.jet is not None:
            # The neighbour asks for n.F = 3 II(D, E) + III(D, D, D); how III turns with D is left to the next step.
            flat, rate = f.jet.tangent(e), f.jet.third(d)
            square = np.maximum(dot(d, d), TINY)
            least = RATE_FLOOR * np.maximum(np.abs(kdd) / square, self.floor) * self.floor
            bend_e = np.einsum("mij,mj->mi", f.bend, flat)
            rows = spread(k.third, n) - 3 * spread(k.bent, bend_d) - 3 * spread(k.across, bend_e)
            tolerance = _RATE * k.ease * np.maximum(np.abs(rate) / square**1.5, least) * np.maximum(reach, TINY) ** 3
            third = k.third @ x
            add(rows - turning(third), 3 * dot(flat, bend_d) + rate - dot(n, third), tolerance)
        self.missed = np.abs(figures).max(axis=0) / self.loose
        worst = float(self.missed.max())
        if k.arm is not None:
            length = norm(k.arm)
            for way in (unit(k.arm), k.tangent):
                tolerance = k.weight / (_ARM * length)
                matrix.append(spread(k.across, way) * tolerance[:, None])
                right.append(-dot(way, d - k.arm) * tolerance)
        return Rows(k.ids, np.vstack(matrix), np.concatenate(right), worst)


_CUBIC = ((1.0, 0.0), (0.0, 1.0), (0.8, 0.6), (0.8, -0.6))
"""Directions in a patch's parameters, paces made equal, in which a form of third order is known when it is in all."""


def _along(parts: dict[tuple[int, int], Array], a: Array, b: Array, order: int) -> Array:
    """The derivative of an order along a S_u + b S_v, (m,) each, out of the partial ones (m, k)."""
    shares = [(comb(order, i) * a ** (order - i) * b**i)[:, None] * parts[order - i, i] for i in range(order + 1)]
    return np.asarray(sum(shares))


@dataclass
class MeetsAlong:
    """A neighbour's edge runs through the patch, which is trimmed there: G0 to G3 at free feet, at shares (m,) of it.
    ease: factors (m,) on the aims of the curvature and of its change.
    """

    side: Side
    shares: Array
    uv: Array
    order: int = 2
    floor: float = 1e-3
    loose: float = 1.0
    ease: Array | float = 1.0
    name: str = "side"

    @cached_property
    def beside(self) -> Neighbour:
        """The neighbour along its edge: that stays, whatever the patch does."""
        return self.side.at(self.shares, max(2, self.order))

    def rows(self, patch: Patch, control: Array) -> Rows:
        f = self.beside
        self.uv = patch.feet(control, f.point, self.uv)
        columns = patch.columns(self.uv[:, 0], self.uv[:, 1], max(2, self.order))
        d = {k: b @ control for k, b in columns.items()}
        n = f.normal
        w = WEIGHT / np.sqrt(len(self.shares)) / self.loose
        matrix, figures = [spread(columns[0, 0], n) * (w / _GAP)], [dot(n, f.point - d[0, 0]) / _GAP]
        # Nothing else holds the patch where it is in its own plane: it would slide away from the hole.
        still = _STILL * float(np.linalg.norm(np.ptp(f.point, axis=0)))
        ways = [unit(cross(n, np.roll(n, 1, axis=1) + 0.3))]
        ways.append(cross(n, ways[0]))
        held = [spread(columns[0, 0], way) * (w / still) for way in ways]
        rests = [dot(way, f.point - d[0, 0]) * (w / still) for way in ways]
        first = ((1, 0), (0, 1))
        if self.order >= 1:
            for k in first:
                tolerance = _ANGLE * np.maximum(norm(d[k]), TINY)
                matrix.append(spread(columns[k], n) * (w / tolerance)[:, None])
                figures.append(-dot(n, d[k]) / tolerance)
        if self.order >= 2:
            least = np.maximum(np.abs(f.bend).max(axis=(1, 2)), self.floor)
            for a, b in (((1, 0), (1, 0)), ((1, 0), (0, 1)), ((0, 1), (0, 1))):
                both = (a[0] + b[0], a[1] + b[1])
                bend_a, bend_b = (np.einsum("mij,mj->mi", f.bend, d[k]) for k in (a, b))
                tolerance = _CURVATURE * self.ease * least * np.maximum(norm(d[a]) * norm(d[b]), TINY)
                rows = spread(columns[both], n) - spread(columns[a], bend_b) - spread(columns[b], bend_a)
                matrix.append(rows * (w / tolerance)[:, None])
                figures.append(-(dot(n, d[both]) - dot(d[a], bend_b)) / tolerance)
        if self.order > 2 and f.jet is not None:
            size_u, size_v = norm(d[1, 0]), norm(d[0, 1])
            for cu, cv in _CUBIC:
                way, x = ({k: _along(parts, cu / size_u, cv / size_v, k) for k in (1, 2, 3)} for parts in (columns, d))
                flat, rate = f.jet.tangent(x[2]), f.jet.third(x[1])
                bend_d, bend_e = (np.einsum("mij,mj->mi", f.bend, y) for y in (x[1], flat))
                square = np.maximum(dot(x[1], x[1]), TINY)
                least = RATE_FLOOR * np.maximum(np.abs(dot(x[1], bend_d)) / square, self.floor) * self.floor
                tolerance = _RATE * self.ease * np.maximum(np.abs(rate), least * square**1.5)
                rows = spread(way[3], n) - 3 * spread(way[2], bend_d) - 3 * spread(way[1], bend_e)
                matrix.append(rows * (w / tolerance)[:, None])
                figures.append((3 * dot(flat, bend_d) + rate - dot(n, x[3])) / tolerance)
        worst = max(float(np.abs(x).max()) for x in figures) / self.loose
        right = np.concatenate([np.concatenate(figures) * w, *rests])
        return Rows(np.arange(patch.count), np.vstack([*matrix, *held]), right, worst)
