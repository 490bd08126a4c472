"""Where curves of the parameter plane meet: chords that come near each other seed Newton on the curves themselves."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise

import numpy as np
import shapely

from pamble.core.arrays import TINY, Array, BoolArray, IntArray, dot, norm
from pamble.core.errors import GeometryError
from pamble.core.faces.regions.sources import CurveTable, Source

_ONE = 1e-8
"""Share of a curve's range of parameters within which two meetings are one."""

SAME = 1e-7
"""Distance in mm (in the scaled plane) below which two nodes are one, and an end lies on the curve that it touches."""

_ALL_PAIRS = 700
"""Chords up to which all pairs are compared at once: quicker than a tree."""

_STEPS = 14
_PARALLEL = 1e-5
"""Sine below which two curves meet without crossing."""


@dataclass(frozen=True)
class Chords:
    """The curves as polylines. t: parameters and points of each curve; sag: how far a chord may leave its curve."""

    t: list[Array]
    points: list[Array]
    curve: IntArray
    number: IntArray
    start: Array
    end: Array
    t0: Array
    t1: Array
    closed: BoolArray
    sag: float

    @property
    def ends(self) -> Array:
        """First and last point of each curve, (n, 2, 2)."""
        return np.array([[p[0], p[-1]] for p in self.points])


def make_chords(table: CurveTable, sag: float) -> Chords:
    """Polylines of all curves of a table."""
    t, curve, points, begins = table.chords(sag)
    inner = np.ones(len(t) - 1, dtype=bool)
    inner[begins[1:-1] - 1] = False
    i = np.flatnonzero(inner)
    apart = [slice(a, b) for a, b in pairwise(begins.tolist())]
    closed = norm(points[begins[:-1]] - points[begins[1:] - 1]) < SAME
    return Chords(
        [t[s] for s in apart],
        [points[s] for s in apart],
        curve[i],
        i - begins[curve[i]],
        points[i],
        points[i + 1],
        t[i],
        t[i + 1],
        closed,
        sag,
    )


@dataclass(frozen=True)
class Crossings:
    """Meetings of curves p and q at the parameters t and v, (k,) each, and their points (k, 2), scaled."""

    p: IntArray
    q: IntArray
    t: Array
    v: Array
    point: Array


def seeds(chords: Chords, cuts: BoolArray) -> Crossings:
    """Pairs of chords that come near each other, of which one at least belongs to a curve that cuts."""
    i, j = _near_boxes(chords, cuts)
    k = chords.curve
    same = k[i] == k[j]
    step = np.abs(chords.number[i] - chords.number[j])
    last = np.bincount(k, minlength=len(chords.t))[k[i]] - 1
    beside = same & ((step <= 1) | (chords.closed[k[i]] & (step >= last)))
    i, j = i[~beside], j[~beside]
    a, b = chords.start, chords.end
    s, w, gap = _nearest(a[i], b[i], a[j], b[j])
    near = gap <= 2 * (1.5 * chords.sag + SAME)
    i, j, s, w = i[near], j[near], s[near], w[near]
    t = chords.t0[i] + s * (chords.t1[i] - chords.t0[i])
    v = chords.t0[j] + w * (chords.t1[j] - chords.t0[j])
    return Crossings(k[i], k[j], t, v, a[i] + s[:, None] * (b[i] - a[i]))


def _near_boxes(chords: Chords, cuts: BoolArray) -> tuple[IntArray, IntArray]:
    pad = 1.5 * chords.sag + SAME
    low, high = np.minimum(chords.start, chords.end) - pad, np.maximum(chords.start, chords.end) + pad
    cutting = cuts[chords.curve]
    if len(low) < _ALL_PAIRS:
        over = (low[:, None, 0] <= high[None, :, 0]) & (low[:, None, 1] <= high[None, :, 1])
        i, j = np.nonzero(over & over.T & (cutting[:, None] | cutting))
    else:
        boxes = shapely.box(low[:, 0], low[:, 1], high[:, 0], high[:, 1])
        i, j = shapely.STRtree(boxes).query(boxes)
        either = cutting[i] | cutting[j]
        i, j = i[either], j[either]
    once = i < j
    return i[once], j[once]


def _nearest(a: Array, b: Array, c: Array, d: Array) -> tuple[Array, Array, Array]:
    """Nearest places of the chords a-b and c-d as fractions, and their distance.

    Source: Ericson, Real-Time Collision Detection, section 5.1.9; from memory.
    """
    d1, d2, r = b - a, d - c, c - a
    aa, ee, bb = dot(d1, d1), dot(d2, d2), dot(d1, d2)
    cc, ff = dot(d1, r), dot(d2, r)
    det = np.maximum(aa * ee - bb * bb, 1e-12 * aa * ee + TINY)
    s = np.clip((cc * ee - ff * bb) / det, 0, 1)
    w = np.clip((bb * s - ff) / np.maximum(ee, TINY), 0, 1)
    s = np.clip((bb * w + cc) / np.maximum(aa, TINY), 0, 1)
    return s, w, norm(a + s[:, None] * d1 - c - w[:, None] * d2)


