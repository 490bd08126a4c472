"""Blends on one space of rows after another, with the crest and the limit that are asked for."""

from __future__ import annotations

from pamble.core.joining.cascade import cascade
from pamble.core.joining.crest import LEVEL, Limit, crest_heights, crest_range, just_meeting, levelled
from pamble.core.joining.pairing import Side
from pamble.core.joining.rows import RowSpace
from pamble.core.joining.spec import FULLNESS_LIMITS, BlendSpec
from pamble.core.joining.tip import Tip
from pamble.core.spline.surface import Surface

_FULLEST = 2.0
"""Fullness up to which one is sought that meets a limit: beyond it sections loop."""


class Shaper:
    """Blends on spaces with more and more spans, with the crest and the limit that are asked for."""

    def __init__(
        self, sides: tuple[Side, Side | Tip], spec: BlendSpec, diagonal: float, limit: Limit | None, meet: bool
    ) -> None:
        self.sides, self.spec, self.diagonal = sides, spec, diagonal
        self.limit, self.meet = limit, meet
        self.factor, self.height = 1.0, spec.crest

    def made(self, space: RowSpace) -> Surface:
        """The blend on a space."""
        if self.limit is None or not self.meet:
            return self._at(space, 1.0)
        full = self.spec.full(0), self.spec.full(1)
        bounds = FULLNESS_LIMITS[0] / min(full), _FULLEST / max(full)
        self.factor = just_meeting(lambda f: self._at(space, f), self.limit, bounds, self.factor)
        return self._at(space, self.factor)

    def _at(self, space: RowSpace, factor: float) -> Surface:
        spec = self.spec
        if not spec.level:
            return cascade(self.sides, spec, space, self.diagonal, factor)
        if self.height is None:
            self.height = float(crest_heights(cascade(self.sides, spec, space, self.diagonal), space.s).mean())
        return levelled(
            lambda gains: cascade(self.sides, spec, space, self.diagonal, gains),
            space.s, factor * self.height, (spec.full(0), spec.full(1)),
        )  # fmt: skip

    def uneven(self, surface: Surface) -> float:
        """How far the crest is from one height, over its aim; nothing where it is not held."""
        if not self.spec.level:
            return 0.0
        low, high = crest_range(surface)
        aim = (self.height or 1.0) * self.factor
        return 100 * max(high - aim, aim - low) / aim / LEVEL
