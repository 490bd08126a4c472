"""Figures of seams along their length, and where the worst of each lies."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import lru_cache

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.checks.figures import SeamFigures, seam_figures
from pamble.core.checks.seams import Seam
from pamble.core.faces.frames import EdgeFrames, feet, frames_of, positions, stacked
from pamble.core.spline.closest import to_curve
from pamble.core.spline.extremes import both_sides, closing_in

SAMPLES = 200
"""Samples along a seam at rest."""

FIGURES = ("gap", "angle", "curvature", "curvature_abs", "rate", "rate_percent")


@dataclass(frozen=True)
class Worst:
    """The largest value of a figure along a seam, its distance from the seam's start in mm, and its place (3,)."""

    value: float
    at: float
    point: Array


@dataclass(frozen=True)
class MeasuredSeam:
    """A seam's figures along its length. length: (m,) mm from its start; points: (m, 3) on the first edge.

    worst: of each of `FIGURES`.
    """

    seam: Seam
    length: Array
    points: Array
    figures: SeamFigures
    worst: dict[str, Worst]


@dataclass(frozen=True)
class SampledSeam:
    """A seam at parameters ``t`` (m,) of its first edge: both edges there, each on its own surface."""

    seam: Seam
    t: Array
    order: int
    a: EdgeFrames
    b: EdgeFrames


def sample_seam(seam: Seam, samples: int = SAMPLES, order: int = 2, exact: bool = True) -> SampledSeam:
    """Sample both edges at even steps of the first one's parameter; if ``exact``, beside every break of both as well.

    order: of the surfaces' derivatives, 2 or 3. Raises `GeometryError` where an edge cannot be evaluated.
    """
    return sample_seams([seam], samples, order, exact)[0]


def sample_seams(
    seams: Sequence[Seam], samples: int = SAMPLES, order: int = 2, exact: bool = True
) -> list[SampledSeam]:
    """Sample several seams in one go; see `sample_seam`."""
    return _seams_at([(seam, _places(seam, samples, exact)) for seam in seams], order, True)


@lru_cache(maxsize=16)
def _shares(samples: int) -> Array:
    return np.linspace(0.0, 1.0, samples)


def _places(seam: Seam, samples: int, exact: bool) -> Array:
    shares = _shares(samples)
    t = (1 - shares) * seam.t[0] + shares * seam.t[1]
    if not exact:
        return t
    theirs = both_sides(seam.b.space, seam.b.domain)
    if len(theirs):
        theirs = to_curve(seam.a.space, positions(seam.b, theirs)).t
    return np.sort(np.concatenate([t, both_sides(seam.a.space, seam.t), theirs[_within(theirs, seam.t)]]))


def measure_seam(seam: Seam, diagonal: float, samples: int = SAMPLES, order: int = 2) -> MeasuredSeam:
    """Gap, angle and curvature mismatch along a seam; see `measure_seams`."""
    return measure_seams([sample_seam(seam, samples, order)], diagonal)[0]


def measure_seams(sampled: Sequence[SampledSeam], diagonal: float, exact: bool = True) -> list[MeasuredSeam]:
    """Figures of seams that were sampled. ``diagonal`` of the part in mm bounds the curvature reference.

    exact: whether the worst values are closed in on between the samples; else they are those of the samples.
    """
    out: list[MeasuredSeam | None] = [None] * len(sampled)
    for order in {s.order for s in sampled}:
        which = [i for i, s in enumerate(sampled) if s.order == order]
        alike = [sampled[i] for i in which]
        all_figures = _figures(alike, diagonal)
        table, parts = _table(all_figures), _parts(alike)
        position = np.concatenate([s.a.position for s in alike])
        step = norm(np.diff(position, axis=0, prepend=position[:1]))
        lengths = []
        for part in parts:
            step[part.start] = 0.0
            lengths.append(np.cumsum(step[part]))
        values = [table[:, part] for part in parts]
        worst = _closed_in(alike, values, lengths, diagonal) if exact else _of_samples(alike, values, lengths)
        for i, s, part, length, most in zip(which, alike, parts, lengths, worst, strict=True):
            out[i] = MeasuredSeam(s.seam, length, s.a.position, all_figures.part(part), most)
    return [m for m in out if m is not None]


