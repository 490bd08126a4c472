"""What a blend is asked to be, checked once."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from pamble.core.errors import BlendError

Ends = Literal["neighbours", "straight", "iso"]

DEFAULT_FULLNESS = {0: 1.0, 1: 1.0, 2: 0.9, 3: 0.8}
"""Fullness per continuity when none is given: calm sections without inflection on creases of 10 to 120 degrees."""

FULLNESS_LIMITS = (0.05, 4.0)
SPANS_LIMIT = 40


@dataclass(frozen=True)
class BlendSpec:
    """Numbers of an edge blend.

    continuity: 0 to 3 for each side. fullness: speed of the blend at each edge over the distance between the edges,
    None for the default. degree: along the edges, 3 to 9. spans: along the edges, None to have them found.
    ends: how cross directions run. flip: pair the edges the other way round. search_limit: most spans tried.
    level: whether the crest is held at one height, ``crest`` mm, or as high as it is at the mean when None.
    begins: where loops begin, as shares of their lengths; None where that is found.
    """

    continuity: tuple[int, int] = (2, 2)
    fullness: tuple[float | None, float | None] = (None, None)
    degree: int = 5
    spans: int | None = None
    ends: Ends = "neighbours"
    flip: bool = False
    search_limit: int = 24
    level: bool = False
    crest: float | None = None
    begins: tuple[float | None, float | None] = (None, None)

    def __post_init__(self) -> None:
        for side in self.continuity:
            if side not in (0, 1, 2, 3):
                raise BlendError(f"Continuity G{side} is not known: G0, G1, G2 and G3 are.")
        low, high = FULLNESS_LIMITS
        for value in self.fullness:
            if value is not None and not low <= value <= high:
                raise BlendError(
                    f"Fullness {value:g} is out of range: {low:g} to {high:g} is possible, about 0.6 to 1.3 is useful."
                )
        if not 3 <= self.degree <= 9:
            raise BlendError(f"Degree {self.degree} along the blend is out of range: 3 to 9 is possible.")
        if self.spans is not None and not 1 <= self.spans <= SPANS_LIMIT:
            raise BlendError(f"{self.spans} spans are out of range: 1 to {SPANS_LIMIT} is possible.")
        if self.ends not in ("neighbours", "straight", "iso"):
            raise BlendError(f"Ends can align with the neighbours, straight or iso, not {self.ends!r}.")

    def full(self, side: int) -> float:
        """The fullness of a side, default filled in."""
        given = self.fullness[side]
        return DEFAULT_FULLNESS[self.continuity[side]] if given is None else given

    @property
    def across(self) -> int:
        """Degree across the blend: each side claims one row for position and one for every order above."""
        return self.continuity[0] + self.continuity[1] + 1
