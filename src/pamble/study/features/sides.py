"""Sides of a patch, with a continuity for each: what the tools that build one have in common."""

from __future__ import annotations

from pydantic import Field, field_validator

from pamble.study.features.fields import choice
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored

MOST = 2
"""Highest continuity that a patch can be asked for at a side."""


class SidesParams(Stored):
    """edges: in any order. continuity: of each, 2 where the list is shorter."""

    edges: list[EdgeRef] = Field(title="Sides", min_length=2)
    continuity: list[int] = choice("Continuity of each side", [], widget="continuities", limits={"maximum": MOST})

    @field_validator("continuity")
    @classmethod
    def _known(cls, value: list[int]) -> list[int]:
        if not all(0 <= g <= MOST for g in value):
            raise ValueError("continuity is G0, G1 or G2")
        return value

    def orders(self) -> list[int]:
        """The continuity of every side."""
        return [*self.continuity, *[MOST] * len(self.edges)][: len(self.edges)]
