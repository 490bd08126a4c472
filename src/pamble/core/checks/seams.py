"""Seams of a set of faces, found by geometry: which edges run along each other, and how well they meet there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from pamble.core.arrays import Array, BoolArray, dot, norm, unit
from pamble.core.faces.face import Edge, Face
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.tolerances import SEAM_SEARCH

_SAMPLES, _FINER, _ROUNDS = 65, 8, 3
_TURNS = np.cos(np.radians(15.0))
"""Samples of an edge, and where it turns more between two: into how many parts that way is parted, and how often."""

_OF_LENGTH = 0.1
"""Widest search, as a fraction of the shorter edge."""

_ALONG = 17
"""Places along a seam at which it is looked what it covers of the longer edge."""

_LEAST = 0.01
"""Length, mm, of an edge below which it is what is left of a point, as at a fillet's tip."""

_NEARER, _AT_ONCE = 4.0, 0.01
"""Times as far as another edge from which on an edge does not meet what it runs along, as over a thin wall; and the
distance, mm, up to which it meets them all.
"""

_ROUGHLY = 0.6
_PARALLEL = 0.8
"""Cosine of the angle between two edges below which they cross rather than run along each other."""


@dataclass(frozen=True)
class Seam:
    """A stretch of one edge that runs along another. faces: positions in the list of faces; t: range on ``a``."""

    faces: tuple[int, int]
    a: Edge
    b: Edge
    t: tuple[float, float]


@dataclass(frozen=True)
class OpenEdge:
    """A stretch of an edge that meets nothing. length in mm; start and end: (3,)."""

    face: int
    edge: Edge
    t: tuple[float, float]
    length: float
    start: Array
    end: Array


class _Sampled:
    """An edge with samples, ready for quick comparison."""

    def __init__(self, edge: Edge) -> None:
        self.edge = edge
        self.t = np.linspace(*edge.domain, _SAMPLES)
        d = curve_derivatives(edge.space, self.t, 1)
        for _ in range(_ROUNDS):
            turn = dot(unit(d[1, 1:]), unit(d[1, :-1])) < _TURNS
            if not turn.any():
                break
            # Where an edge turns from sample to sample, as round a small corner, it has more.
            more = self.t[:-1][turn] + np.diff(self.t)[turn] * np.linspace(0, 1, _FINER + 1)[1:-1, None]
            self.t = np.sort(np.concatenate([self.t, more.ravel()]))
            d = curve_derivatives(edge.space, self.t, 1)
        self.points, self.tangent = d[0], unit(d[1])
        self.along = np.concatenate([[0.0], np.cumsum(norm(np.diff(d[0], axis=0)))])
        self.low, self.high = d[0].min(axis=0), d[0].max(axis=0)

    @property
    def length(self) -> float:
        return float(self.along[-1])

    @property
    def closed(self) -> bool:
        return bool(norm(self.points[:1] - self.points[-1:])[0] <= _LEAST)

    @cached_property
    def sag(self) -> float:
        """How far the samples' chain may run beside the curve."""
        return float(norm(np.diff(self.points, 2, axis=0)).max())

    def at(self, t: float) -> float:
        return float(np.interp(t, self.t, self.along))


def find_seams(faces: Sequence[Face], search: float = SEAM_SEARCH) -> tuple[list[Seam], list[OpenEdge]]:
    """Seams between the edges of ``faces`` that run closer than ``search`` (mm), and the stretches left open.

    A long edge may meet several short ones (T-junction): each meeting is a seam of its own. Edges that only start at a
    common corner and diverge are no seam. Of short edges the search is narrower: a meeting needs length along, not
    nearness of ends.

    >>> from pamble.core.spline.surface import Surface
    >>> deck = Face(Surface.bezier([[[0, 0, 0], [0, 4, 0]], [[6, 0, 0], [6, 4, 0]]]))
    >>> wall = Face(Surface.bezier([[[0, 0, 0], [0, 0, 3]], [[6, 0, 0], [6, 0, 3]]]))
    >>> seams, opened = find_seams([deck, wall])
    >>> [(s.a.name, s.b.name) for s in seams], len(opened)
    ([('v0', 'v0')], 6)
    """
    return SeamFinder().find(faces, search)


_Range = tuple[float, float]


