"""Sections fitted anew at one pace, on one knot vector: where their curvature jumps, and where they close."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise

import numpy as np

from pamble.core.arrays import Array, norm, unit
from pamble.core.curves.few_cvs import closing
from pamble.core.curves.least_squares import Fit, fit_on_knots
from pamble.core.curves.measure import LengthMap, curvature_jumps, length_parameters
from pamble.core.patches.paced import pace, pace_between
from pamble.core.spline import basis
from pamble.core.spline.closest import to_curve
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_derivatives, curve_points

_POINTS = 200
_GRID, _IN_PART = 801, 25
"""Places of the whole run, and between two jumps of curvature, at which sections are looked at."""

_TIMES = 2
"""CVs of the richest section, so many times, up to which spans are tried."""

_MEET = 0.12
"""Share of the length up to which jumps of curvature are brought together."""

_TURNS = 0.5
"""Degrees from which a closed curve has a kink where it closes."""

_NEAR = 2e-3
"""Share of the run within which jumps of curvature count as one."""

_MOST_SPANS, _MOST_ROUND, _HOPELESS = 24, 40, 12.0
"""Spans up to which sections are fitted anew at least, open and closed ones, and times the tolerance by which too few
miss them.
"""


def refitted(run: Sequence[Curve], tolerance: float, matched: Array, shut: bool) -> tuple[list[Curve], float]:
    """Smooth sections fitted on the fewest spans that hold all of them, even between the places where a curvature
    jumps, and how far they are off, mm.

    matched: points that meet each other, (k, sections), as shares of their lengths. shut: whether they are closed; then
    they are as smooth where they close as they were, up to their curvature.
    """
    jumps = [_jumps(c) for c in run]
    meet = matched if len(matched) else _met_at_jumps(jumps)
    at = meet.mean(axis=1)

    def shares(i: int, s: Array) -> Array:
        """How far a section has come at shares of the run of all."""
        return pace(at, meet[:, i], s) if len(matched) or not len(meet) else pace_between(at, meet[:, i], s, shut)

    grid = np.linspace(0, 1, _GRID)
    places = np.concatenate([np.interp(j, shares(i, grid), grid) for i, j in enumerate(jumps)])
    stops = basis.stops_apart(places.tolist(), _NEAR, _NEAR)
    parts = [np.linspace(a, b, _IN_PART) for a, b in pairwise([0.0, *stops, 1.0])] if stops else []
    s = np.unique(np.concatenate([np.linspace(0, 1, _POINTS + 1), *parts]))
    rows = [curve_points(c, length_parameters(c, shares(i, s))) for i, c in enumerate(run)]
    points = np.concatenate(rows, axis=1)
    orders = list(range(_closes(run), 0, -1)) if shut else []

    def closed(fits: Sequence[Fit], order: int) -> tuple[list[Curve], float]:
        made = [_closed(f.curve, order, s) for f in fits]
        away = [float(to_curve(c, row, s).distance.max()) for c, row in zip(made, rows, strict=True)] if order else []
        return made, max(*away, *(f.deviation for f in fits))

    most = max(_MOST_ROUND if shut else _MOST_SPANS, _TIMES * max(len(c.control) for c in run) - 5 * (len(stops) + 1))
    counts = _counts(most)
    tried = list[list[Fit]]()
    best: tuple[list[Curve], float] | None = None
    for spans in counts:
        knots = basis.spread_knots(5, spans + len(stops), stops)
        held = basis.matrix(knots, 5, s)[0]
        miss = points - held @ np.linalg.lstsq(held, points, rcond=None)[0]
        # Fits may slide along their sections, which does not mend so much.
        if spans < counts[-1] and norm(miss.reshape(len(s), -1, 3)).max() > _HOPELESS * tolerance:
            continue
        tried.append([fit_on_knots(row, s, knots, tolerance, patient=spans > 4)[0] for row in rows])
        made = closed(tried[-1], orders[0] if orders else 0)
        if made[1] <= tolerance:
            return made
        best = made if best is None or made[1] < best[1] else best
    # Less smooth where they close, if they are held so.
    for fits in tried if len(orders) > 1 else []:
        made = closed(fits, orders[1])
        if made[1] <= tolerance:
            return made
    assert best is not None
    return best


def _closed(curve: Curve, order: int, s: Array) -> Curve:
    """A curve moved as little, at shares of its run, as gives it so many derivatives in common where it closes."""
    if order == 0 or curve.spans == 1:
        return curve
    return Curve(curve.degree, curve.knots, closing(curve.knots, curve.degree, curve.control, order, s))


def _counts(most: int) -> list[int]:
    """Numbers of spans to try: one by one, and in larger steps where it takes many."""
    out = list(range(1, _MOST_SPANS + 1))
    while out[-1] < min(most, _POINTS // 3):
        out.append(min(most, _POINTS // 3, out[-1] * 5 // 4))
    return out


def _closes(run: Sequence[Curve]) -> int:
    """How many derivatives closed curves have in common where they close: none where one turns there, the first where
    the curvature of one jumps, else two.
    """
    for c in run:
        a, b = unit(curve_derivatives(c, list(c.domain), 1)[1])
        if a @ b < np.cos(np.radians(_TURNS)):
            return 0
    return 1 if any(c.domain[0] in curvature_jumps(c, round=True) for c in run) else 2


def _jumps(curve: Curve) -> Array:
    """Shares of its length at which a curve's curvature jumps."""
    found = curvature_jumps(curve)
    by = LengthMap(curve) if found else None
    return np.array([] if by is None else [by.fraction(t) for t in found])


def _met_at_jumps(jumps: Sequence[Array]) -> Array:
    """Jumps of curvature that meet each other, (k, sections): where sections have as many of them, near each other;
    none else. A section without any runs as the others do in the mean.
    """
    none = np.zeros((0, len(jumps)))
    own = [j for j in jumps if len(j)]
    if len(own) < 2 or len({len(j) for j in own}) > 1:
        return none
    mean = np.mean(own, axis=0)
    rows = np.array([j if len(j) else mean for j in jumps]).T
    steps = np.diff(np.vstack([np.zeros(len(jumps)), rows, np.ones(len(jumps))]), axis=0)
    return rows if np.ptp(rows, axis=1).max() < _MEET and steps.min() > _NEAR else none
