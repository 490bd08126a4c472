"""An edge with samples, and boxes round its parts, for quick comparison with others."""

from __future__ import annotations

from functools import cached_property

import numpy as np

from pamble.core.arrays import Array, BoolArray, IntArray, dot, norm, unit
from pamble.core.faces.face import Edge
from pamble.core.spline.evaluate import curve_derivatives

_SAMPLES, _FINER, _ROUNDS = 65, 8, 3
_TURNS = np.cos(np.radians(15.0))
"""Samples of an edge, and where it turns more between two: into how many parts that way is parted, and how often."""

LEAST = 0.01
"""Length, mm, of an edge below which it is what is left of a point, as at a fillet's tip."""

_PARTS = 8
"""Parts of an edge that are boxed by themselves."""


class SampledEdge:
    """t: parameters (m,) of samples; points, tangent: (m, 3); along: length up to each, mm; low, high: of all, (3,)."""

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
        return bool(norm(self.points[:1] - self.points[-1:])[0] <= LEAST)

    @cached_property
    def sag(self) -> float:
        """How far the samples' chain may run beside the curve."""
        return float(norm(np.diff(self.points, 2, axis=0)).max())

    @cached_property
    def legs(self) -> tuple[Array, Array, Array]:
        """The ways from sample to sample (m-1, 3), their squared lengths, and their directions."""
        leg = np.diff(self.points, axis=0)
        return leg, np.maximum(dot(leg, leg), 1e-30), unit(leg)

    @cached_property
    def _first(self) -> IntArray:
        """The first way of each part of the edge, and the number of all, (parts + 1,)."""
        return np.linspace(0, len(self.t) - 1, _PARTS + 1).astype(np.intp)

    @cached_property
    def boxes(self) -> tuple[Array, Array]:
        """Least and greatest coordinates (parts, 3) of the parts, the samples at both their ends included."""
        first, last = self._first[:-1], self.points[self._first[1:]]
        low, high = (f.reduceat(self.points[:-1], first, axis=0) for f in (np.minimum, np.maximum))
        return np.minimum(low, last), np.maximum(high, last)

    def at(self, t: float) -> float:
        return float(np.interp(t, self.t, self.along))

    def within(self, parts: BoolArray) -> IntArray:
        """Numbers of the ways from sample to sample in some parts."""
        return np.flatnonzero(np.repeat(parts, np.diff(self._first)))