@dataclass(frozen=True)
class _Meeting:
    """What a seam covers of the shorter edge and of the longer one, as parameters, and how far these are apart, mm."""

    own: _Range
    other: tuple[_Range, ...]
    apart: float


class SeamFinder:
    """Finds seams again and again: edges that are the same as before are not looked at anew."""

    def __init__(self) -> None:
        self._sampled: dict[int, _Sampled] = {}
        self._meetings: dict[tuple[int, int, float], list[_Meeting]] = {}

    def find(self, faces: Sequence[Face], search: float = SEAM_SEARCH) -> tuple[list[Seam], list[OpenEdge]]:
        """See `find_seams`."""
        owner = {id(e): i for i, face in enumerate(faces) for e in face.edges}
        self._sampled = {id(e): self._sampled.get(id(e)) or _Sampled(e) for face in faces for e in face.edges}
        sampled = [s for s in self._sampled.values() if s.length > _LEAST]
        met: dict[int, list[tuple[_Range, float]]] = {id(s.edge): [] for s in sampled}
        kept: dict[tuple[int, int, float], list[_Meeting]] = {}
        all_found: list[tuple[Edge, Edge, _Meeting]] = []
        for i, j in _near_pairs(sampled, search):
            short, long = sorted((sampled[i], sampled[j]), key=lambda s: s.length)
            key = (id(short.edge), id(long.edge), search)
            found = self._meetings.get(key)
            kept[key] = found = _meetings(short, long, search) if found is None else found
            for m in found:
                all_found.append((short.edge, long.edge, m))
                met[key[0]].append((m.own, m.apart))
                met[key[1]] += [(r, m.apart) for r in m.other]
        self._meetings = kept
        covered: dict[int, list[_Range]] = {id(s.edge): [] for s in sampled}
        seams = []
        for one, two, m in all_found:
            nearer = (_meets_nearer(met[id(two)], r, m.apart) for r in m.other)
            if not (_meets_nearer(met[id(one)], m.own, m.apart) or any(nearer)):
                seams.append(Seam((owner[id(one)], owner[id(two)]), one, two, m.own))
                covered[id(one)].append(m.own)
                covered[id(two)] += m.other
        return seams, [o for s in sampled for o in _open(s, owner[id(s.edge)], covered[id(s.edge)], search)]


def _meets_nearer(met: Sequence[tuple[_Range, float]], stretch: _Range, apart: float) -> bool:
    """Whether most of a stretch of an edge meets another one that is much nearer. met: all that the edge meets."""
    if apart <= _AT_ONCE:
        return False
    half = 0.5 * (stretch[1] - stretch[0])
    nearer = [r for r, a in met if _NEARER * a < apart]
    return any(min(r[1], stretch[1]) - max(r[0], stretch[0]) > half for r in nearer)


def _near_pairs(sampled: Sequence[_Sampled], search: float) -> list[tuple[int, int]]:
    """Pairs of edges whose boxes come within reach of each other."""
    if len(sampled) < 2:
        return []
    room = np.array([0.5 * search + s.sag for s in sampled])[:, None]
    low, high = np.array([s.low for s in sampled]) - room, np.array([s.high for s in sampled]) + room
    over = np.all(low[:, None] <= high[None], axis=2)
    i, j = np.nonzero(np.triu(over & over.T, 1))
    return list(zip(i.tolist(), j.tolist(), strict=True))


def _meetings(short: _Sampled, long: _Sampled, search: float) -> list[_Meeting]:
    near = min(search, _OF_LENGTH * short.length)
    out = []
    for start, end, apart in _stretches(short, long, near):
        feet = to_curve(long.edge.space, curve_points(short.edge.space, np.linspace(start, end, _ALONG))).t
        out.append(_Meeting((start, end), _cover(long, feet), apart))
    return out


def _cover(long: _Sampled, feet: Array) -> tuple[_Range, ...]:
    """What a seam covers of the longer edge, from feet along it; of a closed one also over its joint."""
    start, end = long.edge.domain
    if not long.closed:
        return ((float(feet.min()), float(feet.max())),)
    period = end - start
    around = np.unwrap(feet, period=period)
    turns = np.floor((0.5 * (around.min() + around.max()) - start) / period)
    low, high = float(around.min() - turns * period), float(around.max() - turns * period)
    if high - low >= period:
        return ((start, end),)
    parts = [(max(low, start), min(high, end)), (low + period, end), (start, high - period)]
    return tuple((a, b) for a, b in parts if b > a)


