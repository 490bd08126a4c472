"""Seams of a set of faces, found by geometry: which edges run along each other, and how well they meet there."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, BoolArray, dot, norm, unit
from pamble.core.checks.sampled_edge import LEAST, SampledEdge
from pamble.core.faces.face import Edge, Face
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points
from pamble.core.tolerances import SEAM_SEARCH

_OF_LENGTH = 0.1
"""Widest search, as a fraction of the shorter edge."""

_ALONG = 17
"""Places along a seam at which it is looked what it covers of the longer edge."""

_NEARER, _AT_ONCE = 4.0, 0.01
"""Times as far as another edge from which on an edge does not meet what it runs along, as over a thin wall; and the
distance, mm, up to which it meets them all.
"""

_PAIRS = 4096
"""Pairs of edges whose boxes are compared at once."""

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
        self._sampled: dict[int, SampledEdge] = {}
        self._meetings: dict[tuple[int, int, float], list[_Meeting]] = {}

    def find(self, faces: Sequence[Face], search: float = SEAM_SEARCH) -> tuple[list[Seam], list[OpenEdge]]:
        """See `find_seams`."""
        owner = {id(e): i for i, face in enumerate(faces) for e in face.edges}
        self._sampled = {id(e): self._sampled.get(id(e)) or SampledEdge(e) for face in faces for e in face.edges}
        sampled = [s for s in self._sampled.values() if s.length > LEAST]
        met: dict[int, list[tuple[_Range, float]]] = {id(s.edge): [] for s in sampled}
        kept: dict[tuple[int, int, float], list[_Meeting]] = {}
        all_found: list[tuple[Edge, Edge, _Meeting]] = []
        for short, long, near in _near_pairs(sampled, search):
            key = (id(short.edge), id(long.edge), search)
            found = self._meetings.get(key)
            kept[key] = found = _meetings(short, long, near, search) if found is None else found
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


def _near_pairs(sampled: Sequence[SampledEdge], search: float) -> Iterator[tuple[SampledEdge, SampledEdge, BoolArray]]:
    """Pairs of edges whose boxes come within reach of each other, the shorter first, and which of their parts do."""
    if len(sampled) < 2:
        return
    room = np.array([0.5 * search + s.sag for s in sampled])[:, None]
    low, high = np.array([s.low for s in sampled]) - room, np.array([s.high for s in sampled]) + room
    over = np.all(low[:, None] <= high[None], axis=2)
    pairs = np.stack(np.nonzero(np.triu(over & over.T, 1)))
    boxes = [s.boxes for s in sampled]
    low, high = np.array([b[0] for b in boxes]) - room[..., None], np.array([b[1] for b in boxes]) + room[..., None]
    for first in range(0, pairs.shape[1], _PAIRS):
        i, j = pairs[:, first : first + _PAIRS]
        near = np.all((low[i][:, :, None] <= high[j][:, None]) & (low[j][:, None] <= high[i][:, :, None]), axis=3)
        for k in np.flatnonzero(near.any(axis=(1, 2))).tolist():
            one, two = sampled[i[k]], sampled[j[k]]
            yield (one, two, near[k]) if one.length <= two.length else (two, one, near[k].T)


def _meetings(short: SampledEdge, long: SampledEdge, parts: BoolArray, search: float) -> list[_Meeting]:
    """Where an edge runs along another. parts: which of their parts may."""
    near = min(search, _OF_LENGTH * short.length)
    out = []
    for start, end, apart in _stretches(short, long, parts, near):
        feet = to_curve(long.edge.space, curve_points(short.edge.space, np.linspace(start, end, _ALONG))).t
        out.append(_Meeting((start, end), _cover(long, feet), apart))
    return out


def _cover(long: SampledEdge, feet: Array) -> tuple[_Range, ...]:
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


def _stretches(a: SampledEdge, b: SampledEdge, parts: BoolArray, search: float) -> list[tuple[float, float, float]]:
    """Parameter ranges of ``a`` that run along ``b``, and how far from it on average."""
    own, other = (s.within(np.asarray(parts.any(axis=axis))) for s, axis in ((a, 1), (b, 0)))
    own = np.union1d(own, own + 1)
    leg, square, way = b.legs
    rel = a.points[own][:, None] - b.points[other]
    w = np.clip(np.einsum("mki,ki->mk", rel, leg[other]) / square[other], 0.0, 1.0)
    apart = norm(rel - w[..., None] * leg[other])
    nearest = np.argmin(apart, axis=1)
    rows, k = np.arange(len(own)), other[nearest]
    # Edges that only meet at a corner are near in one place, or cross: most pairs end here.
    rough = (apart[rows, nearest] <= search + a.sag + b.sag) & (np.abs(dot(a.tangent[own], way[k])) > _ROUGHLY)
    if rough.sum() < 2:
        return []
    at, k, w = own[rough], k[rough], w[rows, nearest][rough]
    feet = to_curve(b.edge.space, a.points[at], b.t[k] + w * (b.t[k + 1] - b.t[k]))
    tangent = unit(curve_derivatives(b.edge.space, feet.t, 1)[1])
    near, distance = np.zeros(len(a.t), dtype=bool), np.zeros(len(a.t))
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


def _open(s: SampledEdge, face: int, covered: list[_Range], search: float) -> list[OpenEdge]:
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
