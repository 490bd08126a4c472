"""Points of sections that are to meet: each section run at a pace that brings its own to the common places."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.polynomial import legendre
from scipy.interpolate import PchipInterpolator

from pamble.core.arrays import Array, floats, norm
from pamble.core.curves.likeness import likeness
from pamble.core.curves.measure import length_parameters
from pamble.core.errors import GeometryError
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.spline.kinks import restarted

_GRID = 801
_LEAST = 1e-3
"""Least share of a section's length between two of its matching points, and between one and an end."""

_SAME = 1e-6
_WILD = 6.0
"""Logarithm of greatest over least speed from which on a polynomial is too lively."""

_TURNED = 0.01
"""Share of its length by which a closed section begins elsewhere before it is begun anew."""


def pace(at: Array, share: Array, places: Array) -> Array:
    """Shares of length at places (m,) of [0, 1], for a run that has come to ``share`` (k,) at ``at`` (k,).

    The run's speed is the exponential of a polynomial, so that it is smooth and never turns back; the coefficients by
    Newton from the even pace on. Where that does not end, or is lively, monotone cubics (Fritsch and Carlson, SIAM
    Journal on Numerical Analysis 17, 1980).

    >>> pace(np.array([0.5]), np.array([0.3]), np.array([0, 0.5, 1])).round(6)
    array([0. , 0.3, 1. ])
    """
    if np.abs(at - share).max(initial=0) < _SAME:
        return floats(places)
    grid = np.linspace(0, 1, _GRID)
    shapes = legendre.legvander(2 * grid - 1, len(at))[:, 1:]
    c = np.zeros(len(at))

    def run(c: Array) -> tuple[Array, Array]:
        speed = np.exp(np.clip(shapes @ c, -30, 30))
        way = _summed(speed[:, None])[:, 0]
        by = _summed(speed[:, None] * shapes)
        return way / way[-1], (by - way[:, None] / way[-1] * by[-1]) / way[-1]

    rows = np.searchsorted(grid, at).clip(1, _GRID - 1)
    mix = (at - grid[rows - 1]) / (grid[rows] - grid[rows - 1])

    def read(values: Array) -> Array:
        return np.asarray((values[rows - 1].T * (1 - mix) + values[rows].T * mix).T)

    for step in np.linspace(0.1, 1, 10):
        goal = at + step * (share - at)
        for _ in range(20):
            way, by = run(c)
            miss = goal - read(way)
            if np.abs(miss).max() < 1e-12:
                break
            c = c + np.clip(np.linalg.lstsq(read(by), miss, rcond=None)[0], -1, 1)
    way, _ = run(c)
    if np.abs(read(way) - share).max() > 1e-9 or np.ptp(shapes @ c) > _WILD:
        return np.asarray(PchipInterpolator([0, *at, 1], [0, *share, 1])(places))
    return np.asarray(PchipInterpolator(grid, way)(places))


def pace_between(at: Array, share: Array, places: Array, shut: bool) -> Array:
    """The same for places at which a run may change its speed abruptly: monotone cubics between them, of a closed run
    round its start too.
    """
    ends = [at[-1:] - 1, at[:1] + 1] if shut else [at[:0], at[:0]]
    runs = [share[-1:] - 1, share[:1] + 1] if shut else [share[:0], share[:0]]
    known = np.concatenate([ends[0], [0], at, [1], ends[1]])
    return np.asarray(PchipInterpolator(known, np.concatenate([runs[0], [0], share, [1], runs[1]]))(places))


def _summed(values: Array) -> Array:
    """Integrals from the start to every point of the grid, by the trapezium with its end correction between points."""
    h = 1 / (len(values) - 1)
    slope = np.gradient(values, h, axis=0, edge_order=2)
    steps = 0.5 * h * (values[1:] + values[:-1]) + h * h / 12 * (slope[:-1] - slope[1:])
    return np.concatenate([np.zeros((1, values.shape[1])), np.cumsum(steps, axis=0)])


def checked(matched: Sequence[Sequence[float]], sections: int) -> Array:
    """Matching points (k, sections) in rising order. Raises `GeometryError` where they cross or fall together."""
    rows = np.array(matched, dtype=float).reshape(-1, sections)
    rows = rows[np.argsort(rows.mean(axis=1))]
    steps = np.diff(np.vstack([np.zeros(sections), rows, np.ones(sections)]), axis=0)
    if len(rows) and steps.min() < _LEAST:
        i, j = np.unravel_index(int(np.argmin(steps)), steps.shape)
        near = "its start" if i == 0 else "its end" if i == len(rows) else f"point {i}"
        raise GeometryError(
            f"Matching point {min(int(i) + 1, len(rows))} on section {j + 1} stands at {near} or beyond it: "
            "points keep one order on all sections."
        )
    return rows


def in_parts(matched: Array, breaks: Sequence[Array]) -> list[Array]:
    """Matching points of each smooth part of sections, as shares of the part. breaks: a section's parts' ends, as
    shares of its length. Raises `GeometryError` for a point that stands on this side of a kink here and beyond it
    there.
    """
    part = np.array([np.searchsorted(b, matched[:, i]) - 1 for i, b in enumerate(breaks)]).T.reshape(matched.shape)
    for k, row in enumerate(part):
        if np.ptp(row):
            raise GeometryError(
                f"Matching point {k + 1} stands before a kink on section {int(np.argmin(row)) + 1} and beyond it on "
                f"section {int(np.argmax(row)) + 1}."
            )
    out = []
    for p in range(len(breaks[0]) - 1):
        low, high = (np.array([b[p + e] for b in breaks]) for e in (0, 1))
        mine = matched[part[:, 0] == p]
        out.append((mine - low) / (high - low))
    return out


def found_begins(sections: Sequence[Curve]) -> Array:
    """Where closed smooth sections begin so that they match, as shares of their lengths (n,): each where the way round
    lies nearest to that of the one before it, and 0 for one that begins there already.
    """
    s = np.linspace(0, 1, 257)[:-1]
    rows = [curve_points(c, length_parameters(c, s)) for c in sections]
    out, before = [0.0], rows[0]
    for row in rows[1:]:
        both = likeness(before, row)
        share = s[int(np.argmax(both))]
        best, stays = float(both.max()), float(both[0])
        size = float((norm(before - before.mean(axis=0)) * norm(row - row.mean(axis=0))).sum())
        keep = min(share, 1 - share) < _TURNED or best - stays < 1e-4 * size
        out.append(0.0 if keep else float(share))
        before = row if keep else np.roll(row, -int(np.argmax(both)), axis=0)
    return np.array(out)


def begun_at(curve: Curve, share: float) -> Curve:
    """A closed curve begun at a share of its length; itself at 0 and 1."""
    share = share % 1.0
    if min(share, 1 - share) < _SAME:
        return curve
    return restarted(curve, float(length_parameters(curve, np.array([share]))[0]))
