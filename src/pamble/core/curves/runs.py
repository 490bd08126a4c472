"""Runs of even points of what is cast or offset from a curve, cut where it ends and where it leaps."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, IntArray, norm, unit
from pamble.core.curves.measure import length_and_turn, length_parameters
from pamble.core.curves.stretches import last_with, stretches
from pamble.core.spline.curve import Curve

_FINE = 321
_FINER = 16
_ROUNDS = 6
_LEAP = 10
"""Steps this much longer than others are leaps, where steps should be even."""

_SHARP = np.radians(4.0)
"""Turn from one step to the next above which points are set closer there."""

_LEAST = 33
"""Points of a run at least, however short it is."""


@dataclass(frozen=True)
class Run:
    """A stretch of the curve with a place throughout: its label, parameters of the curve, points (m, 3)."""

    label: int
    start: float
    end: float
    points: Array


Place = Callable[[Array, int | None], tuple[IntArray, Array]]
"""For parameters (m,) of a curve: labels, -1 where there is no place, and places (m, 3); of one label, if given."""


@dataclass(frozen=True)
class Tracer:
    """Follows places along a curve. hurry: from fewer samples, for what is shown while the pointer is down."""

    curve: Curve
    place: Place
    hurry: bool

    def runs(self) -> tuple[list[Run], Array]:
        """All runs in the order of the curve, and the parameters (k,) of samples that are in none."""
        t = length_parameters(self.curve, np.linspace(0, 1, _FINE // 4 if self.hurry else _FINE), self.hurry)
        t[[0, -1]] = self.curve.domain
        labels, placed = self.place(t, None)
        runs = []
        for label, a, b in stretches(lambda at: self.place(at, None)[0], t, 1 if self.hurry else 4, labels):
            at, points = self._sampled(label, t, placed, a, b)
            for start, end in self._unbroken(label, at, points):
                if end > start:
                    part = (at, points) if (start, end) == (a, b) else self._sampled(label, t, placed, start, end)
                    runs.append(Run(label, start, end, self._even(label, *part)))
        held = [(t >= r.start) & (t <= r.end) for r in runs]
        return runs, t[~np.any(held, axis=0)] if runs else t

    def _sampled(self, label: int, t: Array, placed: Array, a: float, b: float) -> tuple[Array, Array]:
        """Parameters from ``a`` to ``b`` and their places, given those of ``t``."""
        inner = (t >= a) & (t <= b)
        if inner.sum() < _LEAST:
            at = np.linspace(a, b, _LEAST)
            return at, self.place(at, label)[1]
        ends = [end for end, known in ((a, t[inner][0]), (b, t[inner][-1])) if end != known]
        at = np.append(t[inner], ends)
        points = np.vstack([placed[inner], self.place(np.array(ends), label)[1]]) if ends else placed[inner]
        order = np.argsort(at)
        return at[order], points[order]

    def _unbroken(self, label: int, at: Array, points: Array) -> list[tuple[float, float]]:
        """The stretch in pieces over which places do not leap, as from one sheet of a face to another."""
        rounds = 1 if self.hurry else 4
        step = norm(np.diff(points, axis=0))
        pieces, start = [], float(at[0])
        for i in np.flatnonzero(step > 3 * np.median(step)):
            low, high = float(at[i]), float(at[i + 1])
            for done in range(2 if self.hurry else _ROUNDS):
                between = np.linspace(low, high, _FINER + 1)
                on, finer = self.place(between, label)
                if np.any(on < 0):
                    gap, widest = float(between[np.argmax(on < 0)]), np.inf
                    low, high = (last_with(lambda t: self.place(t, label)[0], 0, e, gap, rounds) for e in (low, high))
                    break
                steps = norm(np.diff(finer, axis=0))
                j = int(np.argmax(steps))
                low, high, widest = float(between[j]), float(between[j + 1]), float(steps[j])
                # A silhouette is left behind fast, but not at once.
                if done and widest < 0.1 * step[i]:
                    break
            if widest > 0.1 * step[i]:
                pieces.append((start, low))
                start = high
        return [*pieces, (start, float(at[-1]))]

    def _even(self, label: int, at: Array, points: Array) -> Array:
        """Points of the stretch at steps that are about even, and closer where they turn. At first they are not where a
        silhouette is near or the face bends sharply.
        """
        if self.hurry:
            return points
        for _ in range(4):
            step = norm(np.diff(points, axis=0))
            if step.max() < 3 * step.mean():
                break
            along = np.append(0.0, np.cumsum(np.minimum(step, _LEAP * np.median(step))))
            at = np.interp(np.linspace(0, along[-1], max(len(at), _FINE // 2)), along, at)
            points = self.place(at, label)[1]
        # Within rounding of a silhouette a line may be found to meet another sheet: such points are left out.
        step = norm(np.diff(points, axis=0))
        breaks = np.concatenate([[0], np.flatnonzero(step > _LEAP * np.median(step)) + 1, [len(points)]])
        longest = int(np.argmax(np.diff(breaks)))
        kept = slice(breaks[longest], breaks[longest + 1])
        at, points = at[kept], points[kept]
        for _ in range(2):
            way = unit(np.diff(points, axis=0))
            if float(norm(np.diff(way, axis=0)).max(initial=0.0)) < _SHARP:
                break
            pace = length_and_turn(points)
            at = np.interp(np.linspace(0, pace[-1], max(len(at), _FINE)), pace, at)
            points = self.place(at, label)[1]
        return points
