"""Where points land on a face: along a direction, or at the nearest place."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from pamble.core.arrays import Array, BoolArray, IntArray, cross, dot, norm, unit
from pamble.core.errors import GeometryError
from pamble.core.faces.face import Face
from pamble.core.faces.inside import inside
from pamble.core.spline.closest import to_surface
from pamble.core.spline.evaluate import surface_derivatives, surface_grid
from pamble.core.spline.surface import Surface

_STEPS = 50
_CELLS = (32, 96)
"""Cells a direction, at least and at most; two a span between."""

_BINS = 48
_PAD = 0.15
"""How far, as a fraction of its size, a cell is taken to reach beyond the box of nine of its points."""

_GRAZING = 1e-7
"""Least sine of the angle between a line and the surface it meets."""


@dataclass(frozen=True)
class Landing:
    """Where points land on a face: point (m, 3), and whether each one does. Points that do not are anywhere."""

    point: Array
    hit: BoolArray


@dataclass(frozen=True)
class _Cells:
    """Cells of a surface seen along a direction: middle (k, 2) in parameters, low and high (k, 2) in the picture; the
    picture is cut into bins, and ``cells[first[b]:first[b + 1]]`` are those that reach into bin ``b``.
    """

    size: Array
    middle: Array
    low: Array
    high: Array
    corner: Array
    bin: Array
    first: IntArray
    cells: IntArray

    def near(self, target: Array) -> tuple[IntArray, IntArray]:
        """Pairs (point, cell) of points (m, 2) of the picture and the cells whose box holds them."""
        place = np.floor((target - self.corner) / self.bin).astype(np.intp)
        seen = np.flatnonzero(np.all((place >= 0) & (place < _BINS), axis=1))
        number = place[seen, 0] * _BINS + place[seen, 1]
        count = self.first[number + 1] - self.first[number]
        point = np.repeat(seen, count)
        cell = self.cells[_runs(self.first[number], count)]
        held = np.all((target[point] >= self.low[cell]) & (target[point] <= self.high[cell]), axis=1)
        return point[held], cell[held]


def _runs(first: IntArray, count: IntArray) -> IntArray:
    """The numbers ``first[i], first[i] + 1, …``, ``count[i]`` of them, one run after the other."""
    return np.arange(count.sum()) + np.repeat(first - np.cumsum(count) + count, count)


@lru_cache(maxsize=16)
def _seen_along(surface: Surface, x: tuple[float, ...], y: tuple[float, ...]) -> _Cells:
    """Cells of a surface as seen square to ``x`` and ``y``; remembered."""
    (u0, u1), (v0, v1) = surface.domain
    n, m = (int(np.clip(2 * s, *_CELLS)) for s in surface.spans)
    us, vs = np.linspace(u0, u1, 2 * n + 1), np.linspace(v0, v1, 2 * m + 1)
    flat = surface_grid(surface, us, vs)[0, 0] @ np.column_stack([x, y])
    nine = np.stack([flat[i : i + 2 * n - 1 : 2, j : j + 2 * m - 1 : 2] for i in range(3) for j in range(3)])
    nine = nine.reshape(9, n * m, 2)
    low, high = nine.min(axis=0), nine.max(axis=0)
    pad = _PAD * (high - low).max(axis=1, keepdims=True) + 1e-6 * max(1.0, surface.diagonal)
    low, high = low - pad, high + pad
    corner = low.min(axis=0)
    width = np.maximum(high.max(axis=0) - corner, 1e-12) * (1 + 1e-9) / _BINS
    first_bin, last_bin = (np.clip(((p - corner) / width).astype(np.intp), 0, _BINS - 1) for p in (low, high))
    wide = last_bin - first_bin + 1
    count = wide[:, 0] * wide[:, 1]
    cell = np.repeat(np.arange(n * m), count)
    within = _runs(np.zeros_like(count), count)
    row, column = within // wide[cell, 1], within % wide[cell, 1]
    number = (first_bin[cell, 0] + row) * _BINS + first_bin[cell, 1] + column
    order = np.argsort(number, kind="stable")
    first = np.searchsorted(number[order], np.arange(_BINS * _BINS + 1))
    middle = np.stack(np.meshgrid(us[1::2], vs[1::2], indexing="ij"), axis=-1).reshape(-1, 2)
    return _Cells(np.array([us[2] - us[0], vs[2] - vs[0]]), middle, low, high, corner, width, first, cell[order])


def land(face: Face, points: Array, direction: Array) -> Landing:
    """Follow lines through ``points`` (m, 3) along ``direction`` (3,), both ways, to the face: the nearest meeting.

    Every meeting of a line with the surface is looked for, from each cell of a grid that covers the line as it is seen
    along the direction, by Newton on the two coordinates square to it; those that are trimmed away do not count.
    """
    d = unit(np.asarray(direction, dtype=float)[None])[0]
    if not np.any(d):
        raise GeometryError("A projection needs a direction that is not zero.")
    x = unit(np.cross(d, np.eye(3)[int(np.argmin(np.abs(d)))])[None])[0]
    frame = np.column_stack([x, np.cross(d, x)])
    surface = face.surface
    cells = _seen_along(surface, tuple(frame[:, 0]), tuple(frame[:, 1]))
    target = points @ frame
    point, cell = cells.near(target)
    uv = _meet(surface, frame, target[point], cells.middle[cell], cells.size)
    s = surface_derivatives(surface, uv[:, 0], uv[:, 1], 1)
    foot = s[0, 0]
    close = norm(foot @ frame - target[point]) < 1e-6 * max(1.0, surface.diagonal)
    normal = cross(s[1, 0], s[0, 1])
    good = close & (np.abs(normal @ d) > _GRAZING * norm(s[1, 0]) * norm(s[0, 1]))
    good[good] = inside(face, *uv[good].T)
    point, foot = point[good], foot[good]
    order = np.lexsort((np.abs((foot - points[point]) @ d), point))
    who, at = np.unique(point[order], return_index=True)
    landed, hit = np.array(points, dtype=float), np.zeros(len(points), dtype=bool)
    landed[who], hit[who] = foot[order[at]], True
    return Landing(landed, hit)


def _meet(surface: Surface, frame: Array, target: Array, uv: Array, size: Array) -> Array:
    """Newton on the picture of the surface, from (k, 2) parameters; no step is longer than two cells.

    A step that leads farther away is taken back and halved, as happens beside a silhouette.
    """
    low, high = np.array(surface.domain).T
    uv, step = np.array(uv), np.zeros_like(uv)
    away, share = np.full(len(uv), np.inf), np.ones(len(uv))
    active = np.arange(len(uv))
    exact = 1e-13 * max(1.0, surface.diagonal)
    for done in range(_STEPS):
        now = np.clip(uv[active] + step[active] * share[active, None], low, high)
        s = surface_derivatives(surface, now[:, 0], now[:, 1], 1)
        f, a, b = s[0, 0] @ frame - target[active], s[1, 0] @ frame, s[0, 1] @ frame
        off = np.hypot(f[:, 0], f[:, 1])
        if not done:
            first = np.maximum(off, exact)
        better = off < away[active]
        share[active] = np.where(better, np.minimum(2 * share[active], 1.0), 0.5 * share[active])
        went = active[better]
        uv[went], away[went] = now[better], off[better]
        det = a[:, 0] * b[:, 1] - b[:, 0] * a[:, 1]
        det = np.where(np.abs(det) > 1e-14, det, 1e-14)
        du = -(b[:, 1] * f[:, 0] - b[:, 0] * f[:, 1]) / det
        dv = -(a[:, 0] * f[:, 1] - a[:, 1] * f[:, 0]) / det
        step[went] = np.clip(np.column_stack([du, dv]), -2 * size, 2 * size)[better]
        length = np.abs(step[active] * share[active, None] / (high - low)).max(axis=1)
        # Even where lines graze the surface Newton halves its way: what has not come near by then never will.
        hopeful = (share[active] > 0.01) & ((done < 8) | (away[active] < 1e-2 * first[active]))
        active = active[(length > 1e-13) & (away[active] > exact) & hopeful]
        if not len(active):
            break
    return uv


def pull(face: Face, points: Array) -> Landing:
    """Nearest points of the surface under a face; a point whose foot lies beyond an edge does not land."""
    surface = face.surface
    feet = to_surface(surface, points)
    s = surface_derivatives(surface, feet.u, feet.v, 1)
    gap = points - feet.point
    lean = np.maximum(np.abs(dot(gap, unit(s[1, 0]))), np.abs(dot(gap, unit(s[0, 1]))))
    return Landing(feet.point, (lean < 1e-6 * max(1.0, surface.diagonal)) & inside(face, feet.u, feet.v))
