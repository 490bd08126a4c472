"""Long ways round are looked at in pieces: on each of them both lines are calm where nothing is the matter."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from itertools import pairwise

import numpy as np
from scipy.interpolate import make_interp_spline

from pamble.core.arrays import Array, dot, unit
from pamble.core.faces.face import Edge
from pamble.core.patches.sections import is_closed
from pamble.core.spline.closest import to_curve
from pamble.core.spline.evaluate import curve_points
from pamble.core.trace.cause import CALM, Cause, find_cause
from pamble.core.trace.signals import Line, Signals, uneven
from pamble.core.trace.spans import SAMPLES, peak

TABLE = np.linspace(0.0, 1.0, 161)
"""Shares of a seam at which laws are given."""

_TURN = 95.0
"""Degrees that a piece turns at most: one span of degree 5 holds a circle so far, within the trace's tolerances."""

_STEP = 20
"""Samples between two places at which the way is looked at for its turn."""

_MUCH = 0.6
"""Share of the spans up to which a repair leaves a way much calmer."""

_LEAST = 0.06
"""Share of a seam below which a piece tells nothing."""


@dataclass(frozen=True)
class Found:
    """What was seen between two lines, piece by piece. cause: the neediest piece's, its counts those of the whole way;
    calms, heals: whether the repair leaves its piece calm; or calm, or much calmer.
    """

    seen: tuple[Signals, ...]
    cause: Cause | None
    calms: bool
    heals: bool

    @property
    def predicted(self) -> int:
        """Spans that a blend will need all the way."""
        return sum(s.predicted for s in self.seen)

    @property
    def calm(self) -> bool:
        """Whether nothing is the matter with either line."""
        return all(s.predicted <= CALM for s in self.seen)

    @property
    def crease(self) -> tuple[float, float, float]:
        """Least and largest angle between the faces in degrees, and its unevenness."""
        size = [np.degrees(np.abs(s.angle)) for s in self.seen]
        least, most = min(-peak(-x)[0] for x in size), max(peak(x)[0] for x in size)
        return least, most, float(np.degrees(max(uneven(s.angle)[0] for s in self.seen)))


def find(a: Line, b: Line, width: float, diagonal: float, paired: bool = False) -> Found:
    """`find_cause` on each piece of the way."""
    found = [find_cause(x, y, width, diagonal, paired) for x, y in pieces(a, b)]
    seen = tuple(s for s, _ in found)
    causes = [(c, s.most) for s, c in found if c is not None]
    if not causes:
        return Found(seen, None, False, False)
    worst = max((c for c, _ in causes), key=lambda c: c.needs)
    ends = worst.healed <= CALM, worst.healed <= max(CALM, _MUCH * worst.needs)
    if len(seen) == 1:
        return Found(seen, worst, *ends)
    needs = sum(s.most for s in seen)
    gain = sum(most - c.healed for c, most in causes if (c.kind, c.side) == (worst.kind, worst.side))
    return Found(seen, replace(worst, needs=needs, healed=needs - gain), *ends)


def line_at(edge: Edge, t: Array) -> Line:
    """An edge run through so that it has those parameters at `TABLE`; a loop may run over its start."""
    low, high = edge.domain
    share = (t - low) / (high - low)
    if is_closed(edge.space):
        law = make_interp_spline(TABLE, np.unwrap(share, period=1.0), k=3)
        return Line(edge, lambda s: np.asarray(law(s)))
    law = make_interp_spline(TABLE, share, k=3)
    return Line(edge, lambda s: np.clip(law(s), 0.0, 1.0))


def beside(edge: Edge, points: Array) -> Line:
    """An edge at the feet of points that run along it, (161, 3)."""
    return line_at(edge, to_curve(edge.space, points).t)


def pieces(a: Line, b: Line) -> list[tuple[Line, Line]]:
    """Both lines cut where either runs over the start of its loop, and so that no piece turns far.

    What is not cut is handed back as it is.
    """
    turns, cuts = [], {0.0, 1.0}
    for line in (a, b):
        turns.append(_turned(line))
        cuts |= _starts(line)
    turned = max(turns, key=lambda t: float(t[-1]))
    breaks = sorted(cuts)
    if len(breaks) == 2 and turned[-1] <= _TURN:
        return [(a, b)]
    found = []
    for start, end in pairwise(breaks):
        first, last = np.interp([start, end], SAMPLES, turned)
        count = max(1, int(np.ceil((last - first) / _TURN)))
        inner = np.interp(np.linspace(first, last, count + 1)[1:-1], turned, SAMPLES)
        ends = [start, *inner.tolist(), end]
        found += [(x, y) for x, y in pairwise(ends) if y - x > _LEAST]
    return [(_cut(a, x, y), _cut(b, x, y)) for x, y in found] or [(a, b)]


def _turned(line: Line) -> Array:
    """Degrees that the edge has turned by at `SAMPLES`, seen in few steps: what it sways by hardly counts."""
    low, high = line.edge.domain
    points = curve_points(line.edge.space, low + (high - low) * np.mod(line.at(SAMPLES), 1.0 + 1e-12))
    way = unit(np.diff(points[::_STEP], axis=0))
    at_nodes = np.pad(np.degrees(np.arccos(np.clip(dot(way[1:], way[:-1]), -1.0, 1.0))), 1, mode="edge")
    turned = np.append(0.0, np.cumsum(0.5 * (at_nodes[1:] + at_nodes[:-1])))
    return np.asarray(np.interp(SAMPLES, SAMPLES[::_STEP], turned))


def _starts(line: Line) -> set[float]:
    """Shares of a seam at which a line runs over the start of its loop."""
    run = line.at(SAMPLES)
    first, last = sorted((float(run[0]), float(run[-1])))
    inner = np.arange(np.ceil(first + _LEAST), np.ceil(last - _LEAST))
    order = np.argsort(run)
    return {float(s) for s in np.interp(inner, run[order], SAMPLES[order])}


def _cut(line: Line, start: float, end: float) -> Line:
    """A piece of a line, within one turn of its loop."""
    turn = np.floor(float(line.at(np.array([0.5 * (start + end)]))[0]))
    at: Callable[[Array], Array] = line.at
    return replace(line, at=lambda s: np.clip(at(start + (end - start) * s) - turn, 0.0, 1.0), part=True)
