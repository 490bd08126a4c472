"""What a match made: the face, how its sides meet their neighbours, and what of it misses its aim, in words."""

from __future__ import annotations

from dataclasses import dataclass
from itertools import zip_longest

import numpy as np

from pamble.core.arrays import Array
from pamble.core.faces.face import Face
from pamble.core.tolerances import BLEND_AIMS

_FIGURES = ("the gap", "the angle", "the curvature", "the change of curvature")

_COUNTS = (2.0, 2.0, 1.0, 0.5)
"""Power by which a figure counts that misses its aim."""


@dataclass(frozen=True)
class Met:
    """How a side meets its neighbour: gap mm, angle degrees, curvature and its change %, worst along it."""

    order: int
    gap: float
    angle: float
    curvature: float
    rate: float

    @property
    def ratios(self) -> tuple[float, ...]:
        """Those that the continuity asks for, each over its aim."""
        figures = self.gap, self.angle, self.curvature, self.rate
        return tuple(x / aim for x, aim in zip(figures[: self.order + 1], BLEND_AIMS, strict=False))


@dataclass(frozen=True)
class Matched:
    """face: the changed one. sides: how each meets, in the order given. moved: of CVs by row from the nearest of the
    sides inward, mm. rounds: largest movement of each repetition, mm. added: spans put in along the sides; raised:
    degrees across them, and lifted: along them.
    """

    face: Face
    sides: tuple[Met, ...]
    moved: Array
    rounds: tuple[float, ...]
    added: int
    raised: int
    lifted: int

    @property
    def ratios(self) -> tuple[float, ...]:
        """The worst of all sides over their aims: gap, angle, curvature and its change, as far as asked for."""
        return tuple(max(x) for x in zip_longest(*(s.ratios for s in self.sides), fillvalue=0.0))

    @property
    def ratio(self) -> float:
        """The worst of all sides over its aim."""
        return max(self.ratios)

    @property
    def shortfall(self) -> float:
        """What is not met, in one figure from 1: the lower the continuity that asks for it, the more it counts."""
        return float(np.prod([max(1.0, x) ** power for x, power in zip(self.ratios, _COUNTS, strict=False)]))

    @property
    def missed(self) -> tuple[str, ...]:
        """What misses its aim the most, in words."""
        if self.ratio <= 1.0:
            return ()
        worst = _FIGURES[int(np.argmax(self.ratios))].capitalize()
        held = [name for name, x in zip(_FIGURES, self.ratios, strict=False) if x <= 1.0]
        rest = f"; {' and '.join(held)} hold{'s' if len(held) == 1 else ''}" if held else ""
        return (
            f"{worst} is {self.ratio:.1f} times what is aimed at{rest}. Let it add more spans, or calm the "
            "neighbour's edge.",
        )

    @property
    def grown(self) -> tuple[str, ...]:
        """What was raised, in words."""
        out = []
        if self.raised:
            out.append(f"The degree across was raised by {self.raised}: there were too few rows.")
        if self.lifted:
            out.append(
                f"The degree along was raised by {self.lifted}: a lower one does not follow the neighbour's edge."
            )
        return tuple(out)
