"""How the rows of an offset run in one direction, on knots that grow where the fit asks for it."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from pamble.core.arrays import Array, IntArray
from pamble.core.spline import basis
from pamble.core.spline.knots import raised_knots
from pamble.core.surfaces.fitted_rows import fit_rows

_EACH = 8
"""Places in a span at which a fit is looked at."""

_MOST = 130
"""Rows up to which knots are put in."""


@dataclass(frozen=True)
class Rows:
    """firm: knots of what is offset, where the offset is one order less smooth; most: how often each may stand.
    joint: whether the rows close smoothly on themselves.
    """

    degree: int
    knots: Array
    firm: Array
    most: IntArray
    joint: bool

    @staticmethod
    def beginning(knots: Array, degree: int, joint: bool) -> Rows:
        """Rows on the knots of what is offset, of degree 3 at least."""
        up = max(3, degree)
        own = raised_knots(knots, degree, up - degree) if degree < up else knots
        firm = basis.breaks(own, up)[1:-1]
        most = np.array([min(int(np.sum(own == b)) + 1, up) for b in firm], dtype=np.intp)
        return Rows(up, own, firm, most, joint)

    @property
    def count(self) -> int:
        return len(self.knots) - self.degree - 1

    @property
    def full(self) -> bool:
        """Whether there are so many that no more are put in."""
        return self.count > _MOST

    def places(self) -> Array:
        """Parameters at which a fit is looked at."""
        breaks = basis.breaks(self.knots, self.degree)
        inner = breaks[:-1, None] + np.diff(breaks)[:, None] * np.arange(_EACH) / _EACH
        return np.append(inner.ravel(), breaks[-1])

    def matrix(self, t: Array) -> Array:
        """What control points weigh at parameters, (m, n)."""
        return np.asarray(basis.matrix(self.knots, self.degree, t)[0])

    def fit(self, t: Array, values: Array) -> Array:
        """Control points of the rows through values at parameters; see `fit_rows`."""
        return fit_rows(self.knots, self.degree, t, values, int(self.joint))

    def finer(self, t: Array, off: Array, tolerance: float) -> Rows:
        """More knots for the spans at fault: at their ends, where what is offset has a knot, else in their middles."""
        breaks = basis.breaks(self.knots, self.degree)
        span = np.clip(np.searchsorted(breaks, t, side="right") - 1, 0, len(breaks) - 2)
        worst = np.zeros(len(breaks) - 1)
        np.maximum.at(worst, span, off)
        bad = np.append(worst > tolerance, False)
        stands = np.array([np.sum(self.knots == b) for b in self.firm], dtype=np.intp)
        at = np.searchsorted(breaks, self.firm)
        wanting = stands < self.most
        ends = self.firm[wanting & (bad[at] | bad[at - 1])]
        loose = np.zeros(len(breaks), dtype=bool)
        loose[at[wanting]] = True
        middle = bad[:-1] & ~loose[:-1] & ~loose[1:]
        new = np.append((0.5 * (breaks[1:] + breaks[:-1]))[middle], ends)
        return replace(self, knots=np.sort(np.concatenate([self.knots, new])))
