"""Sides of a patch, with a continuity for each: what the tools that build one have in common."""

from __future__ import annotations

from typing import Any, ClassVar

from pydantic import Field, field_validator

from pamble.study.features.fields import choice
from pamble.study.references import EdgeRef
from pamble.study.stored import Stored

MOST = 2
"""Continuity of a patch at a side of which nothing is said."""


def continuities(most: int, found: str = "") -> Any:
    """The field of a continuity for each side, up to G``most``. found: name in the facts of what they are where nothing
    is said.
    """
    return choice("Continuity of each side", [], widget="continuities", limits={"maximum": most}, found=found)


class SidesParams(Stored):
    """edges: in any order. continuity: of each, 2 where the list is shorter."""

    most: ClassVar[int] = MOST
    edges: list[EdgeRef] = Field(title="Sides", min_length=2)
    continuity: list[int] = continuities(MOST)

    @field_validator("continuity")
    @classmethod
    def _known(cls, value: list[int]) -> list[int]:
        if not all(0 <= g <= cls.most for g in value):
            raise ValueError(f"continuity is {', '.join(f'G{g}' for g in range(cls.most))} or G{cls.most}")
        return value

    def orders(self) -> list[int]:
        """The continuity of every side."""
        return [*self.continuity, *[MOST] * len(self.edges)][: len(self.edges)]
