"""What a curve casts on faces: runs of even points, cut where a face ends and where one sheet is left for another."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array, IntArray, norm
from pamble.core.curves.measure import length_parameters
from pamble.core.curves.stretches import last_with, stretches
from pamble.core.faces.face import Face
from pamble.core.faces.landing import land, pull
from pamble.core.spline.curve import Curve
from pamble.core.spline.evaluate import curve_points

_FINE = 321
_FINER = 16
_ROUNDS = 6
_LEAP = 10
"""Steps this much longer than others are leaps, where steps should be even."""

_LEAST = 33
"""Points of a run at least, however short it is."""


@dataclass(frozen=True)
class Run:
    """A stretch of the curve that lands on one face: the face's number, parameters of the curve, points (m, 3)."""

    face: int
    start: float
    end: float
    points: Array


@dataclass(frozen=True)
class Caster:
    """Casts a curve on faces along a direction (3,), or square to them when that is None."""

    curve: Curve
    faces: Sequence[Face]
    direction: Array | None
    hurry: bool

    def runs(self) -> tuple[list[Run], Array]:
        """All runs in the order of the curve, and the points (k, 3) of the curve that land nowhere."""
        t = length_parameters(self.curve, np.linspace(0, 1, _FINE // 4 if self.hurry else _FINE), self.hurry)
        t[[0, -1]] = self.curve.domain
        on, landed = self._onto(t)
        runs = []
        for face, a, b in stretches(lambda at: self._onto(at)[0], t, 1 if self.hurry else 4, on):
            at, points = self._sampled(face, t, landed, a, b)
            for start, end in self._unbroken(face, at, points):
                if end > start:
                    part = (at, points) if (start, end) == (a, b) else self._sampled(face, t, landed, start, end)
                    runs.append(Run(face, start, end, self._even(face, *part)))
        nowhere = ~np.any([(t >= r.start) & (t <= r.end) for r in runs], axis=0) if runs else t == t
        return runs, curve_points(self.curve, t[nowhere])

    def _onto(self, t: Array, only: int | None = None) -> tuple[IntArray, Array]:
        """Which face takes each place of the curve, the nearest one or -1 for none, and where it lands (m, 3)."""
        points = curve_points(self.curve, t)
        faces = self.faces if only is None else [self.faces[only]]
        found = [pull(f, points) if self.direction is None else land(f, points, self.direction) for f in faces]
        far = np.array([np.where(x.hit, norm(x.point - points), np.inf) for x in found])
        best = np.argmin(far, axis=0)
        every = np.arange(len(points))
        landed = np.stack([x.point for x in found])[best, every]
        return np.where(np.isfinite(far[best, every]), best, -1), landed

    def _sampled(self, face: int, t: Array, landed: Array, a: float, b: float) -> tuple[Array, Array]:
        """Parameters from ``a`` to ``b`` and where they land on one face, given where ``t`` landed."""
        inner = (t >= a) & (t <= b)
        if inner.sum() < _LEAST:
            at = np.linspace(a, b, _LEAST)
            return at, self._onto(at, face)[1]
        ends = [end for end, known in ((a, t[inner][0]), (b, t[inner][-1])) if end != known]
        at = np.append(t[inner], ends)
        points = np.vstack([landed[inner], self._onto(np.array(ends), face)[1]]) if ends else landed[inner]
        order = np.argsort(at)
        return at[order], points[order]

    def _unbroken(self, face: int, at: Array, points: Array) -> list[tuple[float, float]]:
        """The stretch in pieces over which what lands does not leap from one sheet of the face to another."""
        rounds = 1 if self.hurry else 4
        step = norm(np.diff(points, axis=0))
        pieces, start = [], float(at[0])
        for i in np.flatnonzero(step > 3 * np.median(step)):
            low, high = float(at[i]), float(at[i + 1])
            for done in range(2 if self.hurry else _ROUNDS):
                between = np.linspace(low, high, _FINER + 1)
                on, finer = self._onto(between, face)
                if np.any(on < 0):
                    gap, widest = float(between[np.argmax(on < 0)]), np.inf
                    low, high = (last_with(lambda t: self._onto(t, face)[0], 0, e, gap, rounds) for e in (low, high))
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

    def _even(self, face: int, at: Array, points: Array) -> Array:
        """Points of the stretch at steps that are about even; next to a silhouette they are not at first."""
        if self.hurry:
            return points
        for _ in range(4):
            step = norm(np.diff(points, axis=0))
            if step.max() < 3 * step.mean():
                return points
            along = np.append(0.0, np.cumsum(np.minimum(step, _LEAP * np.median(step))))
            at = np.interp(np.linspace(0, along[-1], max(len(at), _FINE // 2)), along, at)
            points = self._onto(at, face)[1]
        # Within rounding of a silhouette a line may be found to meet another sheet: such points are left out.
        step = norm(np.diff(points, axis=0))
        breaks = np.concatenate([[0], np.flatnonzero(step > _LEAP * np.median(step)) + 1, [len(points)]])
        longest = int(np.argmax(np.diff(breaks)))
        return points[breaks[longest] : breaks[longest + 1]]