def _within(t: Array, stretch: tuple[float, float]) -> Array:
    return np.asarray((t > stretch[0]) & (t < stretch[1]))


def seam_at(seam: Seam, t: Array, order: int = 2, remember: bool = False) -> SampledSeam:
    """Both edges of a seam at parameters ``t`` (m,) of the first one. remember: whether the same will be asked
    again."""
    return _seams_at([(seam, t)], order, remember)[0]


def _seams_at(places: Sequence[tuple[Seam, Array]], order: int, remember: bool) -> list[SampledSeam]:
    first = frames_of([(seam.a, t) for seam, t in places], order, remember)
    feet_of = [_paired(seam, a, remember) for (seam, _), a in zip(places, first, strict=True)]
    second = frames_of([(seam.b, t) for (seam, _), t in zip(places, feet_of, strict=True)], order, remember)
    return [SampledSeam(seam, t, order, a, b) for (seam, t), a, b in zip(places, first, second, strict=True)]


def _paired(seam: Seam, a: EdgeFrames, remember: bool) -> Array:
    """Parameters of the second edge at the samples of the first one."""
    # Two faces that were cut by one curve share it: then its parameters pair them.
    if seam.a.twin is seam.b.twin and seam.a.domain == seam.b.domain:
        return a.t
    start, end = seam.a.domain
    return feet(seam.b, a.position, (a.t - start) / (end - start), remember)


def _figures(sampled: Sequence[SampledSeam], diagonal: float) -> SeamFigures:
    """Figures of several seams in one row."""
    return seam_figures(stacked([s.a for s in sampled]), stacked([s.b for s in sampled]), diagonal)


def _parts(sampled: Sequence[SampledSeam]) -> list[slice]:
    """Where in that row each one's are."""
    ends = np.cumsum([len(s.t) for s in sampled]).tolist()
    return [slice(end - len(s.t), end) for end, s in zip(ends, sampled, strict=True)]


Worsts = dict[str, Worst]


def _of_samples(sampled: Sequence[SampledSeam], values: Sequence[Array], lengths: Sequence[Array]) -> list[Worsts]:
    """The worst of every figure of each seam among its samples."""
    found = []
    for s, rows, length in zip(sampled, values, lengths, strict=True):
        i = np.argmax(rows, axis=1)
        found.append(_worsts(rows[np.arange(len(i)), i], length[i], s.a.position[i]))
    return found


def _closed_in(
    sampled: Sequence[SampledSeam], values: Sequence[Array], lengths: Sequence[Array], diagonal: float
) -> list[Worsts]:
    """The same, closed in on between the samples, all seams at once."""
    steps = [closing_in(s.t, rows) for s, rows in zip(sampled, values, strict=True)]
    places = [next(step) for step in steps]
    most: list[tuple[Array, Array]] = []
    while not most:
        now = _seams_at([(s.seam, t) for s, t in zip(sampled, places, strict=True)], sampled[0].order, False)
        table = _table(_figures(now, diagonal))
        places = []
        for step, part in zip(steps, _parts(now), strict=True):
            try:
                places.append(step.send(table[:, part]))
            except StopIteration as end:
                most.append(end.value)
    return [
        _worsts(value, np.interp(t, s.t, length), positions(s.seam.a, t))
        for s, (t, value), length in zip(sampled, most, lengths, strict=True)
    ]


def _worsts(most: Array, at: Array, points: Array) -> Worsts:
    return {n: Worst(*row) for n, *row in zip(FIGURES, most.tolist(), at.tolist(), points, strict=True)}


def _table(figures: SeamFigures) -> Array:
    return np.array([getattr(figures, name) for name in FIGURES])