def _stretches(a: _Sampled, b: _Sampled, search: float) -> list[tuple[float, float, float]]:
    """Parameter ranges of ``a`` that run along ``b``, and how far from it on average."""
    rel = a.points[:, None] - b.points[None, :-1]
    leg = np.diff(b.points, axis=0)
    w = np.clip(np.einsum("mki,ki->mk", rel, leg) / np.maximum(dot(leg, leg), 1e-30), 0.0, 1.0)
    apart = norm(rel - w[..., None] * leg)
    k = np.argmin(apart, axis=1)
    rows = np.arange(len(k))
    # Edges that only meet at a corner are near in one place, or cross: most pairs end here.
    rough = (apart[rows, k] <= search + a.sag + b.sag) & (np.abs(dot(a.tangent, unit(leg)[k])) > _ROUGHLY)
    if rough.sum() < 2:
        return []
    at = np.flatnonzero(rough)
    seeds = (b.t[k] + w[rows, k] * (b.t[k + 1] - b.t[k]))[at]
    feet = to_curve(b.edge.space, a.points[at], seeds)
    tangent = unit(curve_derivatives(b.edge.space, feet.t, 1)[1])
    near, distance = np.zeros(len(k), dtype=bool), np.zeros(len(k))
    distance[at] = feet.distance
    near[at] = (feet.distance < search) & (np.abs(dot(a.tangent[at], tangent)) > _PARALLEL)
    if not near.any():
        return []
    # A closed edge has no ends: where it begins another goes by.
    ends = to_curve(a.edge.space, b.points[:0] if b.closed else b.points[[0, -1]])
    found = []
    for first, last in _runs(near):
        start, end = float(a.t[first]), float(a.t[last])
        most, steps = len(a.t) - 1, np.diff(a.t)
        closed_start = _pull(ends.t, ends.distance, search, start, float(steps[max(first - 1, 0)]))
        closed_end = _pull(ends.t, ends.distance, search, end, float(steps[min(last, most - 1)]))
        at_start = first == 0 or closed_start is not None
        at_end = last == most or closed_end is not None
        start = start if closed_start is None else closed_start
        end = end if closed_end is None else closed_end
        length = a.at(end) - a.at(start)
        whole = first == 0 and last == most
        if end <= start or (not whole and length < max(4 * search, 0.01 * a.length)):
            continue
        if not (at_start and at_end) and length < 0.5 * a.length:
            continue
        found.append((start, end, float(distance[first : last + 1].mean())))
    return found


def _pull(t: Array, distance: Array, search: float, at: float, step: float) -> float | None:
    """The end of the other edge that lies within a step of a run's end, if there is one."""
    close = (distance < search) & (np.abs(t - at) <= 1.01 * step)
    if not close.any():
        return None
    return float(t[close][np.argmin(np.abs(t[close] - at))])


def _runs(mask: BoolArray) -> list[tuple[int, int]]:
    padded = np.concatenate([[0], mask.astype(int), [0]])
    turn = np.diff(padded)
    return list(zip(np.flatnonzero(turn == 1).tolist(), (np.flatnonzero(turn == -1) - 1).tolist(), strict=True))


def _open(s: _Sampled, face: int, covered: list[_Range], search: float) -> list[OpenEdge]:
    at, found = s.edge.domain[0], []
    least = max(2 * search, 0.01 * s.length) if covered else 1e-6
    for start, end in [*sorted(covered), (s.edge.domain[1], s.edge.domain[1])]:
        length = s.at(start) - s.at(at)
        if start > at and length > least:
            ends = curve_points(s.edge.space, [at, start])
            found.append(OpenEdge(face, s.edge, (at, start), length, ends[0], ends[1]))
        at = max(at, end)
    return found


def part_diagonal(faces: Sequence[Face]) -> float:
    """Diagonal of the box round the edges and control points of natural faces, mm."""
    points = [
        f.surface.control.reshape(-1, 3)
        if f.natural
        else np.concatenate([curve_points(e.space, np.linspace(*e.domain, 17)) for e in f.edges])
        for f in faces
    ]
    cloud = np.concatenate(points)
    return float(np.linalg.norm(cloud.max(axis=0) - cloud.min(axis=0)))
