"""The search for the spans of a blend: the fewest even ones that reach the aims, else closer ones where they miss."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from pamble.core.arrays import Array
from pamble.core.errors import BlendError
from pamble.core.joining.pairing import Side
from pamble.core.joining.rows import row_space
from pamble.core.joining.shaper import Shaper
from pamble.core.joining.spans import candidates, finer, stops_along
from pamble.core.joining.spec import BlendSpec
from pamble.core.joining.tip import Tip
from pamble.core.joining.verify import Residual, residual, span_ratios
from pamble.core.spline import basis
from pamble.core.spline.surface import Surface

_BETTER = 0.95
"""By how much better a blend of more spans must be to count, where none reaches the aims."""

_WORTH, _HELPS, _IDLE, _ROUNDS, _MOST = 0.7, 0.8, 3, 10, 128
"""The same for one with closer spans in places; what a round must bring, and how many without are the last; rounds, and
spans in all.
"""

_NEARLY = 2.0
"""Times the aims up to which figures between the samples count."""

_TELLS, _CLOSE = 8, 16.0
"""Even spans from which on it can be told whether more would reach the aims; and how many times the aims the most of
them may miss to be moved closer, rather than fewer.
"""


@dataclass(frozen=True)
class Trial:
    """One step of the span search: spans, control points along the edge, worst figure over its aim. even: whether its
    spans are those that are made where so many are asked for.
    """

    spans: int
    control_points: int
    ratio: float
    residuals: tuple[Residual, Residual]
    even: bool = True


class Search:
    """Blends between two sides on one space of rows after the other; what was tried, and the best of it."""

    def __init__(self, sides: tuple[Side, Side | Tip], spec: BlendSpec, diagonal: float, shaper: Shaper) -> None:
        self.sides, self.spec, self.diagonal, self.shaper = sides, spec, diagonal, shaper
        self.trials: list[Trial] = []
        self.best: tuple[float, Surface] | None = None
        self._told = False

    def run(self) -> tuple[Surface, tuple[Residual, Residual], tuple[Trial, ...]]:
        """The blend with the fewest spans that reaches the aims, or the best, with its figures and all that was tried.
        Raises `BlendError` where no spans are left to try.
        """
        for knots in candidates(self.sides, self.spec):
            self._look(self._made(knots), _BETTER)
            if self._held or self._stalled() or self._hopeless():
                break
        if self.best is None:
            raise BlendError("No spans are left to try.")
        if not self._held and self.spec.spans is None:
            self._closer(self.best[1])
        surface, last = self.best[1], self.trials[-1]
        return surface, last.residuals if self._held else self._met(surface, closed_in=True), tuple(self.trials)

    @property
    def _held(self) -> bool:
        return self.trials[-1].ratio <= 1.0

    def _look(self, surface: Surface, better: float, even: bool = True) -> None:
        """Measure a blend; better: share of the best so far that counts."""
        met = self._met(surface)
        if self._worst(met) <= _NEARLY:
            # It counts only if it holds between the samples too.
            met = self._met(surface, closed_in=True)
        ratio = max(self._worst(met), self.shaper.uneven(surface))
        self.trials.append(Trial(surface.spans[0], surface.control.shape[0], ratio, met, even))
        up_to_g2 = [r.ratio(min(2, g)) for r, g in zip(met, self.spec.continuity, strict=True)]
        score = 1e3 * max(*up_to_g2, 1.0) + ratio
        if self.best is None or score < better * self.best[0] or ratio <= 1.0:
            self.best = score, surface

    def _closer(self, surface: Surface) -> None:
        """Closer spans where the aims are missed, as long as that helps."""
        least, rounds, idle = self.trials[-1].ratio, 0, 0
        while not self._held and rounds < _ROUNDS and idle < _IDLE:
            ratios = [span_ratios(surface, self.sides[i], i, self.diagonal, self.spec.continuity[i]) for i in (0, 1)]
            knots = finer(surface.knots_u, surface.degree_u, np.maximum(*ratios))
            if basis.span_count(knots, surface.degree_u) > _MOST:
                break
            surface, rounds = self._made(knots), rounds + 1
            self._look(surface, _WORTH, even=False)
            idle = idle + 1 if self.trials[-1].ratio > _HELPS * least else 0
            least = min(least, self.trials[-1].ratio)

    def _met(self, surface: Surface, closed_in: bool = False) -> tuple[Residual, Residual]:
        """How the blend meets both sides."""
        first, second = (
            residual(surface, side, i, self.diagonal, 3 if g > 2 else 2, closed_in=closed_in)
            for i, (side, g) in enumerate(zip(self.sides, self.spec.continuity, strict=True))
        )
        return first, second

    def _worst(self, met: tuple[Residual, Residual]) -> float:
        return max(r.ratio(g) for r, g in zip(met, self.spec.continuity, strict=True))

    def _stalled(self) -> bool:
        """Whether eight more steps have brought next to nothing: the edges cannot be met any better."""
        if len(self.trials) < 16:
            return False
        return min(t.ratio for t in self.trials[-8:]) > 0.85 * min(t.ratio for t in self.trials[:-8])

    def _hopeless(self) -> bool:
        """Whether even spans up to the limit do not reach the aims: foretold, as the error falls with their fourth
        power, and then tried.
        """
        stops = stops_along(self.sides)
        last, limit = self.trials[-1], self.spec.search_limit + len(stops)
        if self._told or last.spans < _TELLS:
            return False
        self._told = True
        if last.spans * last.ratio**0.25 <= limit:
            return False
        most = self._made(basis.spread_knots(self.spec.degree, limit, stops))
        over = self._worst(self._met(most))
        if 1.0 < over < _CLOSE:
            self._look(most, _BETTER)
        return over > 1.0

    def _made(self, knots: Array) -> Surface:
        return self.shaper.made(row_space(self.spec.degree, knots, self.sides[0].closed))
