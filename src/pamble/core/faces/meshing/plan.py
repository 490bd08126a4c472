"""Trim loops seen on a grid of parameters: which grid points are well inside, and which cells no loop touches.

A loop is an (m, 2) array, closed without repeating its first point; the outer one counter-clockwise, holes clockwise.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, BoolArray, IntArray

_NEAR = 0.4
"""A grid point nearer than this to a loop, in cells and box to box, is left out."""


@dataclass(frozen=True)
class Plan:
    """loop: all loops' points, one loop after the other; next: number of the point after each; start: where each loop
    begins. good: (nu, nv) grid points inside and clear of the loops; whole: (nu-1, nv-1) cells to be drawn as they are.
    """

    us: Array
    vs: Array
    loop: Array
    next: IntArray
    start: IntArray
    good: BoolArray
    whole: BoolArray


def make_plan(us: Array, vs: Array, loops: Sequence[Array]) -> Plan:
    """See which part of the grid lies clear of the loops."""
    start = np.concatenate([[0], np.cumsum([len(l) for l in loops])])
    loop = np.vstack(loops)
    after = np.arange(1, len(loop) + 1)
    after[start[1:] - 1] = start[:-1]
    sides = _in_cells(us, vs, loop, loop[after])
    hit = np.zeros((len(us), len(vs)), dtype=bool)
    for i, j in _boxes(sides, _NEAR, hit.shape, np.ceil, 0):
        hit[i, j] = True
    good = _parity(sides, hit.shape) & ~hit
    touched = np.zeros((len(us) - 1, len(vs) - 1), dtype=bool)
    for i, j in _boxes(sides, 0.0, touched.shape, np.ceil, -1):
        touched[i, j] = True
    return Plan(us, vs, loop, after, start, good, _whole(good, touched))


def _in_cells(us: Array, vs: Array, a: Array, b: Array) -> Array:
    """Sides from a to b in cell coordinates, in which every cell is a unit square, none longer than a cell: (k, 4)."""
    iu, iv = np.arange(len(us), dtype=float), np.arange(len(vs), dtype=float)

    def seen(p: Array) -> Array:
        return np.column_stack([np.interp(p[:, 0], us, iu), np.interp(p[:, 1], vs, iv)])

    parts = np.maximum(1, np.ceil(np.abs(seen(b) - seen(a)).max(axis=1))).astype(np.intp)
    side = np.repeat(np.arange(len(a)), parts)
    step = np.arange(len(side)) - np.repeat(np.cumsum(parts) - parts, parts)
    w0, w1 = (step / parts[side])[:, None], ((step + 1) / parts[side])[:, None]
    d = b - a
    return np.column_stack([seen(a[side] + w0 * d[side]), seen(a[side] + w1 * d[side])])


def _boxes(
    sides: Array, pad: float, shape: tuple[int, ...], up: np.ufunc, shift: int
) -> Iterator[tuple[IntArray, IntArray]]:
    """Places (i, j) of a grid that the sides' boxes, grown by ``pad``, cover."""
    low = up(np.minimum(sides[:, :2], sides[:, 2:]) - pad).astype(np.intp) + shift
    high = np.floor(np.maximum(sides[:, :2], sides[:, 2:]) + pad).astype(np.intp)
    wide = (high - low).max(axis=0, initial=-1)
    for di in range(int(wide[0]) + 1):
        for dj in range(int(wide[1]) + 1):
            i, j = low[:, 0] + di, low[:, 1] + dj
            ok = (i <= high[:, 0]) & (j <= high[:, 1]) & (i >= 0) & (j >= 0) & (i < shape[0]) & (j < shape[1])
            yield i[ok], j[ok]


def _parity(sides: Array, shape: tuple[int, ...]) -> BoolArray:
    """Grid points inside by the parity of crossings along rising u."""
    crossed = np.zeros((shape[0] + 1, shape[1]), dtype=np.int32)
    x0, y0, x1, y1 = sides.T
    first = np.ceil(np.minimum(y0, y1)).astype(np.intp)
    last = np.ceil(np.maximum(y0, y1)).astype(np.intp) - 1
    rise = np.where(y1 == y0, 1.0, y1 - y0)
    for dj in range(int((last - first).max(initial=-1)) + 1):
        j = first + dj
        ok = (j <= last) & (j >= 0) & (j < shape[1])
        x = x0[ok] + (j[ok] - y0[ok]) / rise[ok] * (x1 - x0)[ok]
        x = np.clip(x, np.minimum(x0, x1)[ok], np.maximum(x0, x1)[ok])
        np.add.at(crossed, (np.clip(np.ceil(x).astype(np.intp), 0, shape[0]), j[ok]), 1)
    return np.asarray(np.cumsum(crossed, axis=0)[:-1] % 2 == 1)


def _whole(good: BoolArray, touched: BoolArray) -> BoolArray:
    """Cells with four good corners that no loop touches, without two that meet at a corner only."""
    f = good[:-1, :-1] & good[1:, :-1] & good[:-1, 1:] & good[1:, 1:] & ~touched
    while True:
        a, b, c, d = f[:-1, :-1], f[1:, 1:], f[1:, :-1], f[:-1, 1:]
        rising, falling = a & b & ~c & ~d, c & d & ~a & ~b
        if not (rising.any() or falling.any()):
            return f
        f = f.copy()
        f[:-1, :-1][rising] = False
        f[1:, :-1][falling] = False


def staircase(whole: BoolArray) -> list[IntArray]:
    """Border of the whole cells as rings of grid points, numbered i * (nv + 1) + j, cells on the left."""
    nu, nv = whole.shape
    f = np.zeros((nu + 2, nv + 2), dtype=bool)
    f[1:-1, 1:-1] = whole
    w = nv + 1
    i, j = np.nonzero(f[1:-1, 1:] & ~f[1:-1, :-1])
    k, l = np.nonzero(~f[1:-1, 1:] & f[1:-1, :-1])
    m, n = np.nonzero(f[1:, 1:-1] & ~f[:-1, 1:-1])
    o, p = np.nonzero(~f[1:, 1:-1] & f[:-1, 1:-1])
    source = np.concatenate([i * w + j, (k + 1) * w + l, m * w + n + 1, o * w + p])
    target = np.concatenate([(i + 1) * w + j, k * w + l, m * w + n, o * w + p + 1])
    follow = dict(zip(source.tolist(), target.tolist(), strict=True))
    rings = []
    while follow:
        begin, end = follow.popitem()
        ring = [begin]
        while end != begin:
            ring.append(end)
            end = follow.pop(end)
        rings.append(np.array(ring, dtype=np.intp))
    return rings
