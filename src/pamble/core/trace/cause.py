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
from pamble.core.trace.spans import SAMPLES, left

Kind = Literal["pairing", "edge", "corner", "crease", "primary", "spans", "made"]
"""pairing: points of both edges that belong together are not paired. edge: it is more complex than it need be. corner:
the faces turn at the end of the edge. crease: the face bends beside the edge, so that the crease angle is uneven.
primary: the face itself is wavy. spans: too few of them to follow. made: the face between is not what its neighbours
ask for."""

CALM = 4
"""Spans up to which nothing is the matter with two lines: common practice, no published source."""

_CORNER = 0.14
"""Share of the edge at each end that is left out to see whether a corner is the cause."""

_GAIN = 0.8
"""Share of the needs above which the best repair brings nothing."""


@dataclass(frozen=True)
class Cause:
    """side: 0 or 1 for the first or second line; None for both. figure in its unit; place: (3,), where it is largest.
    needs, healed: spans now and after the repair.
    """

    kind: Kind
    side: int | None
    figure: float
    unit: str
    place: Array
    needs: int
    healed: int


def find_cause(a: Line, b: Line, width: float, diagonal: float, paired: bool = False) -> tuple[Signals, Cause | None]:
    """Signals between two lines as they are, and what to repair; None where nothing would help.

    width: of what is between them, mm. paired: whether the lines' shares are a pairing that somebody made, and not just
    how they run.
    """
    now = signals(a, b, diagonal)
    if paired:
        # A pairing that somebody made is judged first: what it spoils would hide the rest.
        evenly = a.even(), b.even()
        even = signals(*evenly, diagonal)
        if even.predicted <= CALM and now.most > max(CALM, 1.3 * even.most + 0.7):
            figure, unit, sample = _shift((a, b), evenly, now)
            place = now.a.point[sample]
            return now, Cause("pairing", None, figure, unit, place, now.most, even.most)
        (a, b), now = evenly, even
    if now.predicted <= CALM:
        return now, None
    inner = np.linspace(_CORNER, 1.0 - _CORNER, len(SAMPLES))

    def cut() -> float:
        return signals(a, b, diagonal, inner).most / (1.0 - 2.0 * _CORNER)

    repairs: list[tuple[Kind, int | None, Callable[[], float]]] = [
        ("edge", 0, lambda: signals(replace(a, smooth=True), b, diagonal).most),
        ("edge", 1, lambda: signals(a, replace(b, smooth=True), diagonal).most),
        ("corner", None, cut),
        ("crease", 0, lambda: signals(replace(a, inside=width), b, diagonal).most),
        ("crease", 1, lambda: signals(a, replace(b, inside=width), diagonal).most),
        ("primary", 0, lambda: signals(a.on_calm_face(), b, diagonal).most),
        ("primary", 1, lambda: signals(a, b.on_calm_face(), diagonal).most),
    ]
    after = [work() for _, _, work in repairs]
    least = min(after)
    if least > _GAIN * now.most:
        return now, None
    enough = max(1.3 * least + 0.7, now.most**0.4 * least**0.6)
    kind, side, healed = next((k, side, n) for (k, side, _), n in zip(repairs, after, strict=True) if n <= enough)
    figure, unit, sample = _figure(kind, side, now, a, b)
    place = (now.b if side == 1 else now.a).point[sample]
    return now, Cause(kind, side, figure, unit, place, now.most, round(healed))


def _shift(lines: tuple[Line, Line], evenly: tuple[Line, Line], now: Signals) -> tuple[float, str, int]:
    """How far points of a pairing lie from those at equal shares of length, along the edges."""
    length = [float(norm(np.diff(x.point, axis=0)).sum()) for x in (now.a, now.b)]
    away = [x.at(SAMPLES) - y.at(SAMPLES) for x, y in zip(lines, evenly, strict=True)]
    shift = np.maximum(np.abs(away[0]) * length[0], np.abs(away[1]) * length[1])
    return float(shift.max()), "mm", int(np.argmax(shift))


def _figure(kind: Kind, side: int | None, now: Signals, a: Line, b: Line) -> tuple[float, str, int]:
    """The figure of a cause, its unit, and the sample where it is largest."""
    seen = now.b if side == 1 else now.a
    if kind == "edge":
        calm = signals(replace(a, smooth=True), replace(b, smooth=True), now.diagonal)
        off = norm(seen.point - (calm.b if side == 1 else calm.a).point)
        return float(off.max()), "mm", int(np.argmax(off))
    if kind == "crease":
        figure, sample = uneven(now.angle)
        return float(np.degrees(figure)), "degree", sample
    if kind == "corner":
        rest = np.maximum(left(1, now.a.normal), left(1, now.b.normal))
        ends = (SAMPLES < _CORNER) | (SAMPLES > 1.0 - _CORNER)
        rest = np.where(ends, rest, 0.0)
        return float(np.degrees(rest.max())), "degree", int(np.argmax(rest))
    rest = left(1, seen.normal)
    return float(np.degrees(rest.max())), "degree", int(np.argmax(rest))