def settle(table: CurveTable, chords: Chords, seed: Crossings) -> tuple[Crossings, BoolArray, Array]:
    """Newton on C_p(t) = C_q(v) from seeds. Returns the crossings that hold, which seeds these are, and the sines of
    the angles between the curves there. A parameter within `SAME` of an end is that end.
    """
    n = len(seed.p)
    both = np.concatenate([seed.p, seed.q])
    if not n:
        none = np.zeros(0)
        return Crossings(seed.p, seed.q, none, none, np.zeros((0, 2))), np.zeros(0, dtype=bool), none
    t, v = _newton(table, both, seed.t, seed.v)
    x, d = table.at(both, np.concatenate([t, v]))
    speed = norm(d)
    slack = SAME / np.maximum(speed, TINY)
    tv = np.concatenate([t, v])
    low, high = table.domain[both, 0], table.domain[both, 1]
    within = (tv > low - slack) & (tv < high + slack)
    tv = np.where(np.abs(tv - low) < slack, low, np.where(np.abs(tv - high) < slack, high, np.clip(tv, low, high)))
    t, v = tv[:n], tv[n:]
    x, d = table.at(both, tv)
    good = within[:n] & within[n:] & (norm(x[:n] - x[n:]) < 3 * SAME)
    same = seed.p == seed.q
    apart = np.abs(t - v)
    around = np.where(chords.closed[seed.p], np.abs(apart - table.length[seed.p]), np.inf)
    good &= ~(same & (np.minimum(apart, around) * speed[:n] < 1e-3 * chords.sag))
    good[good] = _first(seed.p[good], seed.q[good], (t / table.length[seed.p])[good], (v / table.length[seed.q])[good])
    turn = d[:n, 0] * d[n:, 1] - d[:n, 1] * d[n:, 0]
    sine = np.abs(turn) / np.maximum(norm(d[:n]) * norm(d[n:]), TINY)
    return Crossings(seed.p[good], seed.q[good], t[good], v[good], x[:n][good]), good, sine[good]


def _first(p: IntArray, q: IntArray, t: Array, v: Array) -> BoolArray:
    """Of meetings at one place of the same curves, to which many seeds may lead, the first."""
    out = np.zeros(len(p), dtype=bool)
    key = np.stack([p, q, np.round(t / _ONE), np.round(v / _ONE)], axis=1)
    out[np.unique(key, axis=0, return_index=True)[1]] = True
    return out


def _newton(table: CurveTable, both: IntArray, t: Array, v: Array) -> tuple[Array, Array]:
    n = len(t)
    most = 0.1 * table.length[both]
    for _ in range(_STEPS):
        x, d = table.at(both, np.concatenate([t, v]))
        gap, a, b = x[:n] - x[n:], d[:n], -d[n:]
        det = a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]
        aa, bb = dot(a, a), dot(b, b)
        flat = det * det < 1e-14 * aa * bb
        det = np.where(flat, 1.0, det)
        dt = -(gap[:, 0] * b[:, 1] - gap[:, 1] * b[:, 0]) / det
        dv = -(a[:, 0] * gap[:, 1] - a[:, 1] * gap[:, 0]) / det
        # Where the curves are parallel, the least step that closes the gap along the tangent.
        dt = np.where(flat, -dot(gap, a) / np.maximum(2 * aa, TINY), dt)
        dv = np.where(flat, -dot(gap, b) / np.maximum(2 * bb, TINY), dv)
        dt, dv = np.clip(dt, -most[:n], most[:n]), np.clip(dv, -most[n:], most[n:])
        t, v = t + dt, v + dv
        if max(np.abs(dt / table.length[both[:n]]).max(), np.abs(dv / table.length[both[n:]]).max()) < 1e-10:
            break
    return t, v


def refuse_running_along(sources: list[Source], found: Crossings, sine: Array, size: float) -> None:
    """Raise `GeometryError` where a cutter runs along another curve: places enough where they meet without crossing."""
    flat = np.flatnonzero(sine < _PARALLEL)
    pair = found.p[flat] * len(sources) + found.q[flat]
    for number in np.unique(pair).tolist() if len(flat) >= 3 else []:
        at = found.point[flat[pair == number]]
        reach = float(norm(np.ptp(at, axis=0)[None])[0])
        apart = len(np.unique(np.round(at / (1e-3 * size)), axis=0))
        if apart < 3 or reach < 1e-3 * size:
            continue
        a, b = sources[number // len(sources)], sources[number % len(sources)]
        mine, other = (b, a) if not a.cuts else (a, b)
        raise GeometryError(
            f"{mine.label} runs along {other.label or other.name or 'a pole'} over about {reach:.2f} mm: "
            "move it off, or use that edge itself."
        )
