"""Which repair would heal what is between two lines: the gentlest one that brings nearly all of the gain is the cause.

Own method: the spans that the signals need are counted as they are and after each repair.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from pamble.core.arrays import Array, norm
from pamble.core.trace.signals import Line, Signals, signals, uneven
from pamble.core.trace.spans import SAMPLES, left, peak

Kind = Literal["pairing", "edge", "corner", "crease", "primary", "spans", "made"]
"""pairing: points of both edges that belong together are not paired. edge: it is more complex than it need be. corner:
the faces turn at the end of the edge. crease: the face bends beside the edge, so that the crease angle is uneven.
primary: the face itself is wavy. spans: too few of them to follow. made: the face between is not what its neighbours
ask for."""

CALM = 4
"""Spans up to which nothing is the matter with two lines: common practice, no published source."""

_CORNERS = (0.14, 0.2)
"""Shares of the edge at each end that are left out to see whether a corner is the cause."""

_REST = 0.5
"""Share of the spans that may be needed between the ends, by their length, where a corner is the cause."""

_FAR_IN = 2.5
"""Widths of what lies between, up to which a face that is bent is bent beside its edge, and not wavy itself."""

_GAIN = 0.8
"""Share of the needs above which the best repair brings nothing."""

_TWO = 0.5
"""Share of what one repair leaves, up to which a second one on the other line is a cause of its own."""


@dataclass(frozen=True)
class Cause:
    """side: 0 or 1 for the first or second line; None for both. figure in its unit; place: (3,), where it is largest.
    needs, healed: spans now and after the repair. also: another, on the other line, that has to be repaired with it;
    then both count what is left after both.
    """

    kind: Kind
    side: int | None
    figure: float
    unit: str
    place: Array
    needs: int
    healed: int
    also: Cause | None = None


def find_cause(a: Line, b: Line, width: float, diagonal: float, paired: bool = False) -> tuple[Signals, Cause | None]:
    """Signals between two lines as they are, and what to repair; None where nothing would help.

    width: of what is between them, mm. paired: whether the lines' shares are a pairing that somebody made, and not just
    how they run.
    """
    if not paired:
        a, b = a.calm(), b.calm()
        now = signals(a, b, diagonal)
        return now, _gentlest(now, *_repaired(now, a, b, width), a, b)
    now = signals(a, b, diagonal)
    # What a pairing spoils would hide the rest: the other repairs are tried on an even one.
    evenly = a.even(), b.even()
    even = signals(*evenly, diagonal)
    after, both = _repaired(even, *evenly, width)
    healed = min([even.most, *(n for _, _, n in after), *(() if both is None else both[2:])])
    if now.predicted > CALM and even.most < _GAIN * now.most and even.most <= max(1.3 * healed + 0.7, CALM):
        figure, unit, sample = _shift((a, b), evenly, now)
        return now, Cause("pairing", None, figure, unit, now.a.point[sample], now.most, even.most)
    return even, _gentlest(even, after, both, *evenly)


_Repaired = list[tuple[Kind, int | None, float]]
"""What was repaired on which side, and the spans that are needed then; the gentlest repair first."""

_Both = tuple[Kind, Kind, float]
"""What was repaired on each line at once, and the spans that are needed then."""


def _repaired(now: Signals, a: Line, b: Line, width: float) -> tuple[_Repaired, _Both | None]:
    """What single repairs leave, and those of both lines at once, where single ones leave much."""
    if now.predicted <= CALM:
        return [], None
    diagonal = now.diagonal
    found: _Repaired = []
    for kind, mend in _MENDS:
        found.append((kind, 0, signals(mend(a, width), b, diagonal).most))
        found.append((kind, 1, signals(a, mend(b, width), diagonal).most))
        if kind == "edge" and not a.part:
            for share in _CORNERS:
                inner = np.linspace(share, 1.0 - share, len(SAMPLES))
                rest = signals(a, b, diagonal, inner).most / (1.0 - 2.0 * share)
                if rest <= _REST * now.most:
                    found.append(("corner", None, rest))
    least = min(n for _, _, n in found)
    return found, _both(now, a, b, width, min(least, now.most)) if least > CALM else None


_MENDS: tuple[tuple[Kind, Callable[[Line, float], Line]], ...] = (
    ("edge", lambda line, width: replace(line, smooth=True)),
    ("crease", lambda line, width: line.on_calm_face(inside=width).calm()),
    ("crease", lambda line, width: line.on_calm_face(inside=_FAR_IN * width).calm()),
    ("primary", lambda line, width: line.on_calm_face().calm()),
)
"""Repairs of a line, the gentlest first. width: of what is between the lines, mm."""


def _both(now: Signals, a: Line, b: Line, width: float, alone: float) -> _Both | None:
    """The gentlest repairs of both lines at once, where they bring much more than one, which leaves ``alone`` spans."""
    tried = [
        (x, y, signals(mend(a, width), other(b, width), now.diagonal).most) for x, mend in _MENDS for y, other in _MENDS
    ]
    least = min(n for _, _, n in tried)
    if least > _TWO * alone:
        return None
    enough = _enough(alone, least)
    order = [kind for kind, _ in _MENDS]
    return min((t for t in tried if t[2] <= enough), key=lambda t: order.index(t[0]) + order.index(t[1]))


def _enough(now: float, least: float) -> float:
    """Spans up to which a repair brings nearly all of the gain."""
    return max(1.3 * least + 0.7, float(now**0.4 * least**0.6))


def _gentlest(now: Signals, after: _Repaired, both: _Both | None, a: Line, b: Line) -> Cause | None:
    if both is not None:
        one, other = (_caused(kind, side, both[2], now, a, b) for side, kind in enumerate(both[:2]))
        return replace(one, also=other)
    least = min((n for _, _, n in after), default=np.inf)
    if least > _GAIN * now.most:
        return None
    return _caused(*next(r for r in after if r[2] <= _enough(now.most, least)), now, a, b)


def _caused(kind: Kind, side: int | None, healed: float, now: Signals, a: Line, b: Line) -> Cause:
    figure, unit, sample = _figure(kind, side, now, a, b)
    if kind == "corner":
        side = int(np.argmax([left(1, x.normal)[sample] for x in (now.a, now.b)]))
    place = (now.b if side == 1 else now.a).point[sample]
    return Cause(kind, side, figure, unit, place, now.most, round(healed))


def _shift(lines: tuple[Line, Line], evenly: tuple[Line, Line], now: Signals) -> tuple[float, str, int]:
    """How far points of a pairing lie from those at equal shares of length, along the edges."""
    length = [float(norm(np.diff(x.point, axis=0)).sum()) for x in (now.a, now.b)]
    away = [x.at(SAMPLES) - y.at(SAMPLES) for x, y in zip(lines, evenly, strict=True)]
    shift = np.maximum(np.abs(away[0]) * length[0], np.abs(away[1]) * length[1])
    most, sample = peak(shift)
    return most, "mm", sample


def _figure(kind: Kind, side: int | None, now: Signals, a: Line, b: Line) -> tuple[float, str, int]:
    """The figure of a cause, its unit, and the sample where it is largest."""
    seen = now.b if side == 1 else now.a
    if kind == "edge":
        calm = signals(replace(a, smooth=True), replace(b, smooth=True), now.diagonal)
        off = norm(seen.point - (calm.b if side == 1 else calm.a).point)
        most, sample = peak(off)
        return most, "mm", sample
    if kind == "crease":
        figure, sample = uneven(now.angle)
        return float(np.degrees(figure)), "degree", sample
    if kind == "corner":
        rest = np.maximum(left(1, now.a.normal), left(1, now.b.normal))
        ends = np.minimum(SAMPLES, 1.0 - SAMPLES) < max(_CORNERS)
        most, sample = peak(np.where(ends, rest, 0.0))
        return float(np.degrees(most)), "degree", sample
    most, sample = peak(left(1, seen.normal))
    return float(np.degrees(most)), "degree", sample
